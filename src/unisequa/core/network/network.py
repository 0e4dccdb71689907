"""Activities, the links between them, and their order."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from unisequa.core.errors import CircleError
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.layout import Layout, laid_out
from unisequa.core.network.order import find_circle, topological


@dataclass(frozen=True, slots=True)
class Network:
    """Activities with their links both ways, in topological order.

    ``order`` lists positions, each behind all that it depends on; ``rank`` is its inverse. ``incoming``
    and ``outgoing`` hold the links of each position. ``children`` maps a parent to the positions it spans;
    links *to* a parent have been made links to each child before, links *from* it stay.

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
    layout: Layout = field(repr=False)

    @classmethod
    def of(
        cls,
        activities: Iterable[Activity],
        links: Iterable[Dependency],
        children: Mapping[int, tuple[int, ...]] | None = None,
    ) -> Network:
        """Build the network.

        Raises
        ------
        CircleError
            When links run in a circle; it carries the keys the circle runs through.
        """
        activities, links, children = tuple(activities), tuple(links), children or {}
        incoming: list[list[Dependency]] = [[] for _ in activities]
        outgoing: list[list[Dependency]] = [[] for _ in activities]
        successors: list[list[int]] = [[] for _ in activities]
        for link in links:
            outgoing[link.source].append(link)
            incoming[link.target].append(link)
            successors[link.source].append(link.target)
        parent_of = {child: parent for parent, inner in children.items() for child in inner}
        for child, parent in parent_of.items():
            successors[child].append(parent)
        in_order = all(i < j for i, after in enumerate(successors) for j in after)
        order = list(range(len(activities))) if in_order else topological(successors)
        if len(order) < len(activities):
            raise CircleError(activities[position].key for position in find_circle(successors))
        rank = [0] * len(order)
        for place, position in enumerate(order):
            rank[position] = place
        into, out = tuple(map(tuple, incoming)), tuple(map(tuple, outgoing))
        layout = laid_out(activities, links, children, parent_of, rank)
        return cls(activities, links, children, parent_of, tuple(order), tuple(rank), into, out, layout)

    def with_activities(self, activities: Iterable[Activity]) -> Network:
        """The same links between other activities, position by position."""
        activities = tuple(activities)
        layout = laid_out(activities, self.links, self.children, self.parent_of, self.rank)
        return replace(self, activities=activities, layout=layout)
