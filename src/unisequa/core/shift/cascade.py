"""A shift of a plan and what follows from it.

What depends on an edited task follows in one of three modes; links and "not before" hold in each of them, as
in :mod:`unisequa.core.network.backward`:

=======  =========================================================================================
push     start(S) ≥ the start it has: a date is kept unless a link or a day off forces it later
carry    start(S) ≥ the start it has, moved by as many worked slots as what it follows has moved
tighten  start(S) ≥ its target, nothing else: the earliest place its floors allow
=======  =========================================================================================

Only what is downstream of an edit is looked at, in topological order, so the work is proportional to
what may move and not to the size of the run.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from unisequa.core.errors import DateRangeError, DocumentError, ShiftError
from unisequa.core.network.activities import Dependency
from unisequa.core.network.places import UNDATED, number_asked, number_from, span_at
from unisequa.core.plan.plan import Plan, days_of, replanned
from unisequa.core.plan.reasons import link_words
from unisequa.core.shift.carrying_out import in_force, prepare
from unisequa.core.shift.changes import Cause, Change, Conflict, Held
from unisequa.core.shift.conflicts import conflicts
from unisequa.core.shift.edits import Edit
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import FINISHED, State

Mode = Literal["push", "carry", "tighten"]
MODES: tuple[Mode, ...] = ("push", "carry", "tighten")
_NEVER = -(10**15)


@dataclass(frozen=True, slots=True)
class Cascade:
    """What a shift does to a plan; the plan itself is not changed.

    ``moved`` has the changes by position.
    ``states`` lists the tasks whose state or fixing changes, with the old and the new state. ``finish`` holds
    the old and the new last boundary of the whole plan.
    """

    plan: Plan
    edits: tuple[Edit, ...]
    mode: Mode
    changes: tuple[Change, ...]
    states: tuple[tuple[str, State, State], ...]
    conflicts: tuple[Conflict, ...]
    finish: tuple[int, int]
    prepared: Prepared
    moved: Mapping[int, Change] = field(repr=False)

    @property
    def unchanged(self) -> int:
        """How many tasks keep their dates."""
        return len(self.plan.tasks) - len(self.changes)

    @property
    def empty(self) -> bool:
        """Whether the shift leaves everything as it is."""
        p = self.prepared
        same = p.links == self.plan.links and p.anchors == self.plan.anchors and p.calendars is self.plan.calendars
        return same and not self.changes and not self.states and not p.tasks

    @property
    def affected(self) -> tuple[str, ...]:
        """The roles whose tasks change, in the order of the tasks."""
        positions = self.plan.positions
        roles = (self.plan.tasks[i].role for i in sorted(positions[change.key] for change in self.changes))
        return tuple(dict.fromkeys(role for role in roles if role))

    def read(self, change: Change) -> tuple[tuple[int, int] | None, tuple[int, int]]:
        """Old and new dates of a change as people read them."""
        i = self.plan.position(change.key)
        after = self.plan.read_at(i, self.span)
        assert after
        return self.plan.read(i), after

    def span(self, position: int) -> tuple[int, int]:
        """Where a task stands afterwards, as boundaries."""
        change = self.moved.get(position)
        return change.after if change else self.prepared.stands(position)

    def days(self, change: Change) -> tuple[tuple[int, int] | None, tuple[int, int]]:
        """The days that a task touched before, and touches after."""
        before, after = self.read(change)
        days = days_of(after, change.after[0] < change.after[1], self.plan.grid)
        assert days
        return days_of(before, True, self.plan.grid), days

    def reason(self, change: Change) -> str:
        """Why this task moves, in words."""
        plan, i = self.plan, self.plan.position(change.key)
        task = self.prepared.task(i)
        if change.cause == "edited":
            return self._edited(i)
        if change.cause == "closure":
            return "a working day more" if change.delta < 0 else "a day it needs is closed"
        if change.cause == "anchor" and change.via is None:
            label = plan.labels.get(task.when.anchor) if task.when else None
            return f"moves with {label}" if label else "moves with the run"
        if change.via is not None:
            for link in self.prepared.network.incoming[i]:
                if plan.tasks[link.source].key == change.via:
                    return link_words(plan, link, plan.read_at(link.source, self.span))
            return f"spans {plan.tasks[plan.position(change.via)].title}"
        return "has room to come earlier" if change.delta < 0 else "follows"

    def _edited(self, i: int) -> str:
        """What the edits of a task say of it: the one that gives it another state before all else."""
        plan = self.plan
        keys = {plan.tasks[above].key for above in plan.above(i)}
        made = [edit for edit in in_force(self.edits) if edit.task in keys] or list(self.edits)
        edit = max(made, key=lambda edit: (edit.restates, edit.turn))
        return edit.said(plan.tasks[i], self.prepared.task(i), plan.grid)

    def after(self) -> Plan:
        """The whole plan afterwards, slack and criticality worked out anew.

        Raises
        ------
        ShiftError
            Where late dates fall outside the years 1 to 9999.
        """
        plan, p = self.plan, self.prepared
        tasks = tuple(p.task(i) for i in range(len(plan.tasks)))
        dates = {
            task.key: (plan.schedule.start[i], plan.schedule.finish[i])
            for i, task in enumerate(tasks)
            if plan.schedule.start[i] != UNDATED
        }
        dates |= {change.key: change.after for change in self.changes}
        try:
            return replanned(plan, dates, tasks=tasks, links=p.links, calendars=p.calendars, anchors=p.anchors)
        except (DateRangeError, DocumentError) as error:
            raise ShiftError(f"{error}; choose a date nearer to today") from error

    def criticality(self, after: Plan) -> tuple[list[str], list[str]]:
        """Keys that become critical, and keys that cease to be."""
        became: list[str] = []
        ceased: list[str] = []
        for i, task in enumerate(self.plan.tasks):
            was, is_now = self.plan.schedule.critical[i], after.schedule.critical[i]
            if was != is_now:
                (became if is_now else ceased).append(task.key)
        return became, ceased


def cascade(plan: Plan, edits: Iterable[Edit], mode: Mode = "push") -> Cascade:
    """What a shift does.

    Parameters
    ----------
    plan : Plan
    edits : iterable of Edit
        Made together; of several of one kind on one task the last holds.

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
        moved, held = _Following(prepared, mode).follow()
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

    def __init__(self, prepared: Prepared, mode: Mode) -> None:
        self.p, self.mode, self.network = prepared, mode, prepared.network
        self.moved: dict[int, Change] = {}
        self.held: list[Held] = []
        self.emptied: set[int] = set()
        seeds = {*prepared.wishes, *prepared.pins, *prepared.looked_at}
        self.queue = [(self.network.rank[i], i) for i in seeds]
        self.queued = set(seeds)

    def follow(self) -> tuple[dict[int, Change], list[Held]]:
        heapq.heapify(self.queue)
        while self.queue:
            _, i = heapq.heappop(self.queue)
            change = self._parent(i) if i in self.network.children else self._look_at(i)
            if change is None:
                continue
            self.moved[i] = change
            for link in self.network.outgoing[i]:
                self._then(link.target)
            if (parent := self.network.parent_of.get(i)) is not None:
                self._then(parent)
        return self.moved, self.held

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
        for link in self.network.incoming[i]:
            source = self._span(link.source)
            if source[0] == UNDATED:
                continue
            asked = number_asked(link, source, activity)
            if asked > k:
                k, via = asked, link.source
        if k == _NEVER:
            return None
        limit = self._limit(i)
        if limit > k:
            k, via = limit, None
        after = span_at(activity, k)
        if i in p.by_hand and via is not None:
            self.held.append(Held(i, span_at(activity, own), after, via))
        if i in p.wishes:
            cause: Cause = p.causes[i]
        elif via is None and carrier is None:
            cause = p.causes.get(i, "following")
        else:
            cause = "following"
        return self._changed(i, after, cause, via if via is not None else carrier)

    def _limit(self, i: int) -> int:
        """The number that "not before" asks for; nothing where somebody has put the task before it, now or earlier."""
        p, activity, start = self.p, self.p.activity(i), self.p.stands(i)[0]
        if activity.not_before is None or i in p.by_hand:
            return _NEVER
        limit = number_from(activity, "S", activity.not_before)
        kept = start != UNDATED and number_from(activity, "S", start) < limit
        return _NEVER if kept and self.mode != "tighten" and i not in p.looked_at else limit

    def _floor(self, i: int) -> tuple[int, int | None]:
        """The number before which a task does not start, links aside, and the predecessor it is carried by."""
        p, activity = self.p, self.p.activity(i)
        if i in p.wishes:
            return number_from(activity, "S", p.wishes[i]), None
        start, task = p.stands(i)[0], p.task(i)
        followed = any(link.source in self.moved for link in self.network.incoming[i])
        stands = _NEVER if start == UNDATED else number_from(activity, "S", start)
        if start != UNDATED and (self.mode == "push" or not (followed or self._freed(i))):
            return stands, None
        if self.mode == "carry" and start != UNDATED:
            carrier = max(
                (link for link in self.network.incoming[i] if link.source in self.moved), key=self._delta, default=None
            )
            return (stands, None) if carrier is None else (stands + self._delta(carrier), carrier.source)
        if task.target is not None:
            return number_from(activity, "S", task.target[0]), None
        if task.opens or self.network.incoming[i]:
            return (stands if task.opens else _NEVER), None
        first = next(iter(p.anchors.values()), None)  # it follows nothing any more, so it opens the job
        return (stands if first is None else number_from(activity, "S", first)), None

    def _freed(self, i: int) -> bool:
        """Whether the shift itself changes what a task follows."""
        return i in self.p.looked_at and self.p.network is not self.p.plan.network and self.p.links != self.p.plan.links

    def _delta(self, link: Dependency) -> int:
        change = self.moved[link.source]
        return change.delta if link.type[0] == "F" else change.delta_start

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
    if latest >= old:
        return old, latest
    last = any(change.before and change.before[1] == old for change in moved.values())
    if last or any(task.state in FINISHED for task in prepared.tasks.values()):
        rest = (
            finish
            for i, finish in enumerate(plan.schedule.finish)
            if i not in moved and prepared.task(i).state != "dropped" and not plan.is_parent(i)
        )
        return old, max(latest, max(rest, default=UNDATED))
    return old, old
