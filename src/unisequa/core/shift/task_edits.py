"""What the edits of one task say: where it is wanted, or where it stands whatever follows."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.network.places import UNDATED, number_from, place, span_at
from unisequa.core.plan.task import Task
from unisequa.core.shift.edits.dates import (
    Begun,
    Done,
    Drop,
    Due,
    Duration,
    Fix,
    Free,
    Give,
    Move,
    NotDone,
    Remaining,
    TaskEdit,
)
from unisequa.core.shift.prepared import Prepared, position_of
from unisequa.core.terms import BEGUN, FINISHED, MOST_DAYS


class TaskEdits:
    """The edits that concern one task, each carried out by a method of its own."""

    def __init__(self, found: Prepared) -> None:
        self.found, self.plan, self.grid = found, found.plan, found.plan.grid
        self.ways: Mapping[type, Callable[[int, Any], None]] = {
            Move: self._move, Due: self._due, Duration: self._duration, Remaining: self._remaining,
            Begun: self._begun, Done: self._done, NotDone: self._not_done, Drop: self._drop, Fix: self._fix,
            Free: self._free, Give: self._give,
        }  # fmt: skip

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

    def _stands(self, i: int) -> tuple[int, int]:
        """Where a task stands, by this shift if it says so."""
        return self.found.pins.get(i, self.found.stands(i))

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
            start = self._stands(i)[0]
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
        start, calendar = self._stands(i)[0], self.found.activity(i).calendar
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
        start, _ = self._stands(i)
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
