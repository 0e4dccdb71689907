"""A shift of one run and what follows from it in the runs that wait for it, each by its own ``follow``.

==========  ==================================================================================
follow      what waits for something that moved elsewhere
==========  ==================================================================================
``ask``     nothing moves; a push is made ready, or a tighten where it could come forward
``late``    what can no longer hold moves later, as by *push*
``both``    it and all behind it go where their floors put them, as by *tighten*
==========  ==================================================================================

What moves in a run goes on to those that wait for it. Each run is worked out from where it stood before, however often
it is reached, so that it gets one shift. The first run may be reached again, by a way round.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan, replanned
from unisequa.core.plan.task import Awaited
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Edit, HoldWaits, MoveAnchor
from unisequa.core.shift.edits.following import awaits_more
from unisequa.core.shift.finishing import moved
from unisequa.core.shift.result import Cascade, Mode
from unisequa.core.terms import FINISHED

MOST_ROUNDS = 12
"""How often one run is worked out anew: where runs wait for each other in a circle there is no end to it."""


@dataclass(frozen=True, slots=True)
class Reached:
    """A run that a shift elsewhere reaches.

    Parameters
    ----------
    plan : Plan
        As it stands with what it waits for where that would be, and nothing moved yet.
    keys : tuple of str
        Its tasks whose awaited tasks have moved.
    edits : tuple of Edit
        What follows from it: those tasks go where they may, anchors go with those they are taken from.
    moves, offers : Cascade, optional
        What moves by itself, or what its keeper is asked; neither where everything still holds.
    text : str
        In words what is asked.
    """

    run: int
    plan: Plan
    keys: tuple[str, ...]
    edits: tuple[Edit, ...]
    moves: Cascade | None = None
    offers: Cascade | None = None
    text: str = ""

    @property
    def after(self) -> Plan:
        """The run as it would stand."""
        return self.moves.after() if self.moves is not None else self.plan


@dataclass(frozen=True, slots=True)
class Beside:
    """A run that takes something from others.

    Parameters
    ----------
    plan : Plan
        As it stands.
    taken : mapping of str to (int, str)
        Anchor → the run and the anchor there that it has its date from.
    goes_along : bool
        Whether its anchors move with those at once, whatever its ``follow`` says: who shifts may shift it too.
    """

    plan: Plan
    taken: Mapping[str, tuple[int, str]]
    goes_along: bool = False


Neighbours = Callable[[int], Iterable[tuple[int, Beside]]]
"""Run → those that wait for it or take anchors from it."""


def spread(first: int, before: Plan, after: Plan, neighbours: Neighbours) -> tuple[Reached, ...]:
    """What a shift of a run does to others, in the order in which they are reached; those that it leaves as they are
    are left out."""
    stands: dict[int, Plan] = {first: after}
    was: dict[int, Plan] = {first: before}
    found: dict[int, Reached] = {}
    rounds: Counter[int] = Counter()
    queue = [first]
    while queue:
        here = queue.pop(0)
        for number, beside in neighbours(here):
            base = after if number == first else beside.plan
            if rounds[number] == MOST_ROUNDS:
                continue
            rounds[number] += 1
            was.setdefault(number, base)
            reached = _reached(number, replace(beside, plan=base), was, stands)
            former = found[number].after if number in found else base
            if reached is None:
                found.pop(number, None)
                stands[number] = base
            else:
                found[number], stands[number] = reached, reached.after
            if _differ(former, stands[number]) and number not in queue:
                queue.append(number)
    return tuple(found.values())


def _differ(one: Plan, other: Plan) -> bool:
    """Whether anything in a run stands elsewhere that others may wait for."""
    return (one.schedule.finish, one.anchors) != (other.schedule.finish, other.anchors) or any(
        a.state != b.state for a, b in zip(one.tasks, other.tasks, strict=True)
    )


def _reached(number: int, beside: Beside, was: Mapping[int, Plan], stands: Mapping[int, Plan]) -> Reached | None:
    plan, keys = _awaiting(beside.plan, stands)
    carried = tuple(_carried(beside, was, stands))
    if not keys and not carried:
        return None
    edits: tuple[Edit, ...] = (*carried, *(HoldWaits(key) for key in keys))
    at_once = plan.follow != "ask" or bool(carried and beside.goes_along)
    forced = _moving(plan, edits, "push")
    if at_once:
        moves = _moving(plan, edits, "tighten") if plan.follow == "both" and not carried else forced
        if moves is not None:
            return Reached(number, plan, keys, edits, moves=moves)
    if forced is not None:
        words = f"{count_words(moved(forced), 'task')} can no longer hold"
        return Reached(number, plan, keys, edits, offers=forced, text=words)
    forward = _moving(plan, edits, "tighten") if _earlier(beside.plan, plan, keys) else None
    if forward is not None:
        words = f"{count_words(moved(forward), 'task')} could come forward"
        return Reached(number, plan, keys, edits, offers=forward, text=words)
    fixed = [key for key in keys if _too_early(plan, plan.positions[key])]
    if not fixed:
        return None
    return Reached(number, plan, keys, edits, text=f"{count_words(len(fixed), 'fixed task')} can no longer hold")


def _too_early(plan: Plan, i: int) -> bool:
    """Whether something fixed stands before what it waits for."""
    return plan.tasks[i].stands == "fixed" and awaits_more(plan.tasks[i], plan.schedule.start[i])


def _awaiting(plan: Plan, stands: Mapping[int, Plan]) -> tuple[Plan, tuple[str, ...]]:
    """A plan with what it waits for where that would be, and the keys of the tasks to which that makes a difference."""
    tasks = list(plan.tasks)
    keys: list[str] = []
    for i, task in enumerate(plan.tasks):
        waits = tuple(_awaited(one, stands, plan.grid) for one in task.waits)
        if waits == task.waits:
            continue
        tasks[i] = replace(task, waits=waits)
        moved = any(a.finish != b.finish for a, b in zip(task.waits, waits, strict=True))
        if moved and not plan.is_parent(i) and task.state not in FINISHED:
            keys.append(task.key)
    if all(new is old for new, old in zip(tasks, plan.tasks, strict=True)):
        return plan, ()
    start, finish = plan.schedule.start, plan.schedule.finish
    dates = {task.key: (start[i], finish[i]) for i, task in enumerate(tasks) if start[i] != UNDATED}
    return replanned(plan, dates, tasks=tuple(tasks)), tuple(keys)


def _awaited(one: Awaited, stands: Mapping[int, Plan], grid: Grid) -> Awaited:
    if one.of is None or one.of[0] not in stands:
        return one
    there = stands[one.of[0]]
    i = there.positions.get(one.of[1])
    if i is None:
        return one
    return replace(one, finish=finish_on(there, i, grid), done=one.done or there.tasks[i].state in FINISHED)


def finish_on(plan: Plan, i: int, grid: Grid) -> int | None:
    """The boundary at which a task is over, on another run's grid: by the moment where both go by the minute, else at
    the end of its day. None for one that is dropped."""
    shown = plan.read(i)
    if shown is None or plan.tasks[i].state == "dropped":
        return None
    if grid.per_day > 1 and plan.grid.per_day > 1:
        return shown[1] if plan.grid == grid else grid.of_utc(plan.grid.utc(shown[1]))
    return grid.day_start(plan.grid.day(shown[1]) + 1)


def _earlier(before: Plan, plan: Plan, keys: Iterable[str]) -> bool:
    """Whether something awaited is over earlier than it was."""
    return any(
        (old.finish or 0) > (new.finish or 0)
        for i in map(plan.positions.__getitem__, keys)
        for old, new in zip(before.tasks[i].waits, plan.tasks[i].waits, strict=True)
    )


def _carried(beside: Beside, was: Mapping[int, Plan], stands: Mapping[int, Plan]) -> Iterable[Edit]:
    """The anchors that go with those they are taken from."""
    plan = beside.plan
    for anchor, (run, theirs) in beside.taken.items():
        if run not in stands or anchor not in plan.anchors:
            continue
        old, new = was[run].anchors.get(theirs), stands[run].anchors.get(theirs)
        if new is None or new == old:
            continue
        day = stands[run].grid.day(new)
        at = plan.anchors[anchor]
        to = plan.grid.on_day(day, at) if plan.grid.per_day > 1 else day
        if to != at:
            yield MoveAnchor(anchor, to)


def _moving(plan: Plan, edits: tuple[Edit, ...], mode: Mode) -> Cascade | None:
    """A cascade that moves a task or an anchor; None where it does not, or cannot be."""
    try:
        result = cascade(plan, edits, mode, by_itself=True)
    except ShiftError:
        return None
    return result if moved(result) or result.prepared.anchors != plan.anchors else None
