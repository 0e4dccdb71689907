"""How the effort of a task lies on its days.

It is laid over the task's days from today to its finish on which its doer has hours, in proportion to those hours, in
whole minutes: day by day the running sum is rounded down, so that the parts add up.

=====================================  ==================================================================
not begun, and past its finish         over its own duration from today on
under way                              what its doer says is left; else effort × its worked days from
                                       today on (at least 1) ÷ all its worked days, rounded up; its
                                       finish is at least today
in review, done or dropped             nothing
no hours on any of its days            all on the first
in pieces of at least a *chunk*        min(such days, max(1, ⌊effort ÷ chunk⌋)) equal ones, on the
                                       earliest of those days
=====================================  ==================================================================
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.terms import State


@dataclass(frozen=True, slots=True)
class Effort:
    """Work on the days of a task; ``first`` and ``last`` as days, both included, ``minutes`` all of it.

    ``duration`` is in working days. ``chunk`` are the minutes of the least piece it is done in, 0 where it may be
    cut as one likes; ``left`` the minutes that its doer says are left of it.
    """

    minutes: int
    first: int
    last: int
    duration: int
    state: State
    chunk: int = 0
    left: int | None = None


def laid(effort: Effort, today: int, calendar: WorkingCalendar, hours: Callable[[int], int]) -> Mapping[int, int]:
    """Day → minutes of it.

    Parameters
    ----------
    calendar : WorkingCalendar
        The task's own, on which its duration counts.
    hours : callable
        Gives the minutes that its doer has on a day.

    >>> laid(Effort(600, 739_000, 739_001, 2, "ready"), 739_000, WorkingCalendar(), lambda day: 480)
    {739000: 300, 739001: 300}
    """
    minutes = to_do(effort, today, calendar)
    if not minutes:
        return {}
    first, last = days_from(effort, today, calendar)
    return spread(minutes, first, ((day, hours(day)) for day in range(first, last + 1)), effort.chunk)


def to_do(effort: Effort, today: int, calendar: WorkingCalendar) -> int:
    """The minutes of it that are still to be done."""
    if effort.state in {"in review", "done", "dropped"} or effort.minutes <= 0:
        return 0
    if effort.state != "under way":
        return effort.minutes
    if effort.left is not None:
        return effort.left
    every = max(1, calendar.count(effort.first, effort.last + 1))
    left = max(1, calendar.count(max(effort.first, today), max(effort.last, today) + 1))
    return -(-effort.minutes * min(left, every) // every)


def days_from(effort: Effort, today: int, calendar: WorkingCalendar) -> tuple[int, int]:
    """The first and the last of the days that what is to be done lies on."""
    first, last = effort.first, effort.last
    if effort.state == "under way":
        last = max(last, today)
    elif last < today:
        first = calendar.roll_forward(today)
        last = calendar.advance(first, max(1, effort.duration)) - 1
    return max(first, today), last


def spread(minutes: int, first: int, there: Iterable[tuple[int, int]], chunk: int = 0) -> dict[int, int]:
    """Minutes over days with their hours; all on the ``first`` where there are none on any.

    >>> spread(100, 1, [(1, 60), (2, 0), (3, 120)])
    {1: 33, 3: 67}
    >>> spread(100, 1, [(1, 60), (2, 0), (3, 120), (4, 60)], chunk=50)
    {1: 50, 3: 50}
    """
    worked = [(day, has) for day, has in there if has > 0]
    if not worked:
        return {first: minutes}
    if chunk:
        n = pieces(minutes, len(worked), chunk)
        return {day: minutes * (k + 1) // n - minutes * k // n for k, (day, _) in enumerate(worked[:n])}
    total = sum(has for _, has in worked)
    days: dict[int, int] = {}
    so_far = done = 0
    for day, has in worked:
        so_far += has
        part = minutes * so_far // total - done
        done += part
        if part:
            days[day] = part
    return days


def pieces(minutes: int, days: int, chunk: int) -> int:
    """In how many equal pieces it is done."""
    return min(days, max(1, minutes // chunk))
