"""Both passes over a network: dates, late dates, slack, criticality and drivers.

Forward, in topological order, each activity starts at the earliest worked slot at or behind every floor:

    start(S) ≥ floor(S)                      target, or where a run has put it
    start(S) ≥ finish(P) ⊕ lag               for every link P → S, finish-to-start

Backward, the latest finish that keeps every successor at or before its late start and every deadline:

    finish(P) ⊕ lag ≤ late start(S)          for every link P → S
    finish(P) ≤ deadline(P), end of the run

A working lag is counted on the calendar of the link's target. Slack is counted in worked slots of the
activity's own calendar. Boundaries and calendars are those of :mod:`unisequa.core.calendar`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from unisequa.core.calendar import LAST_DAY, WorkingCalendar
from unisequa.core.network import Activity, Dependency, Network

UNDATED = -1
"""Stands for the boundary of an activity that has no date yet."""

_FAR = LAST_DAY + 2


@dataclass(frozen=True, slots=True)
class Schedule:
    """Boundaries and slack by position in the network; ``UNDATED`` where there is no date.

    ``drivers`` names, for each activity, the positions of the predecessors that hold it where it is.
    ``total_slack`` and ``free_slack`` are None for what is undated or done.
    """

    start: Sequence[int]
    finish: Sequence[int]
    late_start: Sequence[int]
    late_finish: Sequence[int]
    total_slack: Sequence[int | None]
    free_slack: Sequence[int | None]
    critical: Sequence[bool]
    drivers: Sequence[tuple[int, ...]]

    @property
    def span(self) -> tuple[int, int]:
        """First start and last finish; both ``UNDATED`` when nothing has a date."""
        return span_of(self.start, self.finish)


def span_of(start: Sequence[int], finish: Sequence[int]) -> tuple[int, int]:
    """First start and last finish of what has dates."""
    return min((b for b in start if b >= 0), default=UNDATED), max(finish, default=UNDATED)


def place(activity: Activity, bound: int) -> tuple[int, int]:
    """Start and finish of an activity that may start at boundary ``bound`` and no earlier."""
    calendar = activity.calendar
    if activity.duration:
        start = calendar.roll_forward(bound)
        return start, calendar.advance(start, activity.duration)
    if activity.edge == "start":
        boundary = calendar.roll_forward(bound)
    else:
        boundary = calendar.roll_forward(bound - 1) + 1
    return boundary, boundary


def lagged(finish: int, link: Dependency, calendar: WorkingCalendar) -> int:
    """``finish ⊕ lag``: the boundary a link asks its target not to start before."""
    if link.unit == "elapsed":
        return finish + link.lag
    return calendar.advance(finish, link.lag)


def latest_source(link: Dependency, target: Activity, late: int) -> int:
    """The last finish of a link's source with which its target still starts by ``late``.

    The inverse of :func:`lagged` followed by :func:`place`; ``late`` is a boundary the target may stand on.
    """
    if not link.lag:
        return late
    if link.unit == "elapsed":
        return late - link.lag
    if target.duration or target.edge == "start" or link.lag > 0:
        return target.calendar.worked_day(late, -link.lag)
    return target.calendar.worked_day(late + 1, -link.lag - 1)


class _Tables:
    """The calendars of a network, each once, and which activity uses which."""

    def __init__(self, network: Network) -> None:
        numbers: dict[int, int] = {}
        self.calendars: list[WorkingCalendar] = []
        self.of: list[int] = []
        for activity in network.activities:
            number = numbers.setdefault(id(activity.calendar), len(self.calendars))
            if number == len(self.calendars):
                self.calendars.append(activity.calendar)
            self.of.append(number)

    def cover(self, lo: int, hi: int) -> None:
        for calendar in self.calendars:
            calendar.cover(lo, hi)

    def grow(self, *, back: bool = False) -> None:
        for calendar in self.calendars:
            calendar.grow(back=back)

    def rows(self) -> list[tuple[list[int], list[int], int]]:
        return [(c.before, c.worked, c.lo) for c in self.calendars]


def schedule(network: Network, end: int | None = None) -> Schedule:
    """Both passes.

    Parameters
    ----------
    network : Network
    end : int, optional
        The run's deadline as a boundary; without it late dates run back from the latest finish.

    Raises
    ------
    DateRangeError
        When a date falls outside the years 1 to 9999.
    """
    start, finish, drivers = forward(network)
    return backward(network, start, finish, drivers, end)


def forward(network: Network) -> tuple[list[int], list[int], list[tuple[int, ...]]]:
    """Earliest start and finish of every activity, and the predecessors that bind it."""
    n = len(network.activities)
    floors = [
        UNDATED
        if activity.floor is None
        else activity.floor
        if activity.not_before is None
        else max(activity.floor, activity.not_before)
        for activity in network.activities
    ]
    known = [floor for floor in floors if floor >= 0]
    start, finish = [UNDATED] * n, [UNDATED] * n
    drivers: list[tuple[int, ...]] = [()] * n
    if not known:
        return start, finish, drivers
    tables = _Tables(network)
    tables.cover(min(known), max(known) + 1)
    calendar_of, activities = tables.of, network.activities
    order, before_links, lagged_in = network.order, network.before, network.lagged_in
    place_in_order = 0
    rows = tables.rows()
    while place_in_order < n:
        try:
            for place_in_order in range(place_in_order, n):  # noqa: B020 - resumes where it stopped
                t = order[place_in_order]
                bound = floors[t]
                sources = before_links[t]
                for p in sources:
                    bound = max(bound, finish[p])
                if lagged_in[t]:
                    calendar = activities[t].calendar
                    for link in lagged_in[t]:
                        if finish[link.source] >= 0:
                            bound = max(bound, lagged(finish[link.source], link, calendar))
                if bound < 0:
                    continue
                activity = activities[t]
                before, worked, lo = rows[calendar_of[t]]
                if bound <= lo:
                    raise _TooEarly
                if activity.not_before is not None and bound < activity.not_before:
                    bound = activity.not_before
                if activity.duration:
                    k = before[bound - lo]
                    start[t] = worked[k]
                    finish[t] = worked[k + activity.duration - 1] + 1
                    held = worked[k - 1] if k else lo - 1
                elif activity.edge == "start":
                    k = before[bound - lo]
                    start[t] = finish[t] = worked[k]
                    held = worked[k - 1] if k else lo - 1
                else:
                    k = before[bound - 1 - lo]
                    start[t] = finish[t] = worked[k] + 1
                    held = worked[k - 1] + 1 if k else lo - 1
                if sources:
                    drivers[t] = tuple([p for p in sources if finish[p] > held])
                if lagged_in[t]:
                    drivers[t] += tuple(
                        link.source
                        for link in lagged_in[t]
                        if finish[link.source] >= 0 and lagged(finish[link.source], link, activity.calendar) > held
                    )
            break
        except IndexError:
            tables.grow()
        except _TooEarly:
            tables.grow(back=True)
        rows = tables.rows()
    return start, finish, drivers


class _TooEarly(Exception):
    """A boundary lies before the tables begin."""


def backward(
    network: Network,
    start: Sequence[int],
    finish: Sequence[int],
    drivers: Sequence[tuple[int, ...]],
    end: int | None = None,
) -> Schedule:
    """Late dates and slack for given early dates, which may be a run's own rather than :func:`forward`'s."""
    n = len(network.activities)
    latest = max(finish, default=UNDATED)
    late_start, late_finish = [_FAR] * n, [_FAR] * n
    total: list[int | None] = [None] * n
    free: list[int | None] = [None] * n
    tables = _Tables(network)
    first = min((b for b in start if b >= 0), default=UNDATED)
    if latest < 0:
        nowhere = [UNDATED] * n
        return Schedule(start, finish, nowhere, nowhere, total, free, [False] * n, drivers)
    limit = latest if end is None else end
    tables.cover(min(first, limit) - 1, max(latest, limit) + 1)
    activities, calendar_of = network.activities, tables.of
    after_links, lagged_out = network.after, network.lagged_out
    early = [b if b >= 0 and not a.done else _FAR for b, a in zip(start, activities, strict=True)]
    smallest: int | None = None
    rows = tables.rows()
    backwards = network.order[::-1]
    place_in_order = 0
    while place_in_order < n:
        try:
            for place_in_order in range(place_in_order, n):  # noqa: B020 - resumes where it stopped
                t = backwards[place_in_order]
                if early[t] == _FAR:
                    continue
                bound, reach = limit, _FAR
                for s in after_links[t]:
                    bound = min(bound, late_start[s])
                    reach = min(reach, early[s])
                for link in lagged_out[t]:
                    s = link.target
                    if early[s] != _FAR:
                        bound = min(bound, latest_source(link, activities[s], late_start[s]))
                        reach = min(reach, latest_source(link, activities[s], early[s]))
                activity = activities[t]
                if activity.deadline is not None and activity.deadline < bound:
                    bound = activity.deadline
                before, worked, lo = rows[calendar_of[t]]
                duration = activity.duration
                first_k = before[early[t] - lo]
                if duration or activity.edge == "finish":
                    if bound < lo:
                        raise _TooEarly
                    k = before[bound - lo] - 1
                    if k - duration + 1 < 0:
                        raise _TooEarly
                    late_finish[t] = worked[k] + 1
                    late_start[t] = worked[k - duration + 1] if duration else worked[k] + 1
                    slack = k - duration + 1 - first_k
                else:
                    if bound <= lo:
                        raise _TooEarly
                    k = before[bound + 1 - lo] - 1
                    if k < 0:
                        raise _TooEarly
                    late_finish[t] = late_start[t] = worked[k]
                    slack = k - first_k
                total[t] = slack
                if reach == _FAR:
                    free[t] = slack
                elif duration or activity.edge == "finish":
                    free[t] = before[reach - lo] - first_k - duration
                else:
                    free[t] = before[reach + 1 - lo] - 1 - first_k
                if smallest is None or slack < smallest:
                    smallest = slack
            break
        except IndexError:
            tables.grow()
        except _TooEarly:
            tables.grow(back=True)
        rows = tables.rows()
    tightest = smallest if smallest is not None and smallest <= 0 else None
    critical = [tightest is not None and slack == tightest for slack in total]
    late_start = [UNDATED if b == _FAR else b for b in late_start]
    late_finish = [UNDATED if b == _FAR else b for b in late_finish]
    return Schedule(start, finish, late_start, late_finish, total, free, critical, drivers)
