"""The backward pass: late dates, slack, criticality and drivers.

The latest dates with which every successor keeps its late dates and every deadline holds: the inequalities of
:mod:`unisequa.core.network.forward` the other way round, with late dates on their left, and

    finish(P) ≤ deadline(P), end of the run
    start(P)  = its date, where somebody has fixed it

Slack is counted in worked slots of the activity's own calendar; a parent has the least of its children's.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from operator import sub

from unisequa.core.network.forward import Early, boundaries_of, forward
from unisequa.core.network.network import Network
from unisequa.core.network.places import (
    DATED,
    FAR,
    NEVER,
    OPEN,
    UNDATED,
    latest_source,
    number_asked,
    number_until,
    span_at,
)


@dataclass(frozen=True, slots=True)
class Schedule:
    """Boundaries and slack by position in the network; ``UNDATED`` where there is no date.

    ``drivers`` names, for each activity, the positions of the predecessors that hold it where it is.
    ``total_slack`` and ``free_slack`` are None for what is undated or over. ``latest`` is the last finish.
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
    return backward(network, forward(network), end)


def backward(network: Network, early: Early, end: int | None = None) -> Schedule:
    """Late dates and slack for given early dates.

    ``end`` is the run's deadline as a boundary; the latest finish without one.
    """
    activities, n = network.activities, len(network.activities)
    start, finish, numbers = early.start, early.finish, early.numbers
    dropped = {i for i in network.layout.apart if activities[i].stands == "dropped"}
    latest = max([b for i, b in enumerate(finish) if i not in dropped] if dropped else finish, default=UNDATED)
    if latest < 0:
        nowhere, nothing = [UNDATED] * n, [None] * n
        return Schedule(start, finish, nowhere, nowhere, nothing, nothing, [False] * n, [()] * n)
    late = _limits(network, latest if end is None else end)
    open_ = numbers
    if network.layout.apart or min(numbers) < DATED:
        open_ = [k if k >= DATED else FAR for k in numbers]
        for i, k in enumerate(open_):
            if k == FAR or activities[i].over:
                open_[i] = late[i] = FAR
    bounds = _Bounds(network, early, late, open_)
    drivers, gaps = bounds.drivers, bounds.gaps
    for links, special in network.layout.back:
        if special >= 0:
            bounds.settle(special)
        for source, target, gap in zip(*links, strict=True):
            asked = late[target] - gap
            if asked < late[source]:
                late[source] = asked
            room = open_[target] - gap - open_[source]
            if room < gaps[source]:
                gaps[source] = room
            if not room:
                drivers[target] += (source,)
    slacks = list(map(sub, late, open_))
    total: list[int | None] = [*slacks]
    free: list[int | None] = [slack if room > OPEN else room for slack, room in zip(total, gaps, strict=True)]
    if open_ is not numbers:
        for i, k in enumerate(open_):
            if k == FAR:
                total[i] = free[i] = None
                drivers[i] = ()
    for t in network.layout.odd_in:
        drivers[t] += tuple(bounds.odd_drivers(t))
    known = slacks if open_ is numbers else [slack for slack in total if slack is not None]
    smallest = min(known, default=1)
    for parent in sorted(network.children, key=network.rank.__getitem__):
        inner = network.children[parent]
        total[parent] = min((slack for i in inner if (slack := total[i]) is not None), default=None)
        free[parent] = min((slack for i in inner if (slack := free[i]) is not None), default=None)
    late_start, late_finish = _read_late(network, late, total)
    critical = [slack == smallest for slack in total] if smallest <= 0 else [False] * n
    return Schedule(start, finish, late_start, late_finish, total, free, critical, drivers, latest)


def _limits(network: Network, end: int) -> list[int]:
    """The number of the last slot with which each activity finishes by the end and by its own deadline."""
    late = [0] * len(network.activities)
    for calendar, positions in network.layout.members:
        limit = calendar.index(end)
        if len(positions) == len(late):
            late = [limit - duration for duration in network.layout.durations]
            continue
        for i in positions:
            late[i] = limit - network.layout.durations[i]
    for i in network.layout.milestones:
        late[i] = number_until(network.activities[i], "F", end)
    for i in network.layout.deadlines:
        activity = network.activities[i]
        assert activity.deadline is not None
        late[i] = min(late[i], number_until(activity, "F", activity.deadline))
    return late


def _read_late(network: Network, late: Sequence[int], total: Sequence[int | None]) -> tuple[list[int], list[int]]:
    numbers = late if None not in total else [NEVER if t is None else k for k, t in zip(late, total, strict=True)]
    if network.children:
        numbers = [NEVER if i in network.children else k for i, k in enumerate(numbers)]
    start, finish = boundaries_of(network, numbers, {})
    for parent in sorted(network.children, key=network.rank.__getitem__):
        inner = [i for i in network.children[parent] if start[i] != UNDATED]
        if inner:
            start[parent], finish[parent] = min(start[i] for i in inner), max(finish[i] for i in inner)
    return start, finish


class _Bounds:
    """The slower part of the backward pass: parents, fixed dates, and links whose distance is not always the same."""

    def __init__(self, network: Network, early: Early, late: list[int], open_: list[int]) -> None:
        self.network, self.early, self.late, self.open_ = network, early, late, open_
        self.gaps = [FAR] * len(late)
        self.drivers: list[tuple[int, ...]] = [()] * len(late)
        self.parents: dict[int, list[tuple[str, int, int]]] = {}

    def settle(self, t: int) -> None:
        """Bring the late number and the free slack of an activity down to what all its links ask."""
        network, late, open_, k = self.network, self.late, self.open_, self.open_[t]
        if k == FAR:
            if t in network.children:
                self.parents[t] = self._asked(t)  # for its children, which come later in this pass
            return
        activity, last, reach = network.activities[t], late[t], FAR
        if t in network.layout.over_out:
            rested = activity.calendar.rested
            for s, gap, behind in network.layout.over_out[t]:
                until = late[s] + behind
                until -= rested(until) + gap
                if until < last:
                    last = until
                stands = open_[s] + behind
                room = stands - rested(stands) - gap
                if room < reach:
                    reach = room
                if room <= k + 1 and k + gap + rested(k + gap) == stands:
                    self.drivers[s] += (t,)
        if t in network.layout.odd_out or t in network.parent_of:
            for side, until, stands in self._asked(t):
                last = min(last, number_until(activity, side, until))
                reach = min(reach, number_until(activity, side, stands))
        late[t] = k if k < last and activity.stands == "fixed" else last
        if reach - k < self.gaps[t]:
            self.gaps[t] = reach - k

    def _asked(self, position: int) -> list[tuple[str, int, int]]:
        """For each odd link out: the end of the source, its last boundary, the last that moves nothing."""
        bounds = []
        for link in self.network.layout.odd_out.get(position, ()):
            s = link.target
            if self.open_[s] == FAR:
                continue
            target = self.network.activities[s]
            stands = self.early.start[s], self.early.finish[s]
            late = stands if self.late[s] == self.open_[s] else span_at(target, self.late[s])
            bounds.append((link.type[0], latest_source(link, late, target), latest_source(link, stands, target)))
        if (parent := self.network.parent_of.get(position)) is not None:
            first = self.early.start[parent] == self.early.start[position]
            bounds += [bound for bound in self.parents.get(parent, ()) if bound[0] == "F" or first]
        return bounds

    def odd_drivers(self, t: int) -> Iterator[int]:
        """The sources of odd links that hold an activity where it stands."""
        network, k, start, finish = self.network, self.open_[t], self.early.start, self.early.finish
        activity = network.activities[t]
        for link in network.layout.odd_in[t] if k != FAR else ():
            span = start[link.source], finish[link.source]
            if span[0] != UNDATED and number_asked(link, span, activity) == k:
                yield link.source
