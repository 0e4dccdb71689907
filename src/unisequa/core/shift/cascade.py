"""A shift of a plan and what follows from it.

What is downstream follows in one of three modes; links and "not before" hold in each of them, as in
:mod:`unisequa.core.network.forward`. Downstream is what can be reached through links from an edited task, from the
target of a link added or removed, from what followed a dropped task, from tasks that stand on or behind days closed or
reopened or are measured across them, from tasks given another calendar; whether or not what lies between has moved.

=======  =========================================================================================
push     start(S) ≥ the start it has: a date is kept unless a link or a day off forces it later
carry    start(S) ≥ the start it has, moved by as many worked slots as what it follows has moved
tighten  start(S) ≥ its target, nothing else: the earliest place its floors allow; in a plan that runs
         backward what has no date of its own goes as late as what follows allows
=======  =========================================================================================

In *push* and *carry* only what follows something that moves is looked at, in topological order, so the work is
proportional to what may move and not to the size of the run. Moving the whole run moves all of it by just as much.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator

from unisequa.core.errors import DateRangeError, ShiftError
from unisequa.core.network.forward import Early
from unisequa.core.network.latest import places_at
from unisequa.core.network.places import UNDATED, number_from, span_at
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.carrying_out import prepare
from unisequa.core.shift.changes import Cause, Change, Held
from unisequa.core.shift.conflicts import conflicts
from unisequa.core.shift.edits import Edit
from unisequa.core.shift.prepared import Prepared
from unisequa.core.shift.result import MODES, Cascade, Mode
from unisequa.core.terms import FINISHED

_NEVER = -(10**15)


def cascade(plan: Plan, edits: Iterable[Edit], mode: Mode = "push", *, by_itself: bool = False) -> Cascade:
    """What a shift does.

    Parameters
    ----------
    plan : Plan
    edits : iterable of Edit
        Made together; of several of one kind on one task the last holds.
    by_itself : bool
        Nobody asked for it, so dates that a person has put stay, links apart.

    Raises
    ------
    ShiftError
        For a task that is not there, is done, or a date or duration that cannot be.
    """
    edits = tuple(edits)
    if mode not in MODES:
        raise ShiftError(f'"{mode}" is none of the modes push, carry, tighten')
    try:
        prepared = prepare(plan, edits)
        moved, held = _Following(prepared, mode, by_itself=by_itself).follow()
        changes = tuple(
            moved[i] for i in sorted(moved, key=lambda i: (moved[i].cause != "edited", prepared.network.rank[i]))
        )
        run_into = conflicts(prepared, changes, held, _finish(prepared, moved))
    except DateRangeError as error:
        raise ShiftError(f"{error}; choose a date nearer to today") from error
    states = tuple(
        (task.key, plan.tasks[i].state, task.state)
        for i, task in sorted(prepared.tasks.items())
        if (task.state, task.fixed) != (plan.tasks[i].state, plan.tasks[i].fixed)
    )
    return Cascade(plan, edits, mode, changes, states, tuple(run_into), _finish(prepared, moved), prepared, moved)


class _Following:
    """One cascade: what has moved so far, and what is still to be looked at, in topological order."""

    def __init__(self, prepared: Prepared, mode: Mode, *, by_itself: bool = False) -> None:
        self.p, self.mode, self.network, self.by_itself = prepared, mode, prepared.network, by_itself
        self.seeds = {*prepared.wishes, *prepared.pins, *prepared.looked_at}
        self.downstream = self._downstream() if mode == "tighten" else self.seeds
        self.places: dict[int, int] = {}
        self._begin()

    def _begin(self) -> None:
        self.moved: dict[int, Change] = {}
        self.held: list[Held] = []
        self.emptied: set[int] = set()
        self.pushed: set[int] = set()
        """Those that move with the whole run, and further because of a link."""
        self.fronts = self.network.fronts(self._span)
        self.queue = [(self.network.rank[i], i) for i in self.downstream]
        self.queued = set(self.downstream)

    def _downstream(self) -> set[int]:
        """All that is downstream, the parents of it included."""
        network, found, queue, seen = self.network, set(self.seeds), list(self.seeds), set[int]()
        for i in queue:
            above = network.parent_of.get(i)
            for j in (*network.targets(i, seen=seen), *(() if above is None else (above,))):
                if j not in found:
                    found.add(j)
                    queue.append(j)
        return found

    def follow(self) -> tuple[dict[int, Change], list[Held]]:
        """Let everything follow; twice in a plan that runs backward, where something is placed by what follows it."""
        free = self._free()
        if free:
            self.emptied |= free  # nowhere yet, so that they hold nothing
            self._run()
            self.places = self._placed(free)
            self._begin()
        self._run()
        return self.moved, self.held

    def _free(self) -> set[int]:
        """What *tighten* places as late as what follows it allows."""
        p = self.p
        if self.mode != "tighten" or p.plan.direction != "backward":
            return set()
        return {
            i
            for i in self.downstream
            if i not in self.network.children
            and i not in p.wishes
            and i not in p.pins
            and not p.task(i).stands
            and p.task(i).when is None
            and not p.task(i).opens
            and any(True for _ in self.network.targets(i))
        }

    def _placed(self, free: set[int]) -> dict[int, int]:
        network, n = self.network, len(self.p.plan.tasks)
        spans = [self._span(i) for i in range(n)]
        early = Early([a for a, _ in spans], [b for _, b in spans], [])
        edited = network.with_activities(self.p.activity(i) for i in range(n))
        return places_at(edited, early, free)

    def _run(self) -> None:
        network = self.network
        heapq.heapify(self.queue)
        while self.queue:
            _, i = heapq.heappop(self.queue)
            if i >= network.knots.base:
                for link in network.knots.out_of.get(i, ()):
                    self._then(link.target)
                continue
            change = self._parent(i) if i in network.children else self._look_at(i)
            if change is None:
                continue
            self.moved[i] = change
            for link in network.outgoing[i]:
                self._then(link.target)
            for link in network.knots.behind.get(i, ()):
                self._then(link.target)
            if (parent := network.parent_of.get(i)) is not None:
                self._then(parent)

    def _then(self, i: int) -> None:
        if i not in self.queued:
            self.queued.add(i)
            heapq.heappush(self.queue, (self.network.rank[i], i))

    def _span(self, i: int) -> tuple[int, int]:
        if i in self.emptied:
            return UNDATED, UNDATED
        return self.moved[i].after if i in self.moved else self.p.stands(i)

    def _look_at(self, i: int) -> Change | None:
        p, activity = self.p, self.p.activity(i)
        if i in p.pins:
            return self._changed(i, p.pins[i], p.causes.get(i, "closure"), None)
        if p.task(i).stands or (activity.undated and i not in p.wishes):
            return None  # what is begun, done or fixed stands where it is
        own, carrier = self._floor(i)
        k, via = own, None
        exact = i in p.exact
        for link, ask in self.network.held_by(i, self.fronts):
            if exact and not self._presses(ask.source):
                continue
            asked = number_from(activity, link.type[1], ask.bound(activity))
            if asked > k:
                k, via = asked, ask.source
        if k == _NEVER:
            return None
        if exact and via is not None:
            self.pushed.add(i)
        limit = _NEVER if exact else self._limit(i)
        if limit > k:
            k, via = limit, None
        self.emptied.discard(i)
        after = span_at(activity, k)
        if i in p.by_hand and via is not None:
            self.held.append(Held(i, span_at(activity, own), after, via))
        if i in p.wishes:
            cause: Cause = p.causes[i]
        elif p.causes.get(i) == "closure" and after[0] == p.stands(i)[0]:
            return self._changed(i, after, "closure", None)  # only the days within it are other ones
        elif via is None and carrier is None:
            cause = p.causes.get(i, "following")
        else:
            cause = "following"
        return self._changed(i, after, cause, via if via is not None else carrier)

    def _presses(self, source: int) -> bool:
        """Whether a source holds what moves with the whole run: another edit has put it where it is, too."""
        p = self.p
        if source in p.exact:
            return source in self.pushed
        if source in self.network.children:
            return any(self._presses(leaf) for leaf in p.plan.leaves(source))
        return source in self.moved or source in p.wishes or source in p.pins

    def _limit(self, i: int) -> int:
        """The number that "not before" and catching up ask for; nothing where somebody has put the task before it."""
        p, activity, start = self.p, self.p.activity(i), self.p.stands(i)[0]
        earliest = _NEVER if p.earliest is None else number_from(activity, "S", p.start_of(p.task(i), p.earliest))
        if self.mode == "push" or i in p.wishes:
            earliest = _NEVER  # nothing comes earlier by itself
        if activity.not_before is None or i in p.by_hand:
            return earliest
        limit = number_from(activity, "S", activity.not_before)
        kept = start != UNDATED and number_from(activity, "S", start) < limit
        held = not kept or self.mode == "tighten" or i in p.limited
        return max(limit, earliest) if held else earliest

    def _floor(self, i: int) -> tuple[int, int | None]:
        """The number before which a task does not start, links aside, and the predecessor it is carried by."""
        p, activity = self.p, self.p.activity(i)
        if i in p.wishes:
            return number_from(activity, "S", p.wishes[i]), None
        if i in self.places:
            return number_from(activity, "S", self.places[i]), None
        start, task = p.stands(i)[0], p.task(i)
        stands = _NEVER if start == UNDATED else number_from(activity, "S", start)
        if start != UNDATED and (self.mode == "push" or (self.by_itself and task.put)):
            return stands, None
        if self.mode == "carry" and start != UNDATED:
            carrier = max(self._carriers(i), default=None)
            return (stands, None) if carrier is None else (stands + carrier[0], carrier[1])
        if task.target is not None:
            return number_from(activity, "S", task.target[0]), None
        if task.opens:
            return stands, None
        if self._follows(i) or (self.mode == "tighten" and p.plan.direction == "backward"):
            return _NEVER, None
        first = next(iter(p.anchors.values()), None)  # it follows nothing any more, so it opens the job
        return (stands if first is None else number_from(activity, "S", first)), None

    def _follows(self, i: int) -> bool:
        return bool(self.network.incoming[i]) or i in self.network.knots.before

    def _carriers(self, i: int) -> Iterator[tuple[int, int]]:
        """By how much each moved predecessor has moved, and which it is."""
        network, seen = self.network, set[int]()
        queue = [*network.incoming[i], *network.knots.before.get(i, ())]
        for link in queue:
            if link.source >= network.knots.base:
                if link.source not in seen:
                    seen.add(link.source)
                    queue += network.knots.into.get(link.source, ())
            elif link.source in self.moved:
                change = self.moved[link.source]
                yield (change.delta if link.type[0] == "F" else change.delta_start), link.source

    def _parent(self, i: int) -> Change | None:
        inner = [
            (child, span)
            for child in self.network.children[i]
            if (span := self._span(child))[0] != UNDATED and self.p.task(child).state != "dropped"
        ]
        if not inner:
            self.emptied.add(i)
            return None
        after = min(span[0] for _, span in inner), max(span[1] for _, span in inner)
        old = self.p.stands(i)
        moved = [child for child, _ in inner if child in self.moved]
        side = 1 if after[1] != old[1] else 0
        via = next(
            (child for child in moved if self.moved[child].after[side] == after[side]), moved[0] if moved else None
        )
        return self._changed(i, after, "following", via)

    def _changed(self, i: int, after: tuple[int, int], cause: Cause, via: int | None) -> Change | None:
        p, old, activity = self.p, self.p.stands(i), self.p.activity(i)
        resized = None
        if i not in self.network.children and activity.duration != p.plan.tasks[i].duration:
            resized = activity.duration
        if after == old and resized is None:
            return None
        dated = old[0] != UNDATED
        return Change(
            p.plan.tasks[i].key,
            old if dated else None,
            after,
            activity.calendar.count(old[1], after[1]) if dated else 0,
            cause,
            None if via is None else p.plan.tasks[via].key,
            resized,
            activity.calendar.count(old[0], after[0]) if dated else 0,
        )


def _finish(prepared: Prepared, moved: dict[int, Change]) -> tuple[int, int]:
    """The last finish of the run before and after; the whole run is only looked through where it may be earlier."""
    plan, old = prepared.plan, prepared.plan.schedule.latest
    counted = (c for i, c in moved.items() if prepared.task(i).state != "dropped" and not plan.is_parent(i))
    latest = max((change.after[1] for change in counted), default=UNDATED)
    if latest >= old and not prepared.turned:
        return old, latest
    last = any(change.before and change.before[1] == old for change in moved.values())
    if last or prepared.turned or any(task.state in FINISHED for task in prepared.tasks.values()):
        rest = (
            prepared.stands(i)[1]
            for i in range(len(plan.tasks))
            if i not in moved and prepared.task(i).state != "dropped" and not plan.is_parent(i)
        )
        return old, max(latest, max(rest, default=UNDATED))
    return old, old
