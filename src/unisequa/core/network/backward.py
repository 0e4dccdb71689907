"""Both passes over a network: dates, late dates, slack, criticality and drivers.

Forward, in topological order, each activity starts at the earliest worked slot at or behind every floor:

    start(S)  ≥ floor(S), not before(S)      target, or where a run has put it
    start(S)  ≥ finish(P) ⊕ lag              finish-to-start
    start(S)  ≥ start(P)  ⊕ lag              start-to-start
    finish(S) ≥ finish(P) ⊕ lag              finish-to-finish
    finish(S) ≥ start(P)  ⊕ lag              start-to-finish

and a parent reaches from the first start to the last finish of its children.

Backward, the latest dates with which every successor keeps its late dates and every deadline holds:
the same inequalities the other way round, with late dates on their left, and

    finish(P) ≤ deadline(P), end of the run
    start(P)  = its date, where somebody has fixed it

A working lag is counted on the calendar of the link's target. Slack is counted in worked slots of the
activity's own calendar; a parent has the least of its children's.

An activity's place is kept as the *number* of the worked slot it starts with, on its own calendar (for a
milestone right behind a slot: of the slot that would follow). So most links are a sum and a comparison, and
boundaries are looked up once at the end.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from operator import add, sub

from unisequa.core.network.network import Activity, Dependency, Network, ahead, closes

UNDATED = -1
"""Stands for the boundary of an activity that has no date yet."""

_NEVER = -(10**15)
_FAR = 10**15
_DATED = -(10**14)
_OPEN = 10**14


@dataclass(frozen=True, slots=True)
class Early:
    """Where activities stand by position: their boundaries, and the numbers of their first worked slots."""

    start: list[int]
    finish: list[int]
    numbers: list[int]


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


# One activity and one link.


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
    boundary, calendar = source[link.type[0] == "F"], target.calendar
    if link.unit == "elapsed":
        return calendar.grid.elapse(boundary, link.lag)
    return calendar.advance(boundary, link.lag)


def number_asked(link: Dependency, source: tuple[int, int], target: Activity) -> int:
    """The number of the first worked slot that a link lets its target start with."""
    return number_from(target, link.type[1], lagged(link, source, target))


def latest_source(link: Dependency, late: tuple[int, int], target: Activity) -> int:
    """The last boundary for the end of a link's source with which the target keeps its ``late`` start and finish.

    The inverse of :func:`lagged`.
    """
    boundary, calendar = late[link.type[1] == "F"], target.calendar
    if not link.lag:
        return boundary
    if link.unit == "elapsed":
        grid = calendar.grid
        found = grid.elapse(boundary, -link.lag)
        return found - max(0, grid.elapse(found, link.lag) - boundary)  # where the clock is put back
    if link.lag > 0:
        return calendar.slot(calendar.index(boundary) - link.lag)
    return calendar.slot(calendar.index(boundary + 1) - 1 - link.lag)


# The passes.


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


def forward(network: Network) -> Early:
    """Earliest start and finish of every activity."""
    activities = network.activities
    numbers = [_NEVER] * len(activities)
    for i in network.floored:
        numbers[i] = _floor(activities[i])
    spans = _Spans(network, numbers)
    for links, special in network.onward:
        for source, target, gap in zip(*links, strict=True):
            asked = numbers[source] + gap
            if asked > numbers[target]:
                numbers[target] = asked
        if special >= 0:
            numbers[special] = spans.placed(special)
    return Early(*_read(network, numbers, spans.known), numbers)


def standing(network: Network, start: Sequence[int], finish: Sequence[int]) -> Early:
    """Activities at given boundaries, which may be a run's own rather than :func:`forward`'s.

    A parent's are found from its children's.
    """
    activities, start, finish = network.activities, list(start), list(finish)
    numbers = [
        _NEVER if b == UNDATED else _standing_number(activity, a, b)
        for activity, a, b in zip(activities, start, finish, strict=True)
    ]
    for parent in sorted(network.children, key=network.rank.__getitem__):
        inner = [i for i in network.children[parent] if start[i] != UNDATED and activities[i].stands != "dropped"]
        start[parent] = min((start[i] for i in inner), default=UNDATED)
        finish[parent] = max((finish[i] for i in inner), default=UNDATED)
        numbers[parent] = _NEVER
    return Early(start, finish, numbers)


class _Spans:
    """The slower part of the forward pass: parents, and links whose distance is not always the same."""

    def __init__(self, network: Network, numbers: list[int]) -> None:
        self.network, self.numbers = network, numbers
        self.known = {i: network.activities[i].pinned for i in network.apart if network.activities[i].pinned}

    def of(self, position: int) -> tuple[int, int] | None:
        """Start and finish of what has been placed; None while it is undated."""
        found = self.known.get(position)
        if found is None and self.numbers[position] >= _DATED:
            return span_at(self.network.activities[position], self.numbers[position])
        return found

    def placed(self, t: int) -> int:
        """The number that an activity starts with, all its links looked at."""
        network, numbers, k = self.network, self.numbers, self.numbers[t]
        if t in network.children:
            self._stretch(t)
            return _NEVER
        activity = network.activities[t]
        if t in network.over_in:
            rested = activity.calendar.rested
            for source, gap, behind in network.over_in[t]:
                number = numbers[source] + gap
                if number - behind >= k:  # so the source has a date
                    k = number + rested(number) - behind
        if t in network.odd_in:
            for link in network.odd_in[t]:
                if span := self.of(link.source):
                    k = max(k, number_asked(link, span, activity))
        if t in network.limited and k >= _DATED:
            assert activity.not_before is not None
            k = max(k, number_from(activity, "S", activity.not_before))
        return k

    def _stretch(self, parent: int) -> None:
        activities = self.network.activities
        inner = [self.of(i) for i in self.network.children[parent] if activities[i].stands != "dropped"]
        dated = [span for span in inner if span]
        if dated:
            self.known[parent] = min(a for a, _ in dated), max(b for _, b in dated)


def _floor(activity: Activity) -> int:
    """The number of the first slot that an activity's own floors let it start with."""
    if activity.pinned:
        return _standing_number(activity, *activity.pinned)
    if activity.floor is None or activity.undated:
        return _NEVER
    floor = activity.floor if activity.not_before is None else max(activity.floor, activity.not_before)
    return number_from(activity, "S", floor)


def _standing_number(activity: Activity, start: int, finish: int) -> int:
    """The number of an activity that stands somewhere, on worked slots or not.

    Where its start is past or fixed it is counted back from its finish, which is what may still move.
    """
    if activity.pinned:
        return activity.calendar.index(finish) - activity.duration
    return activity.calendar.index(start)


def _read(
    network: Network, numbers: Sequence[int], known: Mapping[int, tuple[int, int] | None]
) -> tuple[list[int], list[int]]:
    """Numbers as boundaries, calendar by calendar."""
    start, finish = [UNDATED] * len(numbers), [UNDATED] * len(numbers)
    for calendar, positions in network.members:
        if len(positions) == len(numbers) and min(numbers) >= _DATED:  # the usual case, whole
            start = calendar.slots(numbers)
            finish = calendar.slots_after(list(map(add, numbers, network.lasts)))
            break
        dated = [i for i in positions if numbers[i] >= _DATED]
        first = calendar.slots([numbers[i] for i in dated])
        last = calendar.slots_after([numbers[i] + network.lasts[i] for i in dated])
        for i, a, b in zip(dated, first, last, strict=True):
            start[i], finish[i] = a, b
    for i in network.milestones:
        if network.activities[i].edge == "finish":
            start[i] = finish[i]
        else:
            finish[i] = start[i]
    for i, span in known.items():
        if span:
            start[i], finish[i] = span
    return start, finish


def backward(network: Network, early: Early, end: int | None = None) -> Schedule:
    """Late dates and slack for given early dates.

    ``end`` is the run's deadline as a boundary; the latest finish without one.
    """
    activities, n = network.activities, len(network.activities)
    start, finish, numbers = early.start, early.finish, early.numbers
    dropped = {i for i in network.apart if activities[i].stands == "dropped"}
    latest = max([b for i, b in enumerate(finish) if i not in dropped] if dropped else finish, default=UNDATED)
    if latest < 0:
        nowhere, nothing = [UNDATED] * n, [None] * n
        return Schedule(start, finish, nowhere, nowhere, nothing, nothing, [False] * n, [()] * n)
    late = _limits(network, latest if end is None else end)
    open_ = numbers
    if network.apart or min(numbers) < _DATED:
        open_ = [k if k >= _DATED else _FAR for k in numbers]
        for i, k in enumerate(open_):
            if k == _FAR or activities[i].over:
                open_[i] = late[i] = _FAR
    bounds = _Bounds(network, early, late, open_)
    drivers, gaps = bounds.drivers, bounds.gaps
    for links, special in network.back:
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
    free: list[int | None] = [slack if room > _OPEN else room for slack, room in zip(total, gaps, strict=True)]
    if open_ is not numbers:
        for i, k in enumerate(open_):
            if k == _FAR:
                total[i] = free[i] = None
                drivers[i] = ()
    for t in network.odd_in:
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
    for calendar, positions in network.members:
        limit = calendar.index(end)
        if len(positions) == len(late):
            late = [limit - duration for duration in network.durations]
            continue
        for i in positions:
            late[i] = limit - network.durations[i]
    for i in network.milestones:
        late[i] = number_until(network.activities[i], "F", end)
    for i in network.deadlines:
        activity = network.activities[i]
        assert activity.deadline is not None
        late[i] = min(late[i], number_until(activity, "F", activity.deadline))
    return late


def _read_late(network: Network, late: Sequence[int], total: Sequence[int | None]) -> tuple[list[int], list[int]]:
    numbers = late if None not in total else [_NEVER if t is None else k for k, t in zip(late, total, strict=True)]
    if network.children:
        numbers = [_NEVER if i in network.children else k for i, k in enumerate(numbers)]
    start, finish = _read(network, numbers, {})
    for parent in sorted(network.children, key=network.rank.__getitem__):
        inner = [i for i in network.children[parent] if start[i] != UNDATED]
        if inner:
            start[parent], finish[parent] = min(start[i] for i in inner), max(finish[i] for i in inner)
    return start, finish


class _Bounds:
    """The slower part of the backward pass: parents, fixed dates, and links whose distance is not always the same."""

    def __init__(self, network: Network, early: Early, late: list[int], open_: list[int]) -> None:
        self.network, self.early, self.late, self.open_ = network, early, late, open_
        self.gaps = [_FAR] * len(late)
        self.drivers: list[tuple[int, ...]] = [()] * len(late)
        self.parents: dict[int, list[tuple[str, int, int]]] = {}

    def settle(self, t: int) -> None:
        """Bring the late number and the free slack of an activity down to what all its links ask."""
        network, late, open_, k = self.network, self.late, self.open_, self.open_[t]
        if k == _FAR:
            if t in network.children:
                self.parents[t] = self._asked(t)  # for its children, which come later in this pass
            return
        activity, last, reach = network.activities[t], late[t], _FAR
        if t in network.over_out:
            rested = activity.calendar.rested
            for s, gap, behind in network.over_out[t]:
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
        if t in network.odd_out or t in network.parent_of:
            for side, until, stands in self._asked(t):
                last = min(last, number_until(activity, side, until))
                reach = min(reach, number_until(activity, side, stands))
        late[t] = k if k < last and activity.stands == "fixed" else last
        if reach - k < self.gaps[t]:
            self.gaps[t] = reach - k

    def _asked(self, position: int) -> list[tuple[str, int, int]]:
        """For each odd link out: the end of the source, its last boundary, the last that moves nothing."""
        found = []
        for link in self.network.odd_out.get(position, ()):
            s = link.target
            if self.open_[s] == _FAR:
                continue
            target = self.network.activities[s]
            stands = self.early.start[s], self.early.finish[s]
            late = stands if self.late[s] == self.open_[s] else span_at(target, self.late[s])
            found.append((link.type[0], latest_source(link, late, target), latest_source(link, stands, target)))
        if (parent := self.network.parent_of.get(position)) is not None:
            first = self.early.start[parent] == self.early.start[position]
            found += [bound for bound in self.parents.get(parent, ()) if bound[0] == "F" or first]
        return found

    def odd_drivers(self, t: int) -> Iterator[int]:
        """The sources of odd links that hold an activity where it stands."""
        network, k, start, finish = self.network, self.open_[t], self.early.start, self.early.finish
        activity = network.activities[t]
        for link in network.odd_in[t] if k != _FAR else ():
            span = start[link.source], finish[link.source]
            if span[0] != UNDATED and number_asked(link, span, activity) == k:
                yield link.source
