"""Activities, the links between them, and their order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from unisequa.core.errors import CircleError
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.knots import Ask, Fronts, Knot, Knots, Span
from unisequa.core.network.layout import Layout, laid_out
from unisequa.core.network.order import find_circle, topological


@dataclass(frozen=True, slots=True)
class Network:
    """Activities with their links both ways, in topological order.

    ``order`` lists positions, each behind all that it depends on; ``rank`` is its inverse. ``incoming``
    and ``outgoing`` hold the links of each position. ``children`` maps a parent to the positions it spans;
    links *to* a parent have been made links to each child before, links *from* it stay. ``knots`` stand behind the
    activities in ``order`` and ``rank``; links to and from them are theirs and not among ``links``.

    ``layout`` has the links as the passes walk them.
    """

    activities: tuple[Activity, ...]
    links: tuple[Dependency, ...]
    children: Mapping[int, tuple[int, ...]]
    parent_of: Mapping[int, int]
    order: tuple[int, ...]
    rank: tuple[int, ...]
    incoming: tuple[tuple[Dependency, ...], ...]
    outgoing: tuple[tuple[Dependency, ...], ...]
    knots: Knots
    layout: Layout = field(repr=False)

    @classmethod
    def of(
        cls,
        activities: Iterable[Activity],
        links: Iterable[Dependency],
        children: Mapping[int, tuple[int, ...]] | None = None,
        knots: Iterable[Knot] = (),
    ) -> Network:
        """Build the network; ``knots`` have the positions behind those of the activities.

        Raises
        ------
        CircleError
            When links run in a circle; it carries the keys the circle runs through.
        """
        activities, children, knots = tuple(activities), children or {}, tuple(knots)
        n, every = len(activities), tuple(links)
        links = tuple(k for k in every if k.source < n and k.target < n) if knots else every
        tied = Knots.of(n, knots, [k for k in every if k.source >= n or k.target >= n] if knots else ())
        incoming: list[list[Dependency]] = [[] for _ in activities]
        outgoing: list[list[Dependency]] = [[] for _ in activities]
        successors: list[list[int]] = [[] for _ in range(n + len(knots))]
        for link in links:
            outgoing[link.source].append(link)
            incoming[link.target].append(link)
            successors[link.source].append(link.target)
        for by_knot in (tied.into, tied.out_of):
            for ties in by_knot.values():
                for link in ties:
                    if by_knot is tied.into or link.target < n:
                        successors[link.source].append(link.target)
        parent_of = {child: parent for parent, inner in children.items() for child in inner}
        for child, parent in parent_of.items():
            successors[child].append(parent)
        in_order = all(i < j for i, after in enumerate(successors) for j in after)
        order = list(range(len(successors))) if in_order else topological(successors)
        if len(order) < len(successors):
            names = [activity.key for activity in activities] + [knot.label or knot.key for knot in knots]
            raise CircleError(names[position] for position in find_circle(successors))
        del successors  # a large network's lists would stand beside its layout
        rank = [0] * len(order)
        for place, position in enumerate(order):
            rank[position] = place
        into = tuple(map(tuple, incoming))
        del incoming
        out = tuple(map(tuple, outgoing))
        del outgoing
        layout = laid_out(activities, links, children, parent_of, rank, tied)
        return cls(activities, links, children, parent_of, tuple(order), tuple(rank), into, out, tied, layout)

    def with_activities(self, activities: Iterable[Activity]) -> Network:
        """The same links between other activities, position by position."""
        activities = tuple(activities)
        layout = laid_out(activities, self.links, self.children, self.parent_of, self.rank, self.knots)
        return replace(self, activities=activities, layout=layout)

    def fronts(self, span: Callable[[int], Span | None]) -> Fronts:
        """What knots hand on where activities stand as ``span`` says."""
        activities = self.activities
        if not self.layout.signed:
            return Fronts(self.knots, span)

        def leaving(position: int) -> Span | None:
            at = span(position)
            return at if at is None or activities[position].signed is None else activities[position].leaving(at)

        return Fronts(self.knots, leaving)

    def held_by(self, position: int, fronts: Fronts) -> Iterator[tuple[Dependency, Ask]]:
        """Every link that holds an activity with what it asks, links through knots each by the source that asks latest.

        Sources without a date ask nothing.
        """
        for link in self.incoming[position]:
            for ask in fronts.asks(link):
                yield link, ask
        for link in self.knots.before.get(position, ()):
            for ask in fronts.asks(link):
                yield link, ask

    def sources(self, *positions: int, seen: set[int] | None = None) -> Iterator[int]:
        """What activities follow, whether directly or through knots, each once.

        Whoever goes on from what is found hands in ``seen``, so that no knot is gone through again.
        """
        queue = (k.source for i in positions for k in (*self.incoming[i], *self.knots.before.get(i, ())))
        return self._through(queue, self.knots.into, lambda link: link.source, set() if seen is None else seen)

    def targets(self, *positions: int, seen: set[int] | None = None) -> Iterator[int]:
        """What follows activities, whether directly or through knots, each once; ``seen`` as for sources."""
        queue = (k.target for i in positions for k in (*self.outgoing[i], *self.knots.behind.get(i, ())))
        return self._through(queue, self.knots.out_of, lambda link: link.target, set() if seen is None else seen)

    def _through(
        self,
        queue: Iterator[int],
        ties: Mapping[int, tuple[Dependency, ...]],
        end: Callable[[Dependency], int],
        seen: set[int],
    ) -> Iterator[int]:
        open_ones = [queue]
        while open_ones:
            at = next(open_ones[-1], None)
            if at is None:
                open_ones.pop()
            elif at not in seen:
                seen.add(at)
                if at < self.knots.base:
                    yield at
                else:
                    open_ones.append(end(link) for link in ties.get(at, ()))
