"""One activity and one link: where an end stands, and what a link asks of it.

An activity's place is kept as the *number* of the worked slot it starts with, on its own calendar (for a
milestone right behind a slot: of the slot that would follow). So most links are a sum and a comparison, and
boundaries are looked up once at the end.
"""

from __future__ import annotations

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.network.activities import Activity, Dependency, ahead, closes
from unisequa.core.terms import LagUnit

UNDATED = -1
"""Stands for the boundary of an activity that has no date yet."""


NEVER = -(10**15)


FAR = 10**15


DATED = -(10**14)


OPEN = 10**14


def number_from(activity: Activity, end: str, bound: int) -> int:
    """The number of the first worked slot with which this end of an activity stands at or behind a bound."""
    calendar = activity.calendar
    if closes(activity, end):
        return calendar.index(bound - 1) + 1 - ahead(activity, end)
    return calendar.index(bound) - ahead(activity, end)


def number_until(activity: Activity, end: str, bound: int) -> int:
    """The number of the last worked slot with which this end of an activity stands at or before a bound."""
    calendar = activity.calendar
    if closes(activity, end):
        return calendar.index(bound) - ahead(activity, end)
    return calendar.index(bound + 1) - 1 - ahead(activity, end)


def span_at(activity: Activity, number: int) -> tuple[int, int]:
    """Start and finish of an activity that starts with this worked slot."""
    calendar = activity.calendar
    if activity.duration:
        return calendar.slot(number), calendar.slot(number + activity.duration - 1) + 1
    boundary = calendar.slot(number - 1) + 1 if activity.edge == "finish" else calendar.slot(number)
    return boundary, boundary


def place(activity: Activity, bound: int) -> tuple[int, int]:
    """Start and finish of an activity that may start at boundary ``bound`` and no earlier."""
    return span_at(activity, number_from(activity, "S", bound))


def lagged(link: Dependency, source: tuple[int, int], target: Activity) -> int:
    """The boundary that a link asks of its target's end: the end of its ``source`` (start, finish) ⊕ lag."""
    return boundary_behind(source[link.type[0] == "F"], link.lag, link.unit, target.calendar)


def boundary_behind(boundary: int, lag: int, unit: LagUnit, calendar: WorkingCalendar) -> int:
    """A boundary ⊕ lag."""
    return calendar.grid.elapse(boundary, lag) if unit == "elapsed" else calendar.advance(boundary, lag)


def number_asked(link: Dependency, source: tuple[int, int], target: Activity) -> int:
    """The number of the first worked slot that a link lets its target start with."""
    return number_from(target, link.type[1], lagged(link, source, target))


def misses(activity: Activity, end: str, bound: int, span: tuple[int, int]) -> bool:
    """Whether an activity that stands at a ``span`` stands before where a bound asks one of its ends to be."""
    return number_from(activity, end, bound) > number_from(activity, end, span[end == "F"])


def latest_source(link: Dependency, late: tuple[int, int], target: Activity) -> int:
    """The last boundary for the end of a link's source with which the target keeps its ``late`` start and finish.

    The inverse of :func:`lagged`.
    """
    return boundary_before(late[link.type[1] == "F"], link.lag, link.unit, target.calendar)


def boundary_before(boundary: int, lag: int, unit: LagUnit, calendar: WorkingCalendar) -> int:
    """The last boundary whose ⊕ lag is no later than ``boundary``: the inverse of :func:`boundary_behind`."""
    if not lag:
        return boundary
    if unit == "elapsed":
        return calendar.grid.elapse(boundary, -lag)
    if lag > 0:
        return calendar.slot(calendar.index(boundary) - lag)
    return calendar.slot(calendar.index(boundary + 1) - 1 - lag)
