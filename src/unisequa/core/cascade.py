"""A shift of a plan and what follows from it.

What depends on an edited task follows in one of three modes; links hold in each of them, as in
:mod:`unisequa.core.schedule`:

=======  =========================================================================================
push     start(S) ≥ the start it has: a date is kept unless a link or a day off forces it later
carry    start(S) ≥ the start it has, moved by as many worked slots as what it follows has moved
tighten  start(S) ≥ its target and "not before", nothing else: the earliest place its floors allow
=======  =========================================================================================

Only what is downstream of an edit is looked at, in topological order, so the work is proportional to
what may move and not to the size of the run.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

from unisequa.core.calendar import LAST_DAY
from unisequa.core.document import MOST_DAYS
from unisequa.core.errors import DateRangeError, ShiftError, did_you_mean
from unisequa.core.network import Activity, Dependency
from unisequa.core.plan import FINISHED, Plan, Task, boundaries, read_days, with_dates
from unisequa.core.reasons import link_words
from unisequa.core.schedule import UNDATED, bound_of, place
from unisequa.core.words import day_words

Mode = Literal["push", "carry", "tighten"]
MODES: tuple[Mode, ...] = ("push", "carry", "tighten")
_BEGUN = frozenset({"under way", "in review"})
Cause = Literal["edited", "following"]


@dataclass(frozen=True, slots=True)
class Move:
    """Start a task on ``day``; on a day off it starts on the next working day."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class Due:
    """Have a task due on ``day``; its start follows from its duration."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class Duration:
    """Give a task ``days`` working days, from the start it has."""

    key: str
    days: int


Edit = Move | Due | Duration


@dataclass(frozen=True, slots=True)
class Change:
    """One task whose dates the shift changes.

    ``before`` and ``after`` are boundaries (start, finish), None while undated; ``delta`` the worked
    slots between the old and the new finish; ``via`` the key of the predecessor that forces it.
    """

    key: str
    before: tuple[int, int] | None
    after: tuple[int, int]
    delta: int
    cause: Cause
    via: str | None = None
    duration: int | None = None


@dataclass(frozen=True, slots=True)
class Conflict:
    """What a person should know before applying: ``kind`` is link, deadline, past or target."""

    kind: str
    task: str
    text: str


@dataclass(frozen=True, slots=True)
class Cascade:
    """What a shift does to a plan; the plan itself is not changed.

    ``finish`` holds the old and the new last boundary of the whole plan.
    """

    plan: Plan
    edits: tuple[Edit, ...]
    mode: Mode
    changes: tuple[Change, ...]
    conflicts: tuple[Conflict, ...]
    finish: tuple[int, int]

    @property
    def unchanged(self) -> int:
        """How many tasks keep their dates."""
        return len(self.plan.tasks) - len(self.changes)

    def days(self, change: Change) -> tuple[tuple[int, int] | None, tuple[int, int]]:
        """Old and new days of a change as people read them."""
        task = self.plan.tasks[self.plan.position(change.key)]
        after = read_days(_resized(task, change), *change.after)
        assert after
        return change.before and read_days(task, *change.before), after

    def reason(self, change: Change) -> str:
        """Why this task moves, in words."""
        if change.cause == "edited":
            return "moved by you" if change.duration is None else f"now takes {change.duration} d, set by you"
        after = {c.key: c.after for c in self.changes}
        plan = self.plan
        target = plan.position(change.key)
        for link in plan.network.incoming[target]:
            if plan.tasks[link.source].key == change.via:
                start, finish = list(plan.schedule.start), list(plan.schedule.finish)
                i = link.source
                start[i], finish[i] = after.get(change.via, (start[i], finish[i]))
                shown = replace(plan, schedule=replace(plan.schedule, start=start, finish=finish))
                resized = next((c for c in self.changes if c.key == change.via and c.duration is not None), None)
                if resized:
                    tasks = tuple(_resized(t, resized) if t.key == change.via else t for t in shown.tasks)
                    shown = replace(shown, tasks=tasks)
                return link_words(shown, link)
        return "follows"

    def after(self) -> Plan:
        """The whole plan afterwards, slack and criticality worked out anew."""
        start, finish = list(self.plan.schedule.start), list(self.plan.schedule.finish)
        tasks = list(self.plan.tasks)
        activities = list(self.plan.network.activities)
        for change in self.changes:
            i = self.plan.position(change.key)
            start[i], finish[i] = change.after
            tasks[i] = _resized(tasks[i], change)
            activities[i] = replace(activities[i], duration=tasks[i].duration, floor=change.after[0])
        network = self.plan.network.with_activities(activities)
        return with_dates(replace(self.plan, tasks=tuple(tasks), network=network), start, finish)

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
    wishes = _wishes(plan, edits)
    conflicts: list[Conflict] = []
    try:
        moved = _follow(plan, wishes, mode, conflicts)
    except DateRangeError as error:
        raise ShiftError(f"{error}; choose a date nearer to today") from error
    changes = tuple(moved[i] for i in sorted(moved, key=lambda i: (moved[i].cause != "edited", plan.network.rank[i])))
    conflicts += _conflicts(plan, changes)
    return Cascade(plan, edits, mode, changes, tuple(conflicts), _finish(plan, moved))


def _wishes(plan: Plan, edits: tuple[Edit, ...]) -> Mapping[int, tuple[Activity, int]]:
    """For each edited position: the activity with the duration wanted, and the boundary wanted for its start."""
    by_task: dict[str, dict[type, Edit]] = {}
    for edit in edits:
        wanted = by_task.setdefault(edit.key, {})
        if isinstance(edit, Move | Due):
            wanted.pop(Move, None)
            wanted.pop(Due, None)
        wanted[type(edit)] = edit
    return {_position(plan, key): _wish(plan, key, wanted) for key, wanted in by_task.items()}


def _position(plan: Plan, key: str) -> int:
    if key not in plan.positions:
        raise ShiftError(f'no task "{key}"{did_you_mean(key, plan.positions)}', task=key)
    return plan.positions[key]


def _wish(plan: Plan, key: str, wanted: Mapping[type, Edit]) -> tuple[Activity, int]:
    position = _position(plan, key)
    task, activity = plan.tasks[position], plan.network.activities[position]
    if task.state in FINISHED:
        raise ShiftError(f"{task.title} is {task.state} and never moves; reopen it first", task=key)
    start = plan.schedule.start[position]
    duration = wanted.get(Duration)
    if isinstance(duration, Duration):
        if not 0 <= duration.days <= MOST_DAYS:
            raise ShiftError(f"{task.title} cannot take {duration.days} days; 0 to {MOST_DAYS} can be", task=key)
        if (duration.days == 0) != (task.duration == 0):
            what = "a milestone has no duration" if task.duration == 0 else "a task cannot become a milestone here"
            raise ShiftError(f"{task.title}: {what}; change that in the template", task=key)
        activity = replace(activity, duration=duration.days)
    move = wanted.get(Move) or wanted.get(Due)
    if move is None:
        if start == UNDATED:
            raise ShiftError(f"{task.title} has no date yet; give it one first", task=key)
        return activity, start
    assert isinstance(move, Move | Due)
    if not 1 <= move.day < LAST_DAY:
        raise ShiftError(f"{task.title}: the date falls outside the years 1 to 9999", task=key)
    if task.state in _BEGUN and isinstance(move, Move):
        raise ShiftError(f"{task.title} is {task.state}; its start stands, change its due date instead", task=key)
    if task.state in _BEGUN:
        last = activity.calendar.roll_forward(move.day)
        days = max(1, activity.calendar.count(start, last + 1))
        return replace(activity, duration=days if task.duration else 0), start
    if isinstance(move, Due) and activity.duration:
        last = activity.calendar.roll_forward(move.day)
        return activity, activity.calendar.retreat(last + 1, activity.duration)
    return activity, move.day + 1 if not activity.duration and activity.edge == "finish" else move.day


def _follow(
    plan: Plan, wishes: Mapping[int, tuple[Activity, int]], mode: Mode, conflicts: list[Conflict]
) -> dict[int, Change]:
    network, standing = plan.network, plan.schedule
    moved: dict[int, Change] = {}
    queue = [(network.rank[i], i) for i in wishes]
    heapq.heapify(queue)
    queued = set(wishes)
    while queue:
        _, i = heapq.heappop(queue)
        old = standing.start[i], standing.finish[i]
        edited, begun = i in wishes, plan.tasks[i].state in _BEGUN
        activity = wishes[i][0] if edited else network.activities[i]
        if activity.done or (not edited and (begun or old[0] == UNDATED)):
            continue  # what is done or begun stands where it is
        via = None if edited or mode == "push" else _carrier(network.incoming[i], moved)
        bound = wishes[i][1] if edited else _floor(plan, i, mode, moved[via].delta if via is not None else 0)
        wished = (UNDATED, UNDATED) if bound == UNDATED else place(activity, bound)
        start, finish = wished
        held_by = None
        if edited and begun:
            start, finish = old[0], place(activity, old[0])[1]
        else:
            for link in network.incoming[i]:
                was = standing.start[link.source], standing.finish[link.source]
                source = moved[link.source].after if link.source in moved else was
                if source[1] == UNDATED:
                    continue
                asked = place(activity, bound_of(link, source, activity))
                if asked[0] > start:
                    (start, finish), held_by = asked, link.source
        if edited and held_by is not None:
            conflicts.append(_held(plan, i, wished, (start, finish), held_by))
        if (start, finish) == old:
            continue
        via = held_by if held_by is not None else via
        resized = activity.duration if activity.duration != network.activities[i].duration else None
        moved[i] = Change(
            plan.tasks[i].key,
            None if old[0] == UNDATED else old,
            (start, finish),
            0 if old[0] == UNDATED else activity.calendar.count(old[1], finish),
            "edited" if edited else "following",
            None if via is None else plan.tasks[via].key,
            resized,
        )
        for link in network.outgoing[i]:
            if link.target not in queued:
                queued.add(link.target)
                heapq.heappush(queue, (network.rank[link.target], link.target))
    return moved


def _carrier(incoming: tuple[Dependency, ...], moved: Mapping[int, Change]) -> int | None:
    """The predecessor that has moved furthest, later before earlier."""
    return max((link.source for link in incoming if link.source in moved), key=lambda p: moved[p].delta, default=None)


def _floor(plan: Plan, i: int, mode: Mode, delta: int) -> int:
    """The boundary before which a task that follows does not start, links aside; ``UNDATED`` without any."""
    start, activity, task = plan.schedule.start[i], plan.network.activities[i], plan.tasks[i]
    if mode == "push":
        return start
    if mode == "carry":
        behind = 1 if not activity.duration and activity.edge == "finish" else 0  # stands behind its day
        return activity.calendar.worked_day(start, delta - behind) + behind
    floors = [bound for bound in (task.target and task.target[0], activity.not_before) if bound is not None]
    return max(floors, default=UNDATED)


def _held(plan: Plan, i: int, wished: tuple[int, int], got: tuple[int, int], via: int) -> Conflict:
    task = plan.tasks[i]
    wanted, holds = read_days(task, *wished), read_days(task, *got)
    assert wanted and holds
    source = plan.tasks[via].title
    text = (
        f"{task.title} cannot start {day_words(wanted[0])}: it follows {source}; {day_words(holds[0])} is the earliest"
    )
    return Conflict("link", task.key, text)


def _conflicts(plan: Plan, changes: tuple[Change, ...]) -> list[Conflict]:
    found = []
    for change in changes:
        i = plan.position(change.key)
        task = _resized(plan.tasks[i], change)
        days = read_days(task, *change.after)
        assert days
        if plan.today is not None and days[0] < plan.today and task.state == "waiting":
            found.append(Conflict("past", task.key, f"{task.title} would start {day_words(days[0])}, before today"))
        old_finish = change.before[1] if change.before else UNDATED
        if task.deadline is not None and change.after[1] > task.deadline >= old_finish:
            text = f"{task.title} would end {day_words(days[1])}, after its deadline {day_words(task.deadline - 1)}"
            found.insert(0, Conflict("deadline", task.key, text))
            continue
        due = task.target[1] if task.target and task.edge == "finish" else None
        if change.cause == "following" and due is not None and change.after[1] > due >= old_finish:
            target = read_days(task, *boundaries(task, due - 1, due - 1))
            assert target
            text = f"{task.title} would end {day_words(days[1])}; the template has it due {day_words(target[1])}"
            found.append(Conflict("target", task.key, text))
    return found


def _resized(task: Task, change: Change) -> Task:
    return task if change.duration is None else replace(task, duration=change.duration)


def _finish(plan: Plan, moved: Mapping[int, Change]) -> tuple[int, int]:
    standing = plan.schedule.finish
    old = plan.schedule.latest
    latest = max((change.after[1] for change in moved.values()), default=UNDATED)
    if latest >= old:
        return old, latest
    if any(change.before and change.before[1] == old for change in moved.values()):
        rest = (finish for i, finish in enumerate(standing) if i not in moved)
        return old, max(latest, max(rest, default=UNDATED))
    return old, old
