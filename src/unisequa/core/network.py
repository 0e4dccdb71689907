"""Activities, the links between them, and their order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import chain

from unisequa.core.calendar import WorkingCalendar
from unisequa.core.document import Edge, LagUnit, LinkType
from unisequa.core.errors import CircleError


@dataclass(frozen=True, slots=True)
class Activity:
    """What is put on the calendar: a step or a task, seen from the computation only.

    Parameters
    ----------
    key : str
    duration : int
        Worked slots (working days on the day grid); 0 is a milestone.
    calendar : WorkingCalendar
    edge : "start" or "finish"
        For a milestone, which kind of boundary it stands on.
    floor : int, optional
        Boundary before which it does not start: its target, or where a run has put it.
    not_before : int, optional
        Another such boundary, from the step's own constraint.
    deadline : int, optional
        Boundary at or before which it should finish.
    done : bool
        It has been done: it sits where it was done and asks nothing of anybody any more.
    """

    key: str
    duration: int
    calendar: WorkingCalendar
    edge: Edge = "finish"
    floor: int | None = None
    not_before: int | None = None
    deadline: int | None = None
    done: bool = False


@dataclass(frozen=True, slots=True)
class Dependency:
    """A link by positions in the network: ``target`` depends on ``source``; ``lag`` in days of ``unit``."""

    source: int
    target: int
    lag: int = 0
    unit: LagUnit = "working"
    type: LinkType = "FS"

    @property
    def plain(self) -> bool:
        """Finish-to-start without lag, as most links are."""
        return not self.lag and self.type == "FS"


@dataclass(frozen=True, slots=True)
class Network:
    """Activities with their links both ways, in topological order.

    ``order`` lists positions, each behind all that it depends on; ``rank`` is its inverse. ``incoming``
    and ``outgoing`` hold the links of each position. The rest is laid out for the inner loops:
    ``before`` and ``after`` the positions at the other end of plain links, ``lagged_in`` and
    ``lagged_out`` the other links, ``calendars`` each calendar once and ``calendar_of`` which one a
    position uses, ``plain_in`` and ``plain_out`` whether a position is a task with a duration and has only
    plain links and no constraint on that side, ``floors`` and ``durations`` those of the activities
    (-1 for no floor).
    """

    activities: tuple[Activity, ...]
    links: tuple[Dependency, ...]
    order: tuple[int, ...]
    rank: tuple[int, ...]
    incoming: tuple[tuple[Dependency, ...], ...]
    outgoing: tuple[tuple[Dependency, ...], ...]
    before: tuple[tuple[int, ...], ...] = field(repr=False)
    after: tuple[tuple[int, ...], ...] = field(repr=False)
    lagged_in: tuple[tuple[Dependency, ...], ...] = field(repr=False)
    lagged_out: tuple[tuple[Dependency, ...], ...] = field(repr=False)
    calendars: tuple[WorkingCalendar, ...] = field(repr=False, default=())
    calendar_of: tuple[int, ...] = field(repr=False, default=())
    plain_in: tuple[bool, ...] = field(repr=False, default=())
    plain_out: tuple[bool, ...] = field(repr=False, default=())
    floors: tuple[int, ...] = field(repr=False, default=())
    durations: tuple[int, ...] = field(repr=False, default=())

    @classmethod
    def of(cls, activities: Iterable[Activity], links: Iterable[Dependency]) -> Network:
        """Build the network.

        Raises
        ------
        CircleError
            When links run in a circle; it carries the keys the circle runs through.
        """
        activities, links = tuple(activities), tuple(links)
        incoming: list[list[Dependency]] = [[] for _ in activities]
        outgoing: list[list[Dependency]] = [[] for _ in activities]
        for link in links:
            outgoing[link.source].append(link)
            incoming[link.target].append(link)
        successors = [[k.target for k in out] for out in outgoing]
        order = topological(successors)
        if len(order) < len(activities):
            raise CircleError(activities[position].key for position in find_circle(successors))
        rank = [0] * len(order)
        for place, position in enumerate(order):
            rank[position] = place
        return cls(
            activities,
            links,
            tuple(order),
            tuple(rank),
            tuple(map(tuple, incoming)),
            tuple(map(tuple, outgoing)),
            before=tuple(tuple(k.source for k in into if k.plain) for into in incoming),
            after=tuple(tuple(k.target for k in out if k.plain) for out in outgoing),
            lagged_in=tuple(tuple(k for k in into if not k.plain) for into in incoming),
            lagged_out=tuple(tuple(k for k in out if not k.plain) for out in outgoing),
        ).with_activities(activities)

    def with_activities(self, activities: Iterable[Activity]) -> Network:
        """The same links between other activities, position by position."""
        activities = tuple(activities)
        numbers: dict[int, int] = {}
        calendars: list[WorkingCalendar] = []
        calendar_of = []
        for activity in activities:
            number = numbers.setdefault(id(activity.calendar), len(calendars))
            if number == len(calendars):
                calendars.append(activity.calendar)
            calendar_of.append(number)
        return replace(
            self,
            activities=activities,
            calendars=tuple(calendars),
            calendar_of=tuple(calendar_of),
            plain_in=tuple(
                bool(a.duration) and a.not_before is None and not links
                for a, links in zip(activities, self.lagged_in, strict=True)
            ),
            plain_out=tuple(
                bool(a.duration) and a.deadline is None and not links
                for a, links in zip(activities, self.lagged_out, strict=True)
            ),
            floors=tuple(-1 if a.floor is None else max(a.floor, a.not_before or 0) for a in activities),
            durations=tuple(a.duration for a in activities),
        )


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
