"""The links of a network laid out for the inner loops of its passes."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Mapping, Sequence, Set
from dataclasses import dataclass
from typing import NamedTuple

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.network.activities import Activity, Dependency, ahead, distance, may_rest
from unisequa.core.network.knots import Knots

Near = tuple[tuple[int, int, int], ...]
"""Links: source, target, and the distance in worked slots at which the target may start."""

Over = tuple[tuple[int, int, int], ...]
"""Links of one position: the other end, the distance to the bound, how far the target's end lies behind its start."""


class Stretch(NamedTuple):
    """Links, and what comes behind them: the position that needs more than they give, -1 for none.

    Where it needs no more than its links ``over`` days off, they stand beside it with
    :meth:`~unisequa.core.calendars.days.WorkingCalendar.rested` of its calendar.
    """

    links: Near
    special: int = -1
    over: Over = ()
    rested: Callable[[int], bool] | None = None


@dataclass(frozen=True, slots=True)
class Layout:
    """What the passes walk over. Most links join two activities of one calendar at a distance in worked slots that
    never changes (see :func:`~unisequa.core.network.activities.distance`).

    Parameters
    ----------
    onward, back : tuple of Stretch
        Those links in the order of their targets, cut behind each position that the forward pass must look at more
        closely; ``back`` the other way round for the backward pass.
    over_in, over_out : mapping
        Position → the links where days off between two slots may add one.
    odd_in, odd_out : mapping
        Position → all other links.
    members : tuple
        The positions of each calendar.
    durations, lasts : tuple of int
        Durations in worked slots, and each less one.
    floored, milestones, deadlines : tuple of int
        Positions that have a floor (or are pinned), no duration, a deadline.
    limited : frozenset of int
        Positions with a "not before" but no floor.
    apart : frozenset of int
        Positions that are pinned, undated or parents.
    signed : bool
        Whether links from one of them count from a sign-off.
    """

    onward: tuple[Stretch, ...]
    back: tuple[Stretch, ...]
    over_in: Mapping[int, Over]
    over_out: Mapping[int, Over]
    odd_in: Mapping[int, tuple[Dependency, ...]]
    odd_out: Mapping[int, tuple[Dependency, ...]]
    members: tuple[tuple[WorkingCalendar, tuple[int, ...]], ...]
    durations: tuple[int, ...]
    lasts: tuple[int, ...]
    floored: tuple[int, ...]
    milestones: tuple[int, ...]
    limited: frozenset[int]
    deadlines: tuple[int, ...]
    apart: frozenset[int]
    signed: bool


def laid_out(
    activities: Sequence[Activity],
    links: Iterable[Dependency],
    children: Mapping[int, tuple[int, ...]],
    parent_of: Mapping[int, int],
    rank: Sequence[int],
    knots: Knots,
) -> Layout:
    """Sort the links by how they are to be walked; ``rank`` is each position's place in topological order."""
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

    def stretch(there: Near, special: int, over: Mapping[int, Over], more: Container[int]) -> Stretch:
        if special < 0 or special in more:
            return Stretch(there, special)
        return Stretch(there, special, over[special], activities[special].calendar.rested)

    near.sort(key=lambda link: rank[link[1]])
    near = [(source, target, gap) for source, target, gap in near]  # likewise, as they are walked: a tenth of the time
    more_in = {*odd_in, *children, *limited, *knots.before}
    ins = {i: tuple(links_there) for i, links_there in over_in.items()}
    outs = {i: tuple(links_there) for i, links_there in over_out.items()}
    onward = _stretches(near, rank, more_in | over_in.keys())
    fixed = {i for i in apart if activities[i].stands == "fixed"}
    more_out = {*odd_out, *children, *parent_of, *fixed, *knots.behind, *knots.out_of}
    back = _stretches(near, rank, more_out | over_out.keys())
    return Layout(
        onward=tuple(stretch(tuple(links), special, ins, more_in) for links, special in onward),
        back=tuple(stretch(tuple(links[::-1]), special, outs, more_out) for links, special in reversed(back)),
        over_in=ins,
        over_out=outs,
        odd_in={i: tuple(links_there) for i, links_there in odd_in.items()},
        odd_out={i: tuple(links_there) for i, links_there in odd_out.items()},
        members=tuple((activities[positions[0]].calendar, tuple(positions)) for positions in members.values()),
        durations=tuple(activity.duration for activity in activities),
        lasts=tuple(activity.duration - 1 for activity in activities),
        floored=tuple(i for i, a in each if a.pinned or (a.floor is not None and not a.undated)),
        milestones=tuple(i for i, a in each if not a.duration),
        limited=limited,
        deadlines=tuple(i for i, a in each if a.deadline is not None),
        apart=frozenset(apart),
        signed=any(activities[i].signed is not None for i in apart),
    )


def _stretches(
    near: list[tuple[int, int, int]], rank: Sequence[int], special: Set[int]
) -> list[tuple[list[tuple[int, int, int]], int]]:
    pieces = []
    begun = at = 0
    for position in sorted(special, key=rank.__getitem__):
        while at < len(near) and rank[near[at][1]] <= rank[position]:
            at += 1
        pieces.append((near[begun:at], position))
        begun = at
    return [*pieces, (near[begun:], -1)]
