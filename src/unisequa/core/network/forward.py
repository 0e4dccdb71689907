"""The forward pass: early dates.

In topological order, each activity starts at the earliest worked slot at or behind every floor:

    start(S)  ≥ floor(S), not before(S)      target, or where a run has put it
    start(S)  ≥ finish(P) ⊕ lag              finish-to-start
    start(S)  ≥ start(P)  ⊕ lag              start-to-start
    finish(S) ≥ finish(P) ⊕ lag              finish-to-finish
    finish(S) ≥ start(P)  ⊕ lag              start-to-finish

and a parent reaches from the first start to the last finish of its children. A working lag is counted on the
calendar of the link's target.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from unisequa.core.network.activities import Activity, closes
from unisequa.core.network.layout import Over
from unisequa.core.network.network import Network
from unisequa.core.network.places import (
    DATED,
    NEVER,
    UNDATED,
    number_asked,
    number_from,
    span_at,
)


@dataclass(frozen=True, slots=True)
class Early:
    """Where activities stand by position: their boundaries, and the numbers of their first worked slots.

    ``whole`` says that all have a number.
    """

    start: list[int]
    finish: list[int]
    numbers: list[int]
    whole: bool = False


def forward(network: Network) -> Early:
    """Earliest start and finish of every activity."""
    activities = network.activities
    numbers = [NEVER] * len(activities)
    for i, number in _floors(network):
        numbers[i] = number
    spans = _Spans(network, numbers)
    for links, special, over, rested in network.layout.onward:
        for source, target, gap in links:
            asked = numbers[source] + gap
            if asked > numbers[target]:
                numbers[target] = asked
        if rested is not None:
            numbers[special] = spans.behind(numbers[special], over, rested)
        elif special >= 0:
            numbers[special] = spans.placed(special)
    whole = min(numbers, default=NEVER) >= DATED
    return Early(*boundaries_of(network, numbers, spans.known, whole=whole), numbers, whole)


def early_at(network: Network, start: Sequence[int], finish: Sequence[int]) -> Early:
    """Activities at given boundaries, which may be a run's own rather than :func:`forward`'s.

    A parent's are found from its children's.
    """
    activities, start, finish = network.activities, list(start), list(finish)
    numbers = [
        NEVER if b == UNDATED else _standing_number(activity, a, b)
        for activity, a, b in zip(activities, start, finish, strict=True)
    ]
    for parent in sorted(network.children, key=network.rank.__getitem__):
        inner = [i for i in network.children[parent] if start[i] != UNDATED and activities[i].stands != "dropped"]
        start[parent] = min((start[i] for i in inner), default=UNDATED)
        finish[parent] = max((finish[i] for i in inner), default=UNDATED)
        numbers[parent] = NEVER
    return Early(start, finish, numbers, whole=min(numbers, default=NEVER) >= DATED)


class _Spans:
    """The slower part of the forward pass: parents, and links whose distance is not always the same."""

    def __init__(self, network: Network, numbers: list[int]) -> None:
        self.network, self.numbers = network, numbers
        self.known = {i: network.activities[i].pinned for i in network.layout.apart if network.activities[i].pinned}
        self.fronts = network.fronts(self.of)
        self.over_in, self.odd_in, self.limited = network.layout.over_in, network.layout.odd_in, network.layout.limited
        self.before = network.knots.before if network.knots.all else {}

    def of(self, position: int) -> tuple[int, int] | None:
        """Start and finish of what has been placed; None while it is undated."""
        span = self.known.get(position)
        if span is None and self.numbers[position] >= DATED:
            return span_at(self.network.activities[position], self.numbers[position])
        return span

    def placed(self, t: int) -> int:
        """The number that an activity starts with, all its links looked at."""
        network, k = self.network, self.numbers[t]
        if t in network.children:
            self._stretch(t)
            return NEVER
        activity = network.activities[t]
        if t in self.over_in:
            k = self.behind(k, self.over_in[t], activity.calendar.rested)
        if t in self.odd_in:
            for link in self.odd_in[t]:
                if span := self.of(link.source):
                    k = max(k, number_asked(link, network.activities[link.source].leaving(span), activity))
        if t in self.before and not (activity.pinned or activity.undated):
            for link in self.before[t]:
                for ask in self.fronts.asks(link):
                    k = max(k, number_from(activity, link.type[1], ask.bound(activity)))
        if t in self.limited and k >= DATED:
            assert activity.not_before is not None
            k = max(k, number_from(activity, "S", activity.not_before))
        return k

    def behind(self, k: int, over: Over, rested: Callable[[int], bool]) -> int:
        """A number brought up to what links ask between which days off may add one."""
        numbers = self.numbers
        for source, gap, behind in over:
            number = numbers[source] + gap
            if number - behind >= k and numbers[source] >= DATED:
                k = number + rested(number) - behind
        return k

    def _stretch(self, parent: int) -> None:
        activities = self.network.activities
        inner = [self.of(i) for i in self.network.children[parent] if activities[i].stands != "dropped"]
        dated = [span for span in inner if span]
        if dated:
            self.known[parent] = min(a for a, _ in dated), max(b for _, b in dated)


def _floors(network: Network) -> Iterator[tuple[int, int]]:
    """The number of the first slot that activities' own floors let them start with."""
    known: dict[tuple[int, bool, int], int] = {}  # many have one calendar and one floor
    for i in network.layout.floored:
        activity = network.activities[i]
        if activity.pinned:
            yield i, _standing_number(activity, *activity.pinned)
            continue
        floor = activity.floor
        assert floor is not None
        if activity.not_before is not None and activity.not_before > floor:
            floor = activity.not_before
        kind = id(activity.calendar), closes(activity, "S"), floor
        if kind not in known:
            known[kind] = number_from(activity, "S", floor)
        yield i, known[kind]


def _standing_number(activity: Activity, start: int, finish: int) -> int:
    """The number of an activity that stands somewhere, on worked slots or not.

    Where its start is past or fixed it is counted back from its finish, which is what may still move.
    """
    if activity.pinned:
        return activity.calendar.index(finish) - activity.duration
    return activity.calendar.index(start)


def boundaries_of(
    network: Network, numbers: Sequence[int], known: Mapping[int, tuple[int, int] | None], *, whole: bool
) -> tuple[list[int], list[int]]:
    """Numbers as boundaries, calendar by calendar; ``whole`` where all have one."""
    lasts, members = network.layout.lasts, network.layout.members
    if whole and len(members) == 1:  # the usual case
        start, finish = members[0][0].spans(numbers, lasts)
        members = ()
    else:
        start, finish = [UNDATED] * len(numbers), [UNDATED] * len(numbers)
    for calendar, positions in members:
        dated = [i for i in positions if numbers[i] >= DATED]
        spans = calendar.spans([numbers[i] for i in dated], [lasts[i] for i in dated])
        for i, a, b in zip(dated, *spans, strict=True):
            start[i], finish[i] = a, b
    for i in network.layout.milestones:
        if network.activities[i].edge == "finish":
            start[i] = finish[i]
        else:
            finish[i] = start[i]
    for i, span in known.items():
        if span:
            start[i], finish[i] = span
    return start, finish
