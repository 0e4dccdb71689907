"""How the effort of a task lies on its days.

It is laid over the task's days from today to its finish on which its doer has hours, in proportion to those hours, in
whole minutes: day by day the running sum is rounded down, so that the parts add up.

=====================================  ==================================================================
not begun, and past its finish         over its own duration from today on
under way                              what is left: effort × its worked days from today on (at least 1)
                                       ÷ all its worked days, rounded up; its finish is at least today
in review, done or dropped             nothing
no hours on any of its days            all on the first
=====================================  ==================================================================
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.terms import State


@dataclass(frozen=True, slots=True)
class Effort:
    """Work on the days of a task; ``first`` and ``last`` as days, both included, ``minutes`` all of it."""

    minutes: int
    first: int
    last: int
    duration: int
    state: State


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
    first, last, minutes = effort.first, effort.last, effort.minutes
    if effort.state in {"in review", "done", "dropped"} or minutes <= 0:
        return {}
    if effort.state == "under way":
        every = max(1, calendar.count(first, last + 1))
        last = max(last, today)
        left = max(1, calendar.count(max(first, today), last + 1))
        minutes = -(-minutes * min(left, every) // every)
        first = max(first, today)
    elif last < today:
        first = calendar.roll_forward(today)
        last = calendar.advance(first, max(1, effort.duration)) - 1
    else:
        first = max(first, today)
    there = [(day, hours(day)) for day in range(first, last + 1)]
    total = sum(has for _, has in there)
    if not total:
        return {first: minutes}
    days: dict[int, int] = {}
    so_far = done = 0
    for day, has in there:
        so_far += has
        part = minutes * so_far // total - done
        done += part
        if part:
            days[day] = part
    return days
