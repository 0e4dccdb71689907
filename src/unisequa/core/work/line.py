"""A run as the horizon draws it: one line, worked out for a day.

What depends on the day is kept with it: how the run stands, the progress mark, what is late.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from unisequa.core.calendars.words import count_words
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED
from unisequa.core.work.outlook import Outlook
from unisequa.core.work.task_states import late_by


@dataclass(frozen=True, slots=True)
class RunLine:
    """A run in a line; days as people read them, both ends included.

    Parameters
    ----------
    expected : int, optional
        The last day by the plan caught up to the day this was worked out for.
    ahead : int
        Working days ahead by earned schedule, rounded, negative behind.
    mark : int, optional
        The day up to which the work that is over was planned: that day and the difference.
    late : int
        Working days by which the latest task is late.
    slack : int, optional
        The least room of a task that is not over, in working days.
    phase : str
        The key of the phase that it is in: the first that is not over.
    """

    first: int | None
    last: int | None
    expected: int | None
    deadline: int | None
    standing: str
    reason: str
    ahead: int
    mark: int | None
    tasks: int
    over: int
    late: int
    slack: int | None
    phase: str


LANES = 3
"""Into how many lines the phases of a run are laid at most."""


def laned(phases: Iterable[tuple[str, str, int, int, int, int]]) -> list[list[str | int]]:
    """Phases (key, label, first and last day, tasks over, tasks) with the line that each is drawn in: as few as they
    need, :data:`LANES` at most; one that finds none lies over those that end first.

    >>> [phase[-1] for phase in laned([("a", "A", 1, 5, 0, 1), ("b", "B", 4, 9, 0, 1), ("c", "C", 6, 7, 0, 1)])]
    [0, 1, 0]
    """
    ends: list[int] = []
    made: list[list[str | int]] = []
    for key, label, first, last, over, tasks in phases:
        lane = next((n for n, end in enumerate(ends) if end < first), None)
        if lane is None:
            lane = len(ends) if len(ends) < LANES else ends.index(min(ends))
        if lane == len(ends):
            ends.append(last)
        ends[lane] = max(ends[lane], last)
        made.append([key, label, first, last, over, tasks, lane])
    return made


def line_of(plan: Plan, stands: Outlook, over: frozenset[str], phase: str, planned: int | None = None) -> RunLine:
    """The line of a run on its plan's day; of one in which nothing is open how it ended.

    Parameters
    ----------
    over : frozenset of str
        The tasks that count as over by then.
    phase : str
        The one it is in.
    planned : int, optional
        The last day of its first baseline.
    """
    grid, calendar = plan.grid, plan.calendars[None]
    leaves = [i for i in range(len(plan.tasks)) if not plan.is_parent(i)]
    open_ = [i for i in leaves if plan.tasks[i].key not in over and plan.tasks[i].state not in FINISHED]
    reach = plan.reach()
    ahead = 0 if stands.ahead is None else _days(stands.ahead, calendar.per_day)
    mark = None
    if stands.ahead is not None and plan.today is not None:
        mark = _marked(plan, stands.ahead)
    if leaves and not open_ and reach and planned is not None:
        return _ended(plan, reach, planned, len(leaves), phase)
    rooms = [room[0] for i in open_ if (room := plan.room(i)) is not None]
    return RunLine(
        reach[0] if reach else None,
        reach[1] if reach else None,
        stands.ends,
        None if plan.end is None else grid.day(grid.inclusive(plan.end)),
        stands.standing,
        stands.reason,
        ahead,
        mark,
        len(leaves),
        len(leaves) - len(open_),
        max((_late_days(plan, i) for i in open_), default=0),
        min(rooms) // calendar.per_day if rooms else None,
        phase,
    )


def _ended(plan: Plan, reach: tuple[int, int], planned: int, tasks: int, phase: str) -> RunLine:
    """How a run ended whose tasks are all over: by how many working days later or earlier than was planned at first."""
    calendar, grid = plan.calendars.by_day[None], plan.grid
    late = calendar.count(planned + 1, reach[1] + 1)
    standing = "behind" if late > 0 else "ahead" if late < 0 else "on time"
    deadline = None if plan.end is None else grid.day(grid.inclusive(plan.end))
    return RunLine(*reach, reach[1], deadline, standing, "", -late, None, tasks, tasks, max(0, late), None, phase)


def _days(slots: Fraction, per_day: int) -> int:
    return round(slots / per_day)


def _late_days(plan: Plan, i: int) -> int:
    late = late_by(plan, i)
    return max(0, -(-late // plan.network.activities[i].calendar.per_day))


def _marked(plan: Plan, ahead: Fraction) -> int | None:
    """The working day that many working days from the last one up to today."""
    calendar, grid = plan.calendars.by_day[None], plan.grid
    assert plan.today is not None
    now = calendar.index(grid.day(plan.today) + 1) - 1
    return calendar.nth_day(now + _days(ahead, plan.calendars[None].per_day))


def standing_words(standing: str, ahead: int, late: int) -> str:
    """How a run stands in a word or two: ``3 d behind``, ``2 d ahead``, ``on time``.

    >>> standing_words("behind", -1, 3), standing_words("ahead", 2, 0), standing_words("on time", 0, 0)
    ('3 d behind', '2 d ahead', 'on time')
    """
    if standing == "behind":
        days = max(-ahead, late)
        return f"{days} d behind" if days > 0 else "behind"
    return f"{ahead} d ahead" if standing == "ahead" and ahead > 0 else standing


def run_words(name: str, template: str) -> str:
    """A run's name without the name of its template in front, where a mark parts the two.

    >>> run_words("Return of a loan: the clocks", "Return of a loan")
    'The clocks'
    >>> run_words("Cash count November 2026", "Cash count")
    'Cash count November 2026'
    """
    rest = name.removeprefix(template).lstrip()
    short = rest.lstrip(" :,–-")
    parted = rest != name and rest[:1] in {":", ",", "–", "-"}
    return short[:1].upper() + short[1:] if short and parted else name


def tasks_words(over: int, tasks: int) -> str:
    """``3 of 10 tasks over``."""
    return f"{over} of {count_words(tasks, 'task')} over"
