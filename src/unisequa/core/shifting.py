"""What a shift's edits say, before anything follows: the plan as edited, and where each edited task is wanted."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from unisequa.core.calendar import WorkingCalendar
from unisequa.core.changes import Cause
from unisequa.core.document import MOST_DAYS, CalendarDocument, Measure
from unisequa.core.edits import (
    AddLink,
    Begun,
    CatchUp,
    Close,
    Done,
    Drop,
    Due,
    Duration,
    Edit,
    Fix,
    Free,
    Give,
    Move,
    MoveAnchor,
    MoveRun,
    MoveRunTo,
    NotDone,
    Remaining,
    RemoveLink,
    Reopen,
    TaskEdit,
)
from unisequa.core.errors import CircleError, DocumentError, ShiftError, did_you_mean
from unisequa.core.network import Activity, Network
from unisequa.core.offsets import unrolled
from unisequa.core.placing import latest_places
from unisequa.core.plan import BEGUN, FINISHED, Calendars, LinkOf, Plan, Task, network_of
from unisequa.core.schedule import UNDATED, number_from, place, span_at
from unisequa.core.targets import derived_dates, with_dates_of


@dataclass(slots=True)
class Prepared:
    """A plan with its edits carried out, and nothing followed yet.

    Parameters
    ----------
    tasks : dict of int to Task
        Positions whose task is no longer the plan's.
    wishes : dict of int to int
        Position → the boundary at which an edit wants it to start.
    pins : dict of int to (int, int)
        Position → where it stands whatever follows: done, begun, fixed.
    causes : dict of int to str
        Position → what wants it there.
    looked_at : set of int
        Positions that no edit names but whose floors may have changed.
    by_hand : set of int
        Positions somebody has put where they are, so that only links hold them.
    """

    plan: Plan
    network: Network
    calendars: Calendars
    links: tuple[LinkOf, ...]
    anchors: dict[str, int | None]
    tasks: dict[int, Task] = field(default_factory=dict)
    activities: dict[int, Activity] = field(default_factory=dict)
    wishes: dict[int, int] = field(default_factory=dict)
    pins: dict[int, tuple[int, int]] = field(default_factory=dict)
    causes: dict[int, Cause] = field(default_factory=dict)
    looked_at: set[int] = field(default_factory=set)
    by_hand: set[int] = field(default_factory=set)
    kept_fixed: set[int] = field(default_factory=set)

    def task(self, i: int) -> Task:
        """A task as edited."""
        return self.tasks.get(i, self.plan.tasks[i])

    def activity(self, i: int) -> Activity:
        """Its activity as edited."""
        return self.activities.get(i, self.network.activities[i])

    def stands(self, i: int) -> tuple[int, int]:
        """Where it stands before the shift."""
        return self.plan.schedule.start[i], self.plan.schedule.finish[i]


def prepare(plan: Plan, edits: Iterable[Edit]) -> Prepared:
    """Carry out a shift's edits.

    Closures come first, then anchors, the tasks' own edits in their order, and what catches up last.

    Raises
    ------
    ShiftError
        For a task, anchor or link that is not there, and for what cannot be done with it.
    """
    edits = tuple(edits)
    found = Prepared(plan, plan.network, plan.calendars, plan.links, dict(plan.anchors))
    _Edits(found).carry_out(edits)
    return found


def position_of(plan: Plan, key: str) -> int:
    """Where a task is.

    Raises
    ------
    ShiftError
    """
    if key not in plan.positions:
        raise ShiftError(f'no task "{key}"{did_you_mean(key, plan.positions)}', task=key)
    return plan.positions[key]


class _Edits:
    """The edits of one shift, each carried out by a method of its own."""

    def __init__(self, found: Prepared) -> None:
        self.found, self.plan, self.grid = found, found.plan, found.plan.grid
        self.ways: Mapping[type, Callable[[int, Any], None]] = {
            Move: self._move, Due: self._due, Duration: self._duration, Remaining: self._remaining,
            Begun: self._begun, Done: self._done, NotDone: self._not_done, Drop: self._drop, Fix: self._fix,
            Free: self._free, Give: self._give,
        }  # fmt: skip

    def carry_out(self, edits: tuple[Edit, ...]) -> None:
        for edit in edits:
            self._check_dates(edit)
        if closures := [edit for edit in edits if isinstance(edit, Close | Reopen)]:
            self._closures(closures)
        for edit in edits:
            if isinstance(edit, MoveAnchor):
                self._anchors({edit.key: edit.day}, reset=edit.reset)
            elif isinstance(edit, MoveRun | MoveRunTo):
                self._run(edit)
        rebuilt = False
        for edit in edits:
            if isinstance(edit, AddLink | RemoveLink):
                self._relink(edit)
                rebuilt = True
            elif isinstance(edit, Drop | NotDone):
                self._each(edit)
                rebuilt = True
        if rebuilt:
            self._rebuild()
        last: dict[tuple[str, str], TaskEdit] = {}
        for edit in edits:
            if isinstance(edit, TaskEdit) and not isinstance(edit, Drop | NotDone):
                kind = "date" if isinstance(edit, Move | Due | Fix | Begun | Done) else type(edit).__name__
                last[(edit.key, kind)] = edit
        ordered = sorted(last.values(), key=lambda e: not isinstance(e, Free | Give | Duration | Remaining))
        for task_edit in ordered:
            self._each(task_edit)
        for edit in edits:
            if isinstance(edit, CatchUp):
                self._catch_up(edit.day)

    # What concerns the whole run.

    def _check_dates(self, edit: Edit) -> None:
        grid, key = self.grid, getattr(edit, "key", None)
        for name in ("day", "first", "last"):
            day = getattr(edit, name, None)
            if day is None:
                continue
            low, high = (grid.first, grid.last - 1) if name == "day" else (1, grid.last // grid.per_day - 1)
            if not low <= day < high:
                at = self.plan.positions.get(key) if key is not None else None
                title = "" if at is None else f"{self.plan.tasks[at].title}: "
                raise ShiftError(f"{title}the date falls outside the years 1 to 9999", task=key)

    def _closures(self, edits: list[Close | Reopen]) -> None:
        found, plan = self.found, self.plan
        documents = plan.calendars.documents
        for edit in edits:
            if edit.last < edit.first:
                raise ShiftError("a closure ends before it begins; give the earlier day first")
            if edit.last - edit.first > MOST_DAYS:
                raise ShiftError("a closure lasts over a hundred years; close fewer days")
            documents = tuple(_with_days(document, edit) for document in documents)
        found.calendars = Calendars(documents, self.grid)
        self._rebuild()
        for i, task in enumerate(plan.tasks):
            if task.state in FINISHED or plan.is_parent(i) or plan.schedule.start[i] == UNDATED:
                continue
            if task.state in BEGUN:
                found.pins[i] = self._begun_span(i, plan.schedule.start[i])
            elif not task.fixed:
                found.looked_at.add(i)
                found.causes[i] = "closure"

    def _anchors(self, days: Mapping[str, int], *, reset: bool = False) -> None:
        found, plan = self.found, self.plan
        for key in days:
            if key not in plan.anchors:
                raise ShiftError(f'no anchor "{key}"{did_you_mean(key, plan.anchors)}')
            if key in plan.derived:
                base = plan.labels[plan.derived[key].anchor]
                raise ShiftError(f"{plan.labels[key]} is measured from {base}; move that one")
        before = latest_places(self._unplaced()) if plan.direction == "backward" else {}
        found.anchors = derived_dates({**found.anchors, **days}, plan.derived, found.calendars)
        changed = {key for key, day in found.anchors.items() if day != plan.anchors[key]}
        for i in range(len(plan.tasks)):
            self._remeasure(i, changed, reset=reset)
        if plan.direction == "backward":
            after = latest_places(self._unplaced())
            for i, at in before.items():
                if i in after and i not in found.wishes:
                    self._carry(i, found.activity(i).calendar.count(at, after[i]))

    def _remeasure(self, i: int, changed: set[str], *, reset: bool) -> None:
        """Measure what a task has from anchors anew, and want it moved as far as its target moves."""
        found, plan, task = self.found, self.plan, self.found.task(i)
        names = {m.anchor for m in (*task.limits_from, *task.deadlines_from)} | (
            {task.when.anchor} if task.when else set()
        )
        if task.state in FINISHED or not names & changed:
            return
        old = task.target
        task = found.tasks[i] = with_dates_of(task, found.anchors, found.calendars)
        activity = found.activities[i] = replace(
            found.activity(i),
            calendar=found.activity(i).calendar if task.stands else found.calendars.of(task),
            not_before=None if task.not_before is None else self._start(task, task.not_before),
            deadline=task.deadline,
            undated=False,
        )
        found.looked_at.add(i)
        found.causes[i] = "anchor"
        if task.target is None or task.target == old or task.stands == "begun":
            return
        if task.fixed:
            found.kept_fixed.add(i)
            return
        start = found.wishes.get(i, plan.schedule.start[i])
        if reset or old is None or start in {UNDATED, old[0]}:
            found.wishes[i] = task.target[0]
        else:
            calendar = activity.calendar
            found.wishes[i] = span_at(
                activity, number_from(activity, "S", start) + calendar.count(old[0], task.target[0])
            )[0]

    def _unplaced(self) -> Network:
        """The network with no floors but the targets."""
        activities = (
            replace(self.found.activity(i), floor=target[0] if (target := self.found.task(i).target) else None)
            for i in range(len(self.plan.tasks))
        )
        return self.found.network.with_activities(activities)

    def _carry(self, i: int, slots: int) -> None:
        """Want a task that is not begun or fixed moved by so many worked slots."""
        found, task, start = self.found, self.found.task(i), self.plan.schedule.start[i]
        if task.stands or start == UNDATED or not slots:
            if task.stands == "fixed":
                found.kept_fixed.add(i)
            return
        activity = found.activity(i)
        found.wishes[i] = span_at(activity, number_from(activity, "S", start) + slots)[0]
        found.causes[i] = "anchor"

    def _run(self, edit: MoveRun | MoveRunTo) -> None:
        found, plan = self.found, self.plan
        calendar = found.calendars[None]
        if isinstance(edit, MoveRunTo):
            reach = plan.reach()
            if reach is None:
                raise ShiftError("the run has no dates yet; give an anchor its date instead")
            days = calendar.day_index(self.grid.day(edit.day)) - calendar.day_index(reach[0])
        else:
            days = edit.days
        if abs(days) > MOST_DAYS:
            raise ShiftError(f"a run cannot be moved by {days} days; at most {MOST_DAYS}")
        if not days:
            return
        measure = Measure(anchor="run", offset=days)
        anchors = {
            key: unrolled(day, measure, calendar)
            for key, day in plan.anchors.items()
            if day is not None and key not in plan.derived
        }
        self._anchors(anchors)
        for i, task in enumerate(plan.tasks):
            if not plan.is_parent(i) and i not in found.wishes and (task.when is None or task.target is None):
                self._carry(i, days * found.activity(i).calendar.per_day)

    def _catch_up(self, day: int) -> None:
        found, plan = self.found, self.plan
        for i in range(len(plan.tasks)):
            task, activity = found.task(i), found.activity(i)
            start, finish = found.pins.get(i, found.stands(i))
            if plan.is_parent(i) or task.state in {*FINISHED, "in review"} or start == UNDATED:
                continue
            bound = self._start(task, day)
            if task.stands == "begun":
                if finish < activity.calendar.advance(day, 1) and task.duration:
                    finish = activity.calendar.advance(day, 1)
                    found.pins[i] = start, finish
                    self._resize(i, max(1, activity.calendar.count(start, finish)))
                    found.causes[i] = "edited"
            elif not task.fixed and found.wishes.get(i, start) < bound:
                found.wishes[i] = bound
                found.causes[i] = "edited"

    def _relink(self, edit: AddLink | RemoveLink) -> None:
        found, plan = self.found, self.plan
        source, target = position_of(plan, edit.source), position_of(plan, edit.target)
        found.looked_at.update(plan.leaves(target))
        if isinstance(edit, RemoveLink):
            kept = tuple(k for k in found.links if (k.source, k.target) != (edit.source, edit.target))
            if kept == found.links:
                names = f"{plan.tasks[target].title} does not follow {plan.tasks[source].title}"
                raise ShiftError(f"{names}, so there is no link to take out", task=edit.target)
            found.links = kept
            return
        if abs(edit.lag) > MOST_DAYS * self.grid.per_day:
            raise ShiftError("a lag reaches over a hundred years; make it shorter", task=edit.target)
        kept = tuple(k for k in found.links if (k.source, k.target, k.type) != (edit.source, edit.target, edit.type))
        found.links = (*kept, LinkOf(edit.source, edit.target, edit.type, edit.lag, edit.unit))

    def _rebuild(self) -> None:
        """Build the network anew from the tasks, links and calendars as edited."""
        found, plan = self.found, self.plan
        tasks = tuple(found.task(i) for i in range(len(plan.tasks)))
        spans = [found.stands(i) for i in range(len(tasks))]
        floors = [None if start == UNDATED else start for start, _ in spans]
        dates = {task.key: span for task, span in zip(tasks, spans, strict=True) if span[0] != UNDATED}
        try:
            found.network = network_of(tasks, found.links, found.calendars, floors, dates)
        except CircleError as error:
            raise ShiftError(f"{error}; leave that link out") from error
        except DocumentError as error:
            raise ShiftError(str(error)) from error
        found.activities.clear()

    # What concerns one task.

    def _each(self, edit: TaskEdit) -> None:
        """Carry an edit out on a task; for a parent on each of its sub-steps, where that has a meaning."""
        plan, i = self.plan, position_of(self.plan, edit.key)
        if not plan.is_parent(i):
            self.ways[type(edit)](i, edit)
            return
        title = plan.tasks[i].title
        leaves = [leaf for leaf in plan.leaves(i) if self.found.task(leaf).state not in FINISHED]
        if isinstance(edit, NotDone):
            leaves = [leaf for leaf in plan.leaves(i) if self.found.task(leaf).state in FINISHED]
        elif isinstance(edit, Move | Due):
            self._move_parent(i, edit, leaves)
            return
        elif not isinstance(edit, Done | Drop | Give):
            raise ShiftError(f"{title} spans its sub-steps; change those", task=edit.key)
        if not leaves:
            raise ShiftError(f"{title} has no sub-step that this could be done with", task=edit.key)
        for leaf in leaves:
            self.ways[type(edit)](leaf, replace(edit, key=plan.tasks[leaf].key))

    def _move_parent(self, i: int, edit: Move | Due, leaves: list[int]) -> None:
        """Move all sub-steps that are not begun by as many worked slots as brings the parent where it is wanted."""
        plan, calendar = self.plan, self.found.calendars[self.plan.tasks[i].calendar]
        start, finish = self.found.stands(i)
        if start == UNDATED:
            raise ShiftError(f"{plan.tasks[i].title} has no date yet; give its sub-steps dates first", task=edit.key)
        if isinstance(edit, Move):
            slots = calendar.count(start, calendar.roll_forward(edit.day))
        else:
            slots = calendar.count(finish, self.grid.exclusive(edit.day))
        for leaf in leaves:
            self._carry(leaf, slots)
            if leaf in self.found.wishes:
                self.found.causes[leaf] = "edited"

    def _check_open(self, i: int) -> Task:
        task = self.found.task(i)
        if task.state in FINISHED:
            raise ShiftError(f"{task.title} is {task.state} and never moves; reopen it first", task=task.key)
        return task

    def _start(self, task: Task, day: int) -> int:
        """The boundary of a date that somebody wants a task to start on; a milestone stands at its day's end."""
        behind = not task.duration and task.edge == "finish" and self.grid.per_day == 1
        return day + behind

    def _due_start(self, i: int, task: Task, day: int) -> int:
        calendar = self.found.activity(i).calendar
        if not task.duration:
            return self._start(task, day)
        finish = calendar.roll_forward(day) + 1 if self.grid.per_day == 1 else calendar.roll_forward(day - 1) + 1
        return calendar.retreat(finish, self.found.activity(i).duration)

    def _begun_span(self, i: int, start: int) -> tuple[int, int]:
        activity = self.found.activity(i)
        return start, activity.calendar.advance(start, activity.duration)

    def _resize(self, i: int, slots: int) -> None:
        found = self.found
        found.tasks[i] = replace(found.task(i), duration=slots)
        found.activities[i] = replace(found.activity(i), duration=slots)

    def _restate(self, i: int, **changes: Any) -> Task:
        """Give a task another state, and its activity what that means."""
        found = self.found
        task = found.tasks[i] = replace(found.task(i), **changes)
        activity = found.activity(i)
        calendar = found.calendars.of(task)
        found.activities[i] = replace(activity, stands=task.stands, pinned=None, calendar=calendar)
        return task

    def _want(self, i: int, start: int) -> None:
        self.found.wishes[i] = start
        self.found.by_hand.add(i)
        self.found.causes[i] = "edited"

    def _pin(self, i: int, span: tuple[int, int]) -> None:
        self.found.pins[i] = span
        self.found.wishes.pop(i, None)
        self.found.causes[i] = "edited"
        self.found.activities[i] = replace(self.found.activity(i), pinned=span)

    def _move(self, i: int, edit: Move) -> None:
        task = self._check_open(i)
        if task.state in BEGUN:
            message = f"{task.title} is {task.state}; its start stands, change its due date instead"
            raise ShiftError(message, task=task.key)
        if task.fixed:
            self._fix(i, Fix(edit.key, edit.day))
        else:
            self._want(i, self._start(task, edit.day))

    def _due(self, i: int, edit: Due) -> None:
        task, calendar = self._check_open(i), self.found.activity(i).calendar
        if task.state in BEGUN:
            start = self.found.stands(i)[0]
            last = calendar.roll_forward(edit.day) + 1 if self.grid.per_day == 1 else edit.day
            slots = max(1, calendar.count(start, last)) if task.duration else 0
            self._resize(i, slots)
            self._pin(i, self._begun_span(i, start))
        elif task.fixed:
            self._pin_from(i, self._due_start(i, task, edit.day))
        else:
            self._want(i, self._due_start(i, task, edit.day))

    def _duration(self, i: int, edit: Duration) -> None:
        task = self._check_open(i)
        start, unit = self.found.stands(i)[0], "days" if self.grid.per_day == 1 else "minutes"
        most = MOST_DAYS * self.grid.per_day
        if not 0 <= edit.slots <= most:
            raise ShiftError(f"{task.title} cannot take {edit.slots} {unit}; 0 to {most} can be", task=task.key)
        if (edit.slots == 0) != (task.duration == 0):
            what = "a milestone has no duration" if task.duration == 0 else "a task cannot become a milestone here"
            raise ShiftError(f"{task.title}: {what}; change that in the template", task=task.key)
        if start == UNDATED:
            raise ShiftError(f"{task.title} has no date yet; give it one first", task=task.key)
        self._resize(i, edit.slots)
        if task.stands:
            self._pin(i, self._begun_span(i, self.found.pins.get(i, (start, 0))[0]))
        else:
            self._want(i, self.found.wishes.get(i, start))

    def _remaining(self, i: int, edit: Remaining) -> None:
        task = self._check_open(i)
        if task.state != "under way":
            raise ShiftError(f"{task.title} is not under way, so nothing of it remains yet", task=task.key)
        start, calendar = self.found.stands(i)[0], self.found.activity(i).calendar
        if not 0 < edit.slots <= MOST_DAYS * self.grid.per_day:
            raise ShiftError(f"{task.title}: what remains must be at least 1; mark it done instead", task=task.key)
        today = max(start, self.plan.today if self.plan.today is not None else start)
        finish = calendar.advance(today, edit.slots)
        self._resize(i, calendar.count(start, finish))
        self._pin(i, (start, finish))

    def _begun(self, i: int, edit: Begun) -> None:
        self._check_open(i)
        task = self._restate(i, state="under way", fixed=False)
        self._pin(i, self._begun_span(i, self._start(task, edit.day)))

    def _done(self, i: int, edit: Done) -> None:
        task = self._check_open(i)
        start, _ = self.found.stands(i)
        activity = self.found.activity(i)
        if not task.duration:
            start = finish = self._start(task, edit.day)
        else:
            finish = self.grid.exclusive(edit.day)
            if start == UNDATED or (start >= finish and task.state not in BEGUN):
                start = activity.calendar.retreat(finish, activity.duration)
            elif start >= finish:
                start = edit.day - (self.grid.per_day > 1)
        self._restate(i, state="done", fixed=False)
        self._pin(i, (start, finish))

    def _not_done(self, i: int, edit: NotDone) -> None:
        task = self.found.task(i)
        if task.state == "waiting":
            raise ShiftError(f"{task.title} is neither begun nor done", task=edit.key)
        self.found.tasks[i] = replace(task, state="waiting")
        self.found.looked_at.update(self.plan.above(i))
        if (start := self.found.stands(i)[0]) != UNDATED:
            self.found.wishes[i] = start
            self.found.causes[i] = "edited"

    def _drop(self, i: int, edit: Drop) -> None:
        task = self._check_open(i)
        self.found.tasks[i] = replace(task, state="dropped", fixed=False)
        self.found.looked_at.update(link.target for link in self.plan.network.outgoing[i])
        self.found.looked_at.update(self.plan.above(i))

    def _fix(self, i: int, edit: Fix) -> None:
        task = self._check_open(i)
        if task.state in BEGUN:
            raise ShiftError(f"{task.title} is {task.state}; its start stands and needs no fixing", task=task.key)
        self._restate(i, fixed=True)
        self._pin_from(i, self._start(task, edit.day))

    def _pin_from(self, i: int, start: int) -> None:
        activity = self.found.activity(i)
        behind = not activity.duration and activity.edge == "finish"
        calendar = self.found.calendars.with_slot(self.found.calendars.of(self.found.task(i)), start - behind)
        activity = self.found.activities[i] = replace(activity, calendar=calendar)
        self._pin(i, place(activity, start))

    def _free(self, i: int, edit: Free) -> None:
        task = self._check_open(i)
        if not task.fixed:
            raise ShiftError(f"{task.title} is not fixed, so there is nothing to free", task=edit.key)
        self._restate(i, fixed=False)
        self.found.wishes[i] = self.found.stands(i)[0]
        self.found.causes[i] = "edited"

    def _give(self, i: int, edit: Give) -> None:
        task, calendars = self._check_open(i), self.found.calendars
        if edit.calendar not in calendars:
            known = [document.name for document in calendars.documents]
            message = f'{task.title}: no calendar "{edit.calendar}"{did_you_mean(edit.calendar, known)}'
            raise ShiftError(message, task=task.key)
        self._restate(i, calendar=edit.calendar)
        start = self.found.stands(i)[0]
        if start == UNDATED:
            return
        if task.stands == "begun":
            self._pin(i, self._begun_span(i, start))
        elif task.fixed:
            self._pin_from(i, start)
        else:
            self.found.wishes.setdefault(i, start)
            self.found.causes[i] = "edited"


def _with_days(document: CalendarDocument, edit: Close | Reopen) -> CalendarDocument:
    """A calendar's document with days closed, or open again."""
    days = [dt.date.fromordinal(day) for day in range(edit.first, edit.last + 1)]
    extra = tuple(day for day in document.extra_working_days if day not in set(days))
    written = document.written()
    if isinstance(edit, Close):
        first, last = days[0].isoformat(), days[-1].isoformat()
        closure = {"from": first, "to": last, "label": edit.label} if first != last or edit.label else first
        written["closures"] = [*written.get("closures", []), closure]
        written["extra_working_days"] = [day.isoformat() for day in extra]
    else:
        calendar: WorkingCalendar = document.working()
        reopened = [d for d in days if not calendar.is_working_day(d.toordinal()) and document.week[d.weekday()] == "1"]
        written["extra_working_days"] = [day.isoformat() for day in (*document.extra_working_days, *reopened)]
    return CalendarDocument.model_validate(written)
