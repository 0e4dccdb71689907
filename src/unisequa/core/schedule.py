"""Both passes over a network: dates, late dates, slack, criticality and drivers.

Forward, in topological order, each activity starts at the earliest worked slot at or behind every floor:

    start(S) ≥ floor(S)                      target, or where a run has put it
    start(S)  ≥ finish(P) ⊕ lag              finish-to-start
    start(S)  ≥ start(P)  ⊕ lag              start-to-start
    finish(S) ≥ finish(P) ⊕ lag              finish-to-finish
    finish(S) ≥ start(P)  ⊕ lag              start-to-finish

Backward, the latest dates with which every successor keeps its late dates and every deadline holds:
the same inequalities the other way round, with late dates on their left, and

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
    ``total_slack`` and ``free_slack`` are None for what is undated or done. ``latest`` is the last finish.
    """

    start: Sequence[int]
    finish: Sequence[int]
    late_start: Sequence[int]
    late_finish: Sequence[int]
    total_slack: Sequence[int | None]
    free_slack: Sequence[int | None]
    critical: Sequence[bool]
    drivers: Sequence[tuple[int, ...]]
    latest: int = UNDATED


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


def lagged(boundary: int, link: Dependency, calendar: WorkingCalendar) -> int:
    """``boundary ⊕ lag``, a working lag counted on the calendar of the link's target."""
    if link.unit == "elapsed":
        return boundary + link.lag
    return calendar.advance(boundary, link.lag)


def bound_of(link: Dependency, source: tuple[int, int], target: Activity) -> int:
    """The boundary before which a link does not let its target start.

    Parameters
    ----------
    source : tuple of int
        Start and finish of the link's source.
    """
    asked = lagged(source[link.type[0] == "F"], link, target.calendar)
    if link.type[1] == "S" or not target.duration:
        return asked
    return target.calendar.worked_day(asked - 1, 1 - target.duration)  # so that it finishes at or after it


def latest_source(link: Dependency, late: tuple[int, int], calendar: WorkingCalendar) -> int:
    """The last boundary of a link's source with which its target still keeps its late dates.

    The inverse of :func:`bound_of` and :func:`place` together. ``late`` are the target's start and finish,
    ``calendar`` its calendar; the boundary is the source's start or finish as the link's type says.
    """
    boundary = late[link.type[1] == "F"]
    if not link.lag:
        return boundary
    if link.unit == "elapsed":
        return boundary - link.lag
    if link.lag > 0:
        return calendar.worked_day(boundary, -link.lag)
    return calendar.worked_day(boundary + 1, -link.lag - 1)


def _as_finish(link: Dependency, boundary: int, source: Activity) -> int:
    """A bound on a link's source as a bound on its finish."""
    if link.type[0] == "F" or not source.duration:
        return boundary
    start = source.calendar.worked_day(boundary + 1, -1)
    return source.calendar.advance(start, source.duration)


class _Tables:
    """The tables of a network's calendars, and how they grow together."""

    def __init__(self, network: Network, lo: int, hi: int) -> None:
        self.calendars = network.calendars
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
    floors = network.floors
    known = [floor for floor in floors if floor >= 0]
    start, finish = [UNDATED] * n, [UNDATED] * n
    drivers: list[tuple[int, ...]] = [()] * n
    if not known:
        return start, finish, drivers
    tables = _Tables(network, min(known), max(known) + 1)
    order, before_links, calendar_of = network.order, network.before, network.calendar_of
    durations, plain = network.durations, network.plain_in
    at = 0
    rows = tables.rows()
    while at < n:
        try:
            for at in range(at, n):  # noqa: B020 - resumes where it stopped
                t = order[at]
                bound = floors[t]
                sources = before_links[t]
                for p in sources:
                    if finish[p] > bound:
                        bound = finish[p]
                if plain[t]:  # nine of ten: a task with a duration, no lag, no constraint
                    if bound < 0:
                        continue
                    before, worked, lo = rows[calendar_of[t]]
                    if bound <= lo:
                        raise _TooEarly
                    k = before[bound - lo]
                    start[t] = worked[k]
                    finish[t] = worked[k + durations[t] - 1] + 1
                    if sources:
                        held = worked[k - 1] if k else lo - 1
                        if len(sources) == 1:
                            if finish[sources[0]] > held:
                                drivers[t] = sources
                        else:
                            drivers[t] = tuple([p for p in sources if finish[p] > held])
                    continue
                _place_any(network, t, bound, start, finish, drivers, rows[calendar_of[t]])
            break
        except IndexError:
            tables.grow()
        except _TooEarly:
            tables.grow(back=True)
        rows = tables.rows()
    return start, finish, drivers


def _place_any(
    network: Network,
    t: int,
    bound: int,
    start: list[int],
    finish: list[int],
    drivers: list[tuple[int, ...]],
    row: tuple[list[int], list[int], int],
) -> None:
    """Place one activity of any kind: with lags, constraints, or a milestone."""
    activity = network.activities[t]
    asked = [
        (link.source, bound_of(link, (start[link.source], finish[link.source]), activity))
        for link in network.lagged_in[t]
        if finish[link.source] >= 0
    ]
    asked += [(p, finish[p]) for p in network.before[t] if finish[p] >= 0]
    bound = max([bound, *(b for _, b in asked)])
    if bound < 0:
        return
    if activity.not_before is not None and bound < activity.not_before:
        bound = activity.not_before
    before, worked, lo = row
    if bound <= lo:
        raise _TooEarly
    after = 1 if not activity.duration and activity.edge == "finish" else 0  # stands behind its day
    k = before[bound - after - lo]
    start[t] = finish[t] = worked[k] + after
    if activity.duration:
        finish[t] = worked[k + activity.duration - 1] + 1
    held = (worked[k - 1] if k else lo - 1) + after
    drivers[t] = tuple(dict.fromkeys(p for p, b in asked if b > held))


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
    first = min((b for b in start if b >= 0), default=UNDATED)
    if latest < 0:
        nowhere = [UNDATED] * n
        return Schedule(start, finish, nowhere, nowhere, total, free, [False] * n, drivers)
    limit = latest if end is None else end
    tables = _Tables(network, min(first, limit) - 1, max(latest, limit) + 1)
    activities, calendar_of = network.activities, network.calendar_of
    durations, ordinary = network.durations, network.plain_out
    after_links, lagged_out = network.after, network.lagged_out
    early = [b if b >= 0 and not a.done else _FAR for b, a in zip(start, activities, strict=True)]
    backwards = network.order[::-1]
    at = 0
    rows = tables.rows()
    while at < n:
        try:
            for at in range(at, n):  # noqa: B020 - resumes where it stopped
                t = backwards[at]
                first = early[t]
                if first == _FAR:
                    continue
                bound, reach = limit, _FAR
                for s in after_links[t]:
                    if late_start[s] < bound:
                        bound = late_start[s]
                    if early[s] < reach:
                        reach = early[s]
                before, worked, lo = rows[calendar_of[t]]
                duration = durations[t]
                if not ordinary[t]:
                    activity = activities[t]
                    for link in lagged_out[t]:
                        s = link.target
                        if early[s] != _FAR:
                            calendar = activities[s].calendar
                            late = latest_source(link, (late_start[s], late_finish[s]), calendar)
                            bound = min(bound, _as_finish(link, late, activity))
                            stands = latest_source(link, (early[s], finish[s]), calendar)
                            reach = min(reach, _as_finish(link, stands, activity))
                    if activity.deadline is not None and activity.deadline < bound:
                        bound = activity.deadline
                    if not duration and activity.edge == "start":  # its boundary is the day it begins
                        if bound <= lo:
                            raise _TooEarly
                        k = before[bound + 1 - lo] - 1
                        if k < 0:
                            raise _TooEarly
                        late_finish[t] = late_start[t] = worked[k]
                        total[t] = slack = k - before[first - lo]
                        free[t] = slack if reach == _FAR else before[reach + 1 - lo] - 1 - before[first - lo]
                        continue
                if bound < lo:
                    raise _TooEarly
                k = before[bound - lo]
                begins = k - duration
                if begins < 0 or not k:
                    raise _TooEarly
                last = worked[k - 1] + 1
                late_finish[t] = last
                late_start[t] = worked[begins] if duration else last
                first_k = before[first - lo]
                total[t] = slack = begins - first_k
                free[t] = slack if reach == _FAR else before[reach - lo] - first_k - duration
            break
        except IndexError:
            tables.grow()
        except _TooEarly:
            tables.grow(back=True)
        rows = tables.rows()
    smallest = min((slack for slack in total if slack is not None), default=1)
    tightest = smallest if smallest <= 0 else None
    critical = [tightest is not None and slack == tightest for slack in total]
    late_start = [UNDATED if b == _FAR else b for b in late_start]
    late_finish = [UNDATED if b == _FAR else b for b in late_finish]
    return Schedule(start, finish, late_start, late_finish, total, free, critical, drivers, latest)
