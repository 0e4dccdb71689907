"""What the reasons of all tasks of a plan share: its dates in words, and how links between them are said."""

from __future__ import annotations

import datetime as dt
from calendar import isleap
from collections.abc import Callable
from typing import Literal, NamedTuple

from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.calendars.words import DateWords, slots_words
from unisequa.core.network.activities import Activity, Dependency, distance, may_rest
from unisequa.core.network.places import number_from, span_at
from unisequa.core.plan.plan import Plan, read
from unisequa.core.plan.task import Task

Kind = Literal[
    "anchor", "link", "phase", "opening", "not before", "awaits", "late", "kept", "put", "fixed", "begun", "done",
    "dropped", "parts", "undated",
]  # fmt: skip
LONGEST_TITLE = 60
_THERE = "\0"
_KEPT = 4096

Known = tuple[Task, tuple[int, int] | None, Grid]
"""A task, its dates as people read them, and the grid."""

Say = Callable[[int], str]
"""A date as people read it, in words."""


class Reason(NamedTuple):
    """One floor of a task.

    Parameters
    ----------
    kind : str
        What asks for it.
    day : int or None
        The date it asks for, as people read it: the due date for what is asked of the end, else the first.
    binding : bool
        Whether the task is where it is because of this one.
    source : str, optional
        The task a link comes from.
    """

    kind: Kind
    day: int | None
    binding: bool
    text: str
    source: str | None = None


def short(title: str) -> str:
    """A title that fits into a line with others."""
    return title if len(title) <= LONGEST_TITLE else title[: LONGEST_TITLE - 1].rstrip() + "…"


def bound(kind: Kind, day: int, binding: bool, text: str, source: str | None = None) -> Reason:
    """A reason whose words say whether it binds."""
    return Reason(kind, day, binding, f"{text}, binding" if binding else text, source)


class _Shape(NamedTuple):
    """What all links of one kind between tasks of one kind have in common.

    Parameters
    ----------
    gap : int or None
        As :func:`~unisequa.core.network.activities.distance` gives it; None also where that may be one more.
    before, behind : str
        What stands around the words for the source and where it stands.
    """

    gap: int | None
    before: str
    behind: str


class _Iso(dict[int | None, str | None]):
    """Dates as documents write them, each worked out once."""

    def __init__(self, grid: Grid) -> None:
        self.grid = grid

    def __missing__(self, date: int | None) -> str | None:
        text = self[date] = None if date is None else self.grid.iso(date)
        return text


class Telling:
    """What the reasons of all tasks of a plan share: what its knots hand on, and its dates in words.

    Parameters
    ----------
    years : bool
        Whether every date carries its year; otherwise only those more than half a year from the plan's today.
    """

    def __init__(self, plan: Plan, *, years: bool = False) -> None:
        start, finish = plan.schedule.start, plan.schedule.finish
        self.plan, self.grid = plan, plan.grid
        self.fronts = plan.network.fronts(lambda i: (start[i], finish[i]))
        today = None if plan.today is None else plan.grid.day(plan.today)
        self.said: list[int] = []
        self.words = DateWords(plan.grid, today, years=years)
        self.iso = _Iso(plan.grid)
        n = len(plan.tasks)
        self._activities, self._start, self._children = plan.network.activities, start, plan.network.children
        self._numbers: list[int | None] = [None] * n
        self._yearly: Telling | None = None
        self._shapes: dict[tuple[object, ...], _Shape] = {}
        self._ends: dict[int, str] = {}
        self._known: list[Known | None] = [None] * n
        self._year = (0, 0)

    def day(self, date: int) -> str:
        """A date in words; that it was said is remembered."""
        self.said.append(date)
        return self.words[date]

    def known(self, position: int) -> Known:
        """A task with its dates."""
        known = self._known[position]
        if known is None:
            known = self._known[position] = (self.plan.tasks[position], self.plan.read(position), self.grid)
        return known

    def number(self, position: int) -> int:
        """The number of the worked slot that a task starts with."""
        number = self._numbers[position]
        if number is None:
            activity, start = self.plan.network.activities[position], self.plan.schedule.start[position]
            number = self._numbers[position] = number_from(activity, "S", start)
        return number

    def yearly(self) -> Telling:
        """The same with the year in every date."""
        if self._yearly is None:
            self._yearly = Telling(self.plan, years=True)
            self._yearly.fronts = self.fronts
            self._yearly._known, self._yearly._numbers = self._known, self._numbers
        return self._yearly

    def asked(self, link: Dependency, activity: Activity, stands: int, dates: tuple[int, int]) -> Reason | None:
        """What a link asks of a task that starts with worked slot number ``stands`` and has these dates as people read
        them; None where that is not simply so many worked slots behind its source, or no longer holds."""
        at, kind = link.source, link.type
        source = self._activities[at]
        if source.stands or source.undated or self._start[at] < 0 or at in self._children:
            return None
        calendar = activity.calendar
        alike = (
            kind, link.lag, link.unit, source.duration, source.edge, activity.duration, activity.edge,
            calendar.per_day, source.calendar is calendar,
        )  # fmt: skip
        gap, before, behind = self._shapes.get(alike) or self._shape(alike, link, source, activity)
        if gap is None:
            return None
        number = self._numbers[at]
        number = (self.number(at) if number is None else number) + gap
        if number > stands:
            return None
        if number != stands:
            span = read(self.plan.tasks[link.target], *span_at(activity, number), self.grid)
            assert span
            dates = span
        day = dates[kind[1] == "F"]
        known = self._known[at] or self.known(at)
        there = known[1]
        assert there
        self.said += (day, there[kind[0] == "F"])
        text = f"{before}{self._there(at, kind[0], known)}{behind} → {self.words[day]}"
        return bound("link", day, number == stands, text, known[0].key)

    def _shape(self, alike: tuple[object, ...], link: Dependency, source: Activity, target: Activity) -> _Shape:
        """What links that are alike in all this have in common, worked out once."""
        day = target.calendar.per_day if link.unit == "working" else MINUTES
        amounts = slots_words(abs(link.lag), self.grid, day, working=link.unit == "working") if link.lag else ""
        gap = None if may_rest(link, source, target) else distance(link, source, target)
        before, behind = phrase(link.type, _THERE, amounts, link.lag < 0).split(_THERE)
        shape = self._shapes[alike] = _Shape(gap, before, behind)
        return shape

    def _there(self, position: int, end: str, known: Known) -> str:
        """A source and where an end of it stands; most links begin at the last, so that is kept for a while."""
        words = self._ends.get(position) if end == "F" else None
        if words is None:
            title, stands = there_words(known, end, self.words.__getitem__)
            words = f"{title} ({stands})"
            if end == "F":
                if len(self._ends) >= _KEPT:
                    self._ends.clear()
                self._ends[position] = words
        return words

    def two_years(self) -> bool:
        """Whether the dates said lie in more than one year."""
        if not self.said:
            return False
        first, last = min(self.said), max(self.said)
        if not self._year[0] <= first < self._year[1]:
            year = dt.date.fromordinal(self.grid.day(first))
            begins = year.replace(month=1, day=1).toordinal()
            self._year = self.grid.day_start(begins), self.grid.day_start(begins + 365 + isleap(year.year))
        return last >= self._year[1]


def there_words(known: Known, end: str, say: Say) -> tuple[str, str]:
    """A source's name, and where the end of it stands: ``ends Wed 5 Aug``."""
    task, dates, _ = known
    verb = ("ends" if end == "F" else "starts") if task.duration else "falls on"
    return short(task.title), f"{verb} {say(dates[end == 'F'])}" if dates else "has no date yet"


def phrase(kind: str, there: str, amounts: str, lead: bool) -> str:
    """How a link of a type holds, with the lags on the way in words."""
    if kind == "FS":
        if not amounts:
            return f"after {there}"
        return f"{amounts} before the end of {there}" if lead else f"after {there}, with {amounts} between"
    side = "before" if lead else "after"
    if kind == "SS":
        return f"{amounts} {side} the start of {there}" if amounts else f"with the start of {there}"
    end = "the end" if kind[0] == "F" else "the start"
    if amounts:
        return f"not to end before {amounts} {side} {end} of {there}"
    return f"to end with {there}" if kind[0] == "F" else f"not to end before the start of {there}"
