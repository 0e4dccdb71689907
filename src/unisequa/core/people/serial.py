"""Levelling: one thing after the other by urgency, where what does it has room.

Serial schedule generation (Kolisch 1996, *Serial and parallel resource-constrained project scheduling methods
revisited*): of the activities whose predecessors are placed, the one of earliest late start takes the earliest place
at which all links and floors hold and there is room. Ties go to the longer chain behind it, then by job and key.
Forward-backward passes (each job to the right up to its own end, then forward by those starts) go on while what is late
against deadlines, then the sum of the jobs' ends, falls; then the same from late starts that are disturbed by up to a
quarter of their range, as long as :data:`PLACEMENTS` last.

What room means is the business of a :class:`Room`: hours of people (:mod:`unisequa.core.people.hours`), or any other
renewable resource (:mod:`unisequa.core.people.steady`).
"""

from __future__ import annotations

import heapq
import random
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple, Protocol

from unisequa.core.calendars.grid import MINUTES
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.knots import Backs, Fronts
from unisequa.core.network.network import Network
from unisequa.core.network.order import topological
from unisequa.core.network.places import (
    NEVER,
    UNDATED,
    boundary_behind,
    latest_source,
    number_from,
    number_until,
    span_at,
)
from unisequa.core.terms import LagUnit

PLACEMENTS = 8_000
ROUNDS = 20
SEED = 1996

Span = tuple[int, int]


class Place(NamedTuple):
    """Where something is placed; ``taken`` is whatever the room wants to know of it, ``free_from`` where links and
    floors alone would have it start."""

    start: int
    finish: int
    taken: Any = None
    free_from: int = 0


@dataclass(frozen=True, slots=True)
class Job:
    """A run to be levelled with others.

    Parameters
    ----------
    floors : sequence of int, optional
        Boundary before which each activity does not start, links aside.
    late : sequence of int
        Late starts as boundaries, ``UNDATED`` where there is none.
    stand : mapping of int to (int, int)
        What stays where it is.
    rank : int
        All jobs of a lower one go first.
    end : int, optional
        Its deadline as a boundary.
    waits : mapping of int to sequence of (int, int)
        What each waits for in other jobs: none of it starts before they finish. Where jobs wait in a circle none of
        this is looked at.
    """

    network: Network
    floors: Sequence[int | None]
    late: Sequence[int]
    stand: Mapping[int, Span] = field(default_factory=dict)
    rank: int = 0
    end: int | None = None
    waits: Mapping[int, Sequence[tuple[int, int]]] = field(default_factory=dict)


class Room(Protocol):
    """Where there is room. Activities are known by job and position; ``number`` is that of a worked slot."""

    def clear(self) -> None:
        """Nothing is taken any more."""

    def needs(self, job: int, i: int) -> bool:
        """Whether an activity takes any room at all."""

    def stand(self, job: int, i: int, span: Span) -> None:
        """Take the room of what stays where it is, even beyond what there is."""

    def earliest(self, job: int, i: int, number: int, finish: int) -> Place | None:
        """The first place from a number on, which ends no earlier than a boundary; None if there is none."""

    def latest(self, job: int, i: int, number: int, finish: int) -> Place | None:
        """The last place up to a number, which ends no later than a boundary; None if there is none."""

    def take(self, job: int, i: int, place: Place) -> None:
        """Take the room of a place that was found."""


@dataclass(frozen=True, slots=True)
class Levelled:
    """Where everything stands, by job and position; ``nowhere`` are those that found no place at all."""

    places: tuple[dict[int, Place], ...]
    nowhere: tuple[tuple[int, int], ...]
    cost: tuple[int, int]


Priority = tuple[int, float, int, int, str]


_Asking = tuple[int, int, int, LagUnit, bool, Activity | None]


class _Node(NamedTuple):
    job: int
    at: int


class Levelling:
    """Jobs and the room they share; the passes over them."""

    def __init__(self, jobs: Sequence[Job], room: Room) -> None:
        self.jobs, self.room = jobs, room
        self.placed = 0
        self.fronts: list[Fronts] = []
        self.backs: list[Backs] = []
        self.spans: list[list[Span]] = []
        self.chains = [_chains(job.network) for job in jobs]
        self.before = [_counts(job.network, back=False) for job in jobs]
        self.waits = [job.waits for job in jobs] if not _circular(jobs) else [{} for _ in jobs]
        self.leads: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for j, waits in enumerate(self.waits):
            for i, others in waits.items():
                self.before[j][i] += len(others)
                for other in others:
                    self.leads.setdefault(other, []).append((j, i))
        self.behind = [_counts(job.network, back=True) for job in jobs]
        self.incoming = [
            [[_asking(link, n.activities) for link in links] for links in n.incoming]
            for n in (job.network for job in jobs)
        ]

    def best(self) -> Levelled:
        """The best that all passes find."""
        free = sum(len(job.network.activities) - len(job.stand) for job in self.jobs)
        best = self.improved(self.forward(self.by_late_start()))
        draw = random.Random(SEED)  # noqa: S311 - so that the same question has the same answer
        for _ in range(ROUNDS):
            if self.placed + free > PLACEMENTS or not free:
                break
            found = self.improved(self.forward(self.by_late_start(draw)))
            if found.cost < best.cost:
                best = found
        return best

    def by_late_start(self, draw: random.Random | None = None) -> list[list[float]]:
        """Late starts in minutes, as urgency; disturbed by up to a quarter of their range."""
        found = []
        for job in self.jobs:
            scale = MINUTES // _per_day(job)
            found.append([float("inf") if late == UNDATED else float(late * scale) for late in job.late])
        if draw is not None:
            known = [late for lates in found for late in lates if late != float("inf")]
            reach = (max(known) - min(known)) / 4 if known else 0
            found = [[late + draw.uniform(0, reach) for late in lates] for lates in found]
        return found

    def improved(self, found: Levelled) -> Levelled:
        """Forward-backward passes while they help."""
        while True:
            after = self.forward(self.to_the_right(found))
            if after.cost >= found.cost:
                return found
            found = after

    def forward(self, urgency: Sequence[Sequence[float]]) -> Levelled:
        """One pass by urgency."""
        self._clear()
        places: list[dict[int, Place]] = [{} for _ in self.jobs]
        nowhere = []
        for node in self._in_turn(urgency, self.before, back=False):
            activity = self.jobs[node.job].network.activities[node.at]
            place = self._forward_place(node, activity)
            if place is None:
                if not activity.undated:
                    nowhere.append((node.job, node.at))
                continue
            places[node.job][node.at] = place
            self.spans[node.job][node.at] = place.start, place.finish
        return Levelled(tuple(places), tuple(nowhere), self._cost(places))

    def _clear(self) -> None:
        self.room.clear()
        self.spans = [[(UNDATED, UNDATED)] * len(job.network.activities) for job in self.jobs]
        self.fronts = [job.network.fronts(spans.__getitem__) for job, spans in zip(self.jobs, self.spans, strict=True)]
        for j, job in enumerate(self.jobs):
            for i, span in job.stand.items():
                self.spans[j][i] = span
                self.room.stand(j, i, span)

    def _in_turn(
        self, urgency: Sequence[Sequence[float]], counts: Sequence[list[int]], *, back: bool
    ) -> Iterator[_Node]:
        """The activities that are to be placed, each behind all that it waits for, by urgency; what stands already
        and what only spans or ties others is passed through."""
        pending = [list(one) for one in counts]
        queue: list[tuple[Priority, _Node]] = []
        through: list[_Node] = []

        def reach(j: int, i: int) -> None:
            job = self.jobs[j]
            network = job.network
            if i >= len(network.activities) or i in network.children or i in job.stand:
                through.append(_Node(j, i))
                return
            chain = 0 if back else -self.chains[j][i]
            heapq.heappush(queue, ((job.rank, urgency[j][i], chain, j, network.activities[i].key), _Node(j, i)))

        for j, waiting in enumerate(pending):
            for i, n in enumerate(waiting):
                if not n:
                    reach(j, i)
        while through or queue:
            node = through.pop() if through else heapq.heappop(queue)[1]
            network = self.jobs[node.job].network
            if node.at < len(network.activities):
                if node.at in network.children:
                    self._stretch(node, network)
                elif node.at not in self.jobs[node.job].stand:
                    yield node
            elif back:
                self.backs[node.job].settle(node.at)
            behind = [(node.job, i) for i in _next(network, node.at, back)]
            if not back and self.leads:
                behind += self.leads.get((node.job, node.at), ())
            for j, i in behind:
                pending[j][i] -= 1
                if not pending[j][i]:
                    reach(j, i)

    def _stretch(self, node: _Node, network: Network) -> None:
        spans = self.spans[node.job]
        inner = [
            spans[i]
            for i in network.children[node.at]
            if spans[i][0] != UNDATED and network.activities[i].stands != "dropped"
        ]
        if inner:
            spans[node.at] = min(a for a, _ in inner), max(b for _, b in inner)

    def _forward_place(self, node: _Node, activity: Activity) -> Place | None:
        j, i = node
        job, spans = self.jobs[j], self.spans[j]
        if activity.undated:
            return None
        calendar = activity.calendar
        floor = job.floors[i]
        k = NEVER if floor is None else number_from(activity, "S", floor)
        until = NEVER
        for source, end, lag, unit, closing, signed in self.incoming[j][i]:
            span = spans[source]
            if span[0] == UNDATED:
                continue
            if signed is not None and end:
                span = signed.leaving(span)
            bound = boundary_behind(span[end], lag, unit, calendar) if lag else span[end]
            if closing:
                until = max(until, bound)
            else:
                k = max(k, number_from(activity, "S", bound))
        for link in job.network.knots.before.get(i, ()):
            for ask in self.fronts[j].asks(link):
                if link.type[1] == "F":
                    until = max(until, ask.bound(activity))
                else:
                    k = max(k, number_from(activity, "S", ask.bound(activity)))
        for other, at in self.waits[j].get(i, ()):
            if self.spans[other][at][0] != UNDATED:
                k = max(k, number_from(activity, "S", self._in_other(other, j, self.spans[other][at][1])))
        if k == NEVER and until == NEVER:
            return None
        self.placed += 1
        if not self.room.needs(j, i):
            k = k if until == NEVER else max(k, number_from(activity, "F", until))
            return Place(*span_at(activity, k))
        place = self.room.earliest(j, i, k, until)
        if place is None:
            return None
        self.room.take(j, i, place)
        free = k if until == NEVER else max(k, number_from(activity, "F", until))
        return place._replace(free_from=span_at(activity, free)[0])

    def _in_other(self, other: int, j: int, finish: int) -> int:
        """A finish in one job as a boundary of another: the end of its day where they count in other slots."""
        theirs, ours = (self.jobs[n].network.activities[0].calendar.grid for n in (other, j))
        return finish if theirs.per_day == ours.per_day else ours.day_start(theirs.day(finish - 1) + 1)

    def to_the_right(self, found: Levelled) -> list[list[float]]:
        """Each job to the right up to its own end: the starts of that as urgency."""
        self._clear()
        urgency = [[float("inf")] * len(job.network.activities) for job in self.jobs]
        ends = [max((place.finish for place in places.values()), default=0) for places in found.places]
        order = [[float("inf")] * len(job.network.activities) for job in self.jobs]
        for j, places in enumerate(found.places):
            scale = MINUTES // _per_day(self.jobs[j])
            for i, place in places.items():
                order[j][i] = -place.finish * scale
        self.backs = [
            Backs(job.network.knots, job.network.activities, self._known(spans))
            for job, spans in zip(self.jobs, self.spans, strict=True)
        ]
        for node in self._in_turn(order, self.behind, back=True):
            j, i = node
            before = found.places[j].get(i)
            if before is None:
                continue
            place = self._place_back(node, ends[j]) or before
            self.spans[j][i] = place.start, place.finish
            urgency[j][i] = place.start * (MINUTES // _per_day(self.jobs[j]))
        return urgency

    def _known(self, spans: list[Span]) -> Any:
        return lambda i: None if spans[i][0] == UNDATED else spans[i]

    def _place_back(self, node: _Node, end: int) -> Place | None:
        j, i = node
        network, spans = self.jobs[j].network, self.spans[j]
        activity = network.activities[i]
        k, until = number_until(activity, "F", end), end
        asked = [
            (link.type[0], latest_source(link, spans[link.target], network.activities[link.target]))
            for at in (i, *_above(network, i))
            for link in network.outgoing[at]
            if spans[link.target][0] != UNDATED and (at == i or link.type[0] == "F")
        ]
        asked += [
            (link.type[0], back.last())
            for link in network.knots.behind.get(i, ())
            for back in self.backs[j].untils(link)
        ]
        for side, bound in asked:
            k = min(k, number_until(activity, side, bound))
            until = min(until, bound) if side == "F" else until
        self.placed += 1
        if not self.room.needs(j, i):
            return Place(*span_at(activity, k))
        place = self.room.latest(j, i, k, until)
        if place is not None:
            self.room.take(j, i, place)
        return place

    def _cost(self, places: Sequence[Mapping[int, Place]]) -> tuple[int, int]:
        """Working days late against deadlines, and the sum of the days on which the jobs end."""
        late = ends = 0
        for job, found in zip(self.jobs, places, strict=True):
            last = UNDATED
            for i, place in found.items():
                activity = job.network.activities[i]
                last = max(last, place.finish)
                if activity.deadline is not None and place.finish > activity.deadline:
                    late += _days(activity, activity.deadline, place.finish)
            if last == UNDATED:
                continue
            if job.end is not None and last > job.end:
                late += _days(job.network.activities[0], job.end, last)
            ends += last // _per_day(job)
        return late, ends


def _asking(link: Dependency, activities: Sequence[Activity]) -> _Asking:
    """A link as the passes read it: its source, which end of it, the lag, whether it holds the target's finish, and
    the source where it was signed off later than it was done."""
    source, target = activities[link.source], activities[link.target]
    end, closing = int(link.type[0] == "F"), link.type[1] == "F"
    signed = source if source.signed is not None else None
    return link.source, end, link.lag, link.unit, closing and bool(target.duration), signed


def _days(activity: Activity, a: int, b: int) -> int:
    return -(-activity.calendar.count(a, b) // activity.calendar.per_day)


def _per_day(job: Job) -> int:
    activities = job.network.activities
    return activities[0].calendar.grid.per_day if activities else 1


def _above(network: Network, i: int) -> Iterator[int]:
    at = network.parent_of.get(i)
    while at is not None:
        yield at
        at = network.parent_of.get(at)


def _next(network: Network, at: int, back: bool) -> Iterator[int]:
    """What waits for a position: behind it, or before it."""
    knots = network.knots
    if at >= len(network.activities):
        for link in (knots.into if back else knots.out_of).get(at, ()):
            yield link.source if back else link.target
        return
    for link in (network.incoming if back else network.outgoing)[at]:
        yield link.source if back else link.target
    for link in (knots.before if back else knots.behind).get(at, ()):
        yield link.source if back else link.target
    if back:
        yield from network.children.get(at, ())
    elif at in network.parent_of:
        yield network.parent_of[at]


def _counts(network: Network, *, back: bool) -> list[int]:
    """For how many others each position waits."""
    counts = [0] * (len(network.activities) + len(network.knots.all))
    for at in range(len(counts)):
        for i in _next(network, at, back):
            counts[i] += 1
    return counts


def _circular(jobs: Sequence[Job]) -> bool:
    """Whether jobs wait for each other in a circle."""
    if not any(job.waits for job in jobs):
        return False
    base, total = [], 0
    for job in jobs:
        base.append(total)
        total += len(job.network.activities) + len(job.network.knots.all)
    successors: list[list[int]] = []
    for n, job in zip(base, jobs, strict=True):
        count = len(job.network.activities) + len(job.network.knots.all)
        successors += [[n + i for i in _next(job.network, at, False)] for at in range(count)]
    for n, job in zip(base, jobs, strict=True):
        for i, others in job.waits.items():
            for other, at in others:
                successors[base[other] + at].append(n + i)
    return len(topological(successors)) < total


def _chains(network: Network) -> list[int]:
    """The longest chain of durations from each position on, its own included, in days."""
    n = len(network.activities)
    chains = [0] * (n + len(network.knots.all))
    for at in reversed(network.order):
        longest = max((chains[i] for i in _next(network, at, False)), default=0)
        activity = network.activities[at] if at < n else None
        own = -(-activity.duration // activity.calendar.per_day) if activity else 0
        chains[at] = longest + own
    return chains
