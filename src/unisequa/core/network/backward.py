"""The backward pass: late dates, slack, criticality and drivers.

The latest dates with which every successor keeps its late dates and every deadline holds: the inequalities of
:mod:`unisequa.core.network.forward` the other way round, with late dates on their left, and

    finish(P) ≤ deadline(P), end of the run
    start(P)  = its date, where somebody has fixed it

Slack is counted in worked slots of the activity's own calendar; a parent has the least of its children's. Anchor slack
is found by the same pass from other limits: what is measured from an anchor must be over by its day.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from operator import sub
from typing import cast

from unisequa.core.network.forward import Early, boundaries_of, forward
from unisequa.core.network.knots import Backs
from unisequa.core.network.layout import Over
from unisequa.core.network.network import Network
from unisequa.core.network.places import (
    DATED,
    FAR,
    NEVER,
    OPEN,
    UNDATED,
    latest_source,
    number_asked,
    number_from,
    number_until,
    span_at,
)


@dataclass(frozen=True, slots=True)
class AnchorLimit:
    """What must be over by an anchor: position → the end that is held and the last boundary for it."""

    anchor: str
    until: Mapping[int, tuple[str, int]]


@dataclass(frozen=True, slots=True)
class Schedule:
    """Boundaries and slack by position in the network; ``UNDATED`` where there is no date.

    ``drivers`` names, for each activity, the positions of the predecessors that hold it where it is.
    ``total_slack`` and ``free_slack`` are None for what is undated or over. ``latest`` is the last finish.
    ``anchor_slack`` is the room before the anchor named in ``slack_to``; both are None where no anchor limits it.
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
    anchor_slack: Sequence[int | None] = ()
    slack_to: Sequence[str | None] = ()


def schedule(network: Network, end: int | None = None, anchors: Sequence[AnchorLimit] = ()) -> Schedule:
    """Both passes.

    Parameters
    ----------
    network : Network
    end : int, optional
        The run's deadline as a boundary; without it late dates run back from the latest finish.
    anchors : sequence of AnchorLimit
        Of two with the same slack the first is named.

    Raises
    ------
    DateRangeError
        When a date falls outside the years 1 to 9999.
    """
    return backward(network, forward(network), end, anchors)


def backward(network: Network, early: Early, end: int | None = None, anchors: Sequence[AnchorLimit] = ()) -> Schedule:
    """Late dates and slack for given early dates.

    ``end`` is the run's deadline as a boundary; the latest finish without one.
    """
    activities, n = network.activities, len(network.activities)
    start, finish, numbers = early.start, early.finish, early.numbers
    dropped = {i for i in network.layout.apart if activities[i].stands == "dropped"}
    latest = max([b for i, b in enumerate(finish) if i not in dropped] if dropped else finish, default=UNDATED)
    nothing: list[None] = [None] * n
    if latest < 0:
        nowhere = [UNDATED] * n
        return Schedule(
            start, finish, nowhere, nowhere, nothing, nothing, [False] * n, [()] * n, UNDATED, nothing, nothing
        )
    late = _limits(network, latest if end is None else end)
    open_ = numbers
    if network.layout.apart or not early.whole:
        open_ = [k if k >= DATED else FAR for k in numbers]
        for i, k in enumerate(open_):
            if k == FAR or activities[i].over:
                open_[i] = late[i] = FAR
    first = _BeforeAnchor(network, early, open_, anchors[0]) if anchors else None
    bounds = _Bounds(network, early, late, open_, first)
    drivers, gaps, before = bounds.drivers, bounds.gaps, None if first is None else first.late
    for links, special, over, rested in network.layout.back:
        if rested is not None:
            bounds.settle_over(special, over, rested, before)
        elif special >= 0:
            bounds.settle(special)
        if before is not None:  # here and not in a pass of its own, which would take twice as long
            for source, target, gap in links:
                asked = before[target] - gap
                if asked < before[source]:
                    before[source] = asked
                asked = late[target] - gap
                if asked < late[source]:
                    late[source] = asked
                room = open_[target] - gap - open_[source]
                if room < gaps[source]:
                    gaps[source] = room
                if not room:
                    drivers[target] += (source,)
            continue
        for source, target, gap in links:
            asked = late[target] - gap
            if asked < late[source]:
                late[source] = asked
            room = open_[target] - gap - open_[source]
            if room < gaps[source]:
                gaps[source] = room
            if not room:
                drivers[target] += (source,)
    slacks = list(map(sub, late, open_))
    free: list[int | None] = [a if a < b else b for a, b in zip(slacks, gaps, strict=True)]
    least, total = min(slacks), cast("list[int | None]", slacks)
    if least < 0 or min(gaps) < 0:
        free = [room if room is not None and room > 0 else 0 for room in free]
    if open_ is not numbers:
        for i, k in enumerate(open_):
            if k == FAR:
                total[i] = free[i] = None
                drivers[i] = ()
    for t in {*network.layout.odd_in, *network.knots.before}:
        drivers[t] += tuple(bounds.odd_drivers(t))
    smallest = least if open_ is numbers else min((slack for slack in total if slack is not None), default=1)
    for parent in _parents(network):
        inner = network.children[parent]
        total[parent] = min((slack for i in inner if (slack := total[i]) is not None), default=None)
        free[parent] = min((slack for i in inner if (slack := free[i]) is not None), default=None)
    if open_ is numbers and not network.children:
        late_start, late_finish = boundaries_of(network, late, {}, whole=True)
    else:
        late_start, late_finish = _read_late(network, late, total)
    critical = [slack == smallest for slack in total] if smallest <= 0 else [False] * n
    before_anchor, names = (
        _anchor_slack(network, early, open_, anchors, first) if first is not None else (nothing, nothing)
    )
    return Schedule(
        start, finish, late_start, late_finish, total, free, critical, drivers, latest, before_anchor, names
    )


def _parents(network: Network) -> list[int]:
    """The parents, each behind those within it."""
    return sorted(network.children, key=network.rank.__getitem__)


def _anchor_slack(
    network: Network, early: Early, open_: list[int], anchors: Sequence[AnchorLimit], first: _BeforeAnchor
) -> tuple[list[int | None], list[str | None]]:
    """The least room before any anchor, and which; one backward pass an anchor, the ``first`` made already."""
    least = first.late
    names = [0] * len(least) if len(anchors) > 1 or network.children else []
    for at, limit in enumerate(anchors[1:], 1):
        pass_ = _BeforeAnchor(network, early, open_, limit)
        late = pass_.late
        for links, special, _, _ in network.layout.back:
            if special >= 0:
                pass_.settle(special)
            for source, target, gap in links:
                asked = late[target] - gap
                if asked < late[source]:
                    late[source] = asked
        for i, number in enumerate(late):
            if number < least[i]:
                least[i], names[i] = number, at
    slacks = [late - k if late < OPEN else None for late, k in zip(least, open_, strict=True)]
    if open_ is not early.numbers and FAR in open_:
        slacks = [None if k == FAR else slack for k, slack in zip(open_, slacks, strict=True)]
    for parent in _parents(network):
        inner = [(slack, names[i]) for i in network.children[parent] if (slack := slacks[i]) is not None]
        slacks[parent], names[parent] = min(inner, default=(None, -1))
    keys = [limit.anchor for limit in anchors]
    if len(keys) > 1:
        return slacks, [None if slack is None else keys[at] for slack, at in zip(slacks, names, strict=True)]
    (key,) = keys
    return slacks, [None if slack is None else key for slack in slacks] if None in slacks else [key] * len(slacks)


def _limits(network: Network, end: int) -> list[int]:
    """The number of the last slot with which each activity finishes by the end and by its own deadline."""
    members = network.layout.members
    if len(members) == 1:  # the usual case
        limit = members[0][0].index(end)
        late = [limit - duration for duration in network.layout.durations]
        members = ()
    else:
        late = [0] * len(network.activities)
    for calendar, positions in members:
        limit = calendar.index(end)
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
    """Late boundaries, a parent's from its children's."""
    numbers = [NEVER if t is None else k for k, t in zip(late, total, strict=True)]
    if network.children:
        numbers = [NEVER if i in network.children else k for i, k in enumerate(numbers)]
    start, finish = boundaries_of(network, numbers, {}, whole=min(numbers, default=NEVER) >= DATED)
    for parent in _parents(network):
        inner = [i for i in network.children[parent] if start[i] != UNDATED]
        if inner:
            start[parent], finish[parent] = min(start[i] for i in inner), max(finish[i] for i in inner)
    return start, finish


def _asking(network: Network) -> set[int]:
    """The positions that ask more of the pass than links at a distance."""
    return {*network.layout.odd_out, *network.parent_of, *network.knots.behind}


class _Late:
    """The slower part of a backward pass: parents, knots, fixed dates, links whose distance is not always the same."""

    def __init__(self, network: Network, early: Early, late: list[int], open_: list[int]) -> None:
        self.network, self.early, self.late, self.open_ = network, early, late, open_
        self.parents: dict[int, list[tuple[str, int]]] = {}
        self.asking = _asking(network)
        self.over_out = network.layout.over_out
        self.backs = Backs(network.knots, network.activities, self.late_span)

    def stands(self, i: int) -> tuple[int, int]:
        """Where an activity stands."""
        return self.early.start[i], self.early.finish[i]

    def late_span(self, i: int) -> tuple[int, int] | None:
        """Where an activity stands at the latest; None where nothing limits it."""
        late = self.late[i]
        if self.open_[i] == FAR or late > OPEN:
            return None
        return self.stands(i) if late == self.open_[i] else span_at(self.network.activities[i], late)

    def settle(self, t: int) -> None:
        """Bring the late number of an activity down to what all its links ask; a knot's is what it hands back."""
        network, late = self.network, self.late
        if t >= network.knots.base:
            self.backs.settle(t)
            return
        k = self.open_[t]
        if k == FAR:
            if t in network.children and t not in self.parents:
                self.parents[t] = list(self._asked(t))  # for its children, which come later in this pass
            return
        activity, last = network.activities[t], late[t]
        if t in self.over_out:
            rested = activity.calendar.rested
            for s, gap, behind in self.over_out[t]:
                until = late[s]
                if until < OPEN:
                    until += behind
                    until -= rested(until) + gap
                    if until < last:
                        last = until
        if t in self.asking:
            for side, until in self._asked(t):
                last = min(last, number_until(activity, side, until))
        if k < last < OPEN and activity.stands == "fixed":
            last = k
        late[t] = last

    def _asked(self, position: int) -> Iterator[tuple[str, int]]:
        """For each odd link out: the end of the source, and its last boundary."""
        network = self.network
        for link in network.layout.odd_out.get(position, ()):
            if span := self.late_span(link.target):
                yield link.type[0], latest_source(link, span, network.activities[link.target])
        activity = network.activities[position]
        for link in () if activity.over else network.knots.behind.get(position, ()):
            if activity.stands != "begun" or link.type[0] == "F":
                for until in self.backs.untils(link):
                    yield link.type[0], until.last()
        if (parent := network.parent_of.get(position)) is not None:
            first = self.early.start[parent] == self.early.start[position]
            yield from (bound for bound in self.parents.get(parent, ()) if bound[0] == "F" or first)


class _BeforeAnchor(_Late):
    """The pass that finds how late each activity may be before an anchor."""

    def __init__(self, network: Network, early: Early, open_: list[int], limit: AnchorLimit) -> None:
        late, activities = [FAR] * len(open_), network.activities
        calendar, at, behind, before = None, 0, 0, 0
        for i, (side, until) in limit.until.items():  # many in a row have one calendar and one boundary
            activity = activities[i]
            if activity.calendar is not calendar or until != at:
                calendar, at = activity.calendar, until
                behind, before = calendar.index(until), calendar.index(until + 1) - 1
            if activity.duration:
                late[i] = behind - activity.duration if side == "F" else before
            else:
                late[i] = behind if activity.edge == "finish" else before
        for i in network.layout.apart:
            if open_[i] == FAR:
                late[i] = FAR
        super().__init__(network, early, late, open_)


class _Bounds(_Late):
    """The same with free slack and drivers; where there is a ``first`` anchor, its pass goes along."""

    def __init__(
        self, network: Network, early: Early, late: list[int], open_: list[int], first: _BeforeAnchor | None
    ) -> None:
        super().__init__(network, early, late, open_)
        self.gaps = [FAR] * len(late)
        self.drivers: list[tuple[int, ...]] = [()] * len(late)
        self.room = _Late(network, early, open_, open_)
        self.first = first
        self.fronts = network.fronts(self.stands)

    def settle(self, t: int) -> None:
        k = FAR if t >= self.network.knots.base else self.open_[t]
        if k == FAR:
            super().settle(t)
            self.room.settle(t)
        else:
            activity, late, gaps = self.network.activities[t], self.late, self.gaps
            if t in self.over_out:
                self.settle_over(t, self.over_out[t], activity.calendar.rested, None)
            if t in self.asking:
                late[t] = min([late[t], *(number_until(activity, *bound) for bound in self._asked(t))])
                gaps[t] = min([gaps[t], *(number_until(activity, *bound) - k for bound in self.room._asked(t))])
            if k < late[t] and activity.stands == "fixed":
                late[t] = k
        if self.first is not None:
            self.first.settle(t)

    def settle_over(self, t: int, over: Over, rested: Callable[[int], bool], before: list[int] | None) -> None:
        """The same for links over days off, all at once since there are many of them.

        ``before`` has the late numbers of another pass, to be settled likewise.
        """
        late, open_ = self.late, self.open_
        last, reach, k = late[t], FAR, open_[t]
        if k == FAR:
            return
        for s, gap, behind in over:
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
            if before is not None and before[s] < OPEN:
                until = before[s] + behind
                until -= rested(until) + gap
                if until < before[t]:
                    before[t] = until
        late[t] = last
        if reach - k < self.gaps[t]:
            self.gaps[t] = reach - k

    def odd_drivers(self, t: int) -> Iterator[int]:
        """The sources of odd links that hold an activity where it stands."""
        network, k = self.network, self.open_[t]
        activity = network.activities[t]
        if k == FAR:
            return
        for link in network.layout.odd_in.get(t, ()):
            span = self.stands(link.source)
            if span[0] != UNDATED and number_asked(link, network.activities[link.source].leaving(span), activity) == k:
                yield link.source
        if t in network.knots.before and not activity.pinned:
            for link in network.knots.before[t]:
                for ask in self.fronts.asks(link):
                    if number_from(activity, link.type[1], ask.bound(activity)) == k:
                        yield ask.source
