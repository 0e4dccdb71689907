"""Activities, the links between them, and their order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import dataclass, field
from itertools import chain
from typing import Literal

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.template import Edge, LagUnit, LinkType
from unisequa.core.errors import CircleError

Stands = Literal["", "fixed", "begun", "done", "dropped"]


@dataclass(frozen=True, slots=True)
class Activity:
    """What is put on the calendar: a step or a task, seen from the computation only.

    Parameters
    ----------
    key : str
    duration : int
        Worked slots; 0 is a milestone.
    calendar : WorkingCalendar
    edge : "start" or "finish"
        For a milestone, which kind of boundary it stands on.
    floor : int, optional
        Boundary before which it does not start: its target, or where a run has put it.
    not_before : int, optional
        Another such boundary, from the step's own constraint.
    deadline : int, optional
        Boundary at or before which it should finish.
    pinned : tuple of int, optional
        Start and finish that no floor moves: what it was done at, what was begun, what somebody fixed.
    stands : str
        Why it is pinned. What is done or dropped asks nothing of anybody any more, and what is dropped does
        not count for the end of the run.
    undated : bool
        It is measured from an anchor that is not known, so no link gives it a date either.
    """

    key: str
    duration: int
    calendar: WorkingCalendar
    edge: Edge = "finish"
    floor: int | None = None
    not_before: int | None = None
    deadline: int | None = None
    pinned: tuple[int, int] | None = None
    stands: Stands = ""
    undated: bool = False

    @property
    def over(self) -> bool:
        """Whether it is done or dropped."""
        return self.stands in {"done", "dropped"}


@dataclass(frozen=True, slots=True)
class Dependency:
    """A link by positions in the network: ``target`` depends on ``source``; ``lag`` in slots of ``unit``."""

    source: int
    target: int
    lag: int = 0
    unit: LagUnit = "working"
    type: LinkType = "FS"


Near = tuple[tuple[int, ...], tuple[int, ...], tuple[int, ...]]
"""Links as three columns: sources, targets, and the distances in worked slots at which the targets may start."""

Stretch = tuple[Near, int]
"""Links, and the position that needs more than they give; -1 for none."""

Over = tuple[tuple[int, int, int], ...]
"""Links of one position: the other end, the distance to the bound, how far the target's end lies behind its start."""


@dataclass(frozen=True, slots=True)
class Network:
    """Activities with their links both ways, in topological order.

    ``order`` lists positions, each behind all that it depends on; ``rank`` is its inverse. ``incoming``
    and ``outgoing`` hold the links of each position. ``children`` maps a parent to the positions it spans;
    links *to* a parent have been made links to each child before, links *from* it stay.

    The rest is laid out for the inner loops. Most links join two activities of one calendar at a distance in
    worked slots that never changes (see :func:`distance`). ``onward`` has those in the order of their targets,
    cut behind each position that the forward pass must look at more closely, which stands beside its piece
    (-1 beside the last); ``back`` the same the other way round for the backward pass. ``over_in`` and
    ``over_out`` have the links where days off between two slots may add one, ``odd_in`` and ``odd_out`` the
    others.

    ``members`` has the positions of each calendar, ``lasts`` the durations less one; ``floored``,
    ``milestones``, ``limited`` and ``deadlines`` the positions that have a floor (or are pinned), no duration, a
    "not before" without a floor, a deadline; ``apart`` those that are pinned, undated or parents.
    """

    activities: tuple[Activity, ...]
    links: tuple[Dependency, ...]
    children: Mapping[int, tuple[int, ...]]
    parent_of: Mapping[int, int]
    order: tuple[int, ...]
    rank: tuple[int, ...]
    incoming: tuple[tuple[Dependency, ...], ...]
    outgoing: tuple[tuple[Dependency, ...], ...]
    onward: tuple[Stretch, ...] = field(repr=False)
    back: tuple[Stretch, ...] = field(repr=False)
    over_in: Mapping[int, Over] = field(repr=False)
    over_out: Mapping[int, Over] = field(repr=False)
    odd_in: Mapping[int, tuple[Dependency, ...]] = field(repr=False)
    odd_out: Mapping[int, tuple[Dependency, ...]] = field(repr=False)
    members: tuple[tuple[WorkingCalendar, tuple[int, ...]], ...] = field(repr=False)
    durations: tuple[int, ...] = field(repr=False)
    lasts: tuple[int, ...] = field(repr=False)
    floored: tuple[int, ...] = field(repr=False)
    milestones: tuple[int, ...] = field(repr=False)
    limited: frozenset[int] = field(repr=False)
    deadlines: tuple[int, ...] = field(repr=False)
    apart: frozenset[int] = field(repr=False)

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
        return _laid_out(activities, links, children, parent_of, tuple(order), tuple(rank), into, out)

    def with_activities(self, activities: Iterable[Activity]) -> Network:
        """The same links between other activities, position by position."""
        return _laid_out(
            tuple(activities),
            self.links,
            self.children,
            self.parent_of,
            self.order,
            self.rank,
            self.incoming,
            self.outgoing,
        )


def _laid_out(
    activities: tuple[Activity, ...],
    links: tuple[Dependency, ...],
    children: Mapping[int, tuple[int, ...]],
    parent_of: Mapping[int, int],
    order: tuple[int, ...],
    rank: tuple[int, ...],
    incoming: tuple[tuple[Dependency, ...], ...],
    outgoing: tuple[tuple[Dependency, ...], ...],
) -> Network:
    near: list[tuple[int, int, int]] = []
    number = list(range(len(activities)))  # each once, side by side in memory: a quarter of the time of large jobs
    over_in: dict[int, list[tuple[int, int, int]]] = {}
    over_out: dict[int, list[tuple[int, int, int]]] = {}
    odd_in: dict[int, list[Dependency]] = {}
    odd_out: dict[int, list[Dependency]] = {}
    apart = children.keys() | {i for i, activity in enumerate(activities) if activity.pinned or activity.undated}
    for link in links:
        source, target = link.source, link.target
        p, s = activities[source], activities[target]
        if not (apart and (source in apart or target in apart)):
            gap = distance(link, p, s)
            if gap is not None and not may_rest(link, p, s):
                near.append((number[source], number[target], gap))
                continue
            if gap is not None:
                behind = ahead(s, link.type[1])
                over_in.setdefault(target, []).append((source, gap + behind, behind))
                over_out.setdefault(source, []).append((target, gap + behind, behind))
                continue
        if not (s.pinned or s.undated or p.undated or p.stands == "dropped"):
            odd_in.setdefault(target, []).append(link)
        begun = (p.stands == "begun" and link.type[0] == "S") or (s.stands == "begun" and link.type[1] == "S")
        if not (p.over or s.over or p.undated or s.undated or begun):
            odd_out.setdefault(source, []).append(link)
    members: dict[int, list[int]] = {}
    for i, activity in enumerate(activities):
        members.setdefault(id(activity.calendar), []).append(i)
    each = list(enumerate(activities))
    limited = frozenset(i for i, a in each if a.floor is None and a.not_before is not None and not a.pinned)
    near.sort(key=lambda link: rank[link[1]])
    onward = _stretches(near, rank, {*over_in, *odd_in, *children, *limited})
    fixed = {i for i in apart if activities[i].stands == "fixed"}
    back = _stretches(near, rank, {*over_out, *odd_out, *children, *parent_of, *fixed})
    return Network(
        activities,
        links,
        children,
        parent_of,
        order,
        rank,
        incoming,
        outgoing,
        tuple((_columns(links), special) for links, special in onward),
        tuple((_columns(links[::-1]), special) for links, special in reversed(back)),
        {i: tuple(found) for i, found in over_in.items()},
        {i: tuple(found) for i, found in over_out.items()},
        {i: tuple(found) for i, found in odd_in.items()},
        {i: tuple(found) for i, found in odd_out.items()},
        tuple((activities[positions[0]].calendar, tuple(positions)) for positions in members.values()),
        tuple(activity.duration for activity in activities),
        tuple(activity.duration - 1 for activity in activities),
        tuple(i for i, a in each if a.pinned or (a.floor is not None and not a.undated)),
        tuple(i for i, a in each if not a.duration),
        limited,
        tuple(i for i, a in each if a.deadline is not None),
        frozenset(apart),
    )


def _stretches(
    near: list[tuple[int, int, int]], rank: tuple[int, ...], special: Set[int]
) -> list[tuple[list[tuple[int, int, int]], int]]:
    pieces = []
    begun = at = 0
    for position in sorted(special, key=rank.__getitem__):
        while at < len(near) and rank[near[at][1]] <= rank[position]:
            at += 1
        pieces.append((near[begun:at], position))
        begun = at
    return [*pieces, (near[begun:], -1)]


def _columns(near: list[tuple[int, int, int]]) -> Near:
    return tuple(a for a, _, _ in near), tuple(b for _, b, _ in near), tuple(c for _, _, c in near)


def closes(activity: Activity, end: str) -> bool:
    """Whether this end stands right behind a worked slot, as a finish does, rather than right before one."""
    return end == "F" if activity.duration else activity.edge == "finish"


def ahead(activity: Activity, end: str) -> int:
    """How many worked slots this end lies behind the activity's start."""
    return activity.duration if end == "F" else 0


def distance(link: Dependency, source: Activity, target: Activity) -> int | None:
    """How many worked slots the target must start behind the source's start, where that never changes.

    It does not where both count on one calendar and the lag is a working one, since for the numbers that
    :meth:`~unisequa.core.calendars.days.WorkingCalendar.index` gives

        index(end of source ⊕ lag) = index(end of source) + lag

    and None stands for all other links. Where :func:`may_rest` it may be one more.
    """
    if source.calendar is not target.calendar or (link.unit == "elapsed" and link.lag):
        return None
    return ahead(source, link.type[0]) + link.lag - ahead(target, link.type[1])


def may_rest(link: Dependency, source: Activity, target: Activity) -> bool:
    """Whether the bound stands right before a worked slot and is asked of an end right behind one.

    Days off may then lie between them, and the end must stand behind the slot that follows.
    """
    behind = link.lag > 0 or (not link.lag and closes(source, link.type[0]))
    return not behind and closes(target, link.type[1])


def topological(successors: Sequence[Sequence[int]]) -> list[int]:
    """Positions so that each stands behind its predecessors; shorter than the input if there is a circle."""
    count = Counter(chain.from_iterable(successors)).get
    waiting = [count(position, 0) for position in range(len(successors))]
    order = [position for position, count in enumerate(waiting) if not count]
    for position in order:  # grows while it is walked
        for target in successors[position]:
            waiting[target] -= 1
            if not waiting[target]:
                order.append(target)
    return order


def find_circle(successors: Sequence[Sequence[int]]) -> list[int]:
    """One circle as positions, the first repeated at the end; empty when there is none."""
    state = bytearray(len(successors))  # 0 unseen, 1 on the path, 2 finished
    for root in range(len(successors)):
        if state[root]:
            continue
        path, branches = [root], [iter(successors[root])]
        state[root] = 1
        while path:
            target = next(branches[-1], None)
            if target is None:
                state[path.pop()] = 2
                branches.pop()
            elif state[target] == 1:
                return [*path[path.index(target) :], target]
            elif not state[target]:
                state[target] = 1
                path.append(target)
                branches.append(iter(successors[target]))
    return []
