"""Edits of a task's state: begun, done, not done after all, done without; and catching up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.words import slot_words
from unisequa.core.errors import ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.task import Task
from unisequa.core.shift.edits.edit import Edit, Option, TaskEdit, part
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import BEGUN, FINISHED


@dataclass(frozen=True, slots=True)
class Begun(TaskEdit):
    """A task was begun on ``day``."""

    kind = "begun"
    restates = True
    holds = "begun"
    turn: ClassVar[int] = 6
    options = (Option("--begun", "KEY=DATE", "a task was begun on a day", "pair"),)

    day: int = part("date", "on")

    def on(self, work: Prepared, i: int) -> None:
        work.open_task(i)
        task = work.restate(i, state="under way", fixed=False)
        work.pin(i, work.begun_span(i, work.start_of(task, self.day)))

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return "begun then, set by you"


@dataclass(frozen=True, slots=True)
class Done(TaskEdit):
    """A task was done on ``day``."""

    kind = "done"
    restates = True
    holds = "date"
    options = (Option("--done", "KEY=DATE", "a task was done on a day", "pair"),)

    day: int = part("date", "on")

    def on(self, work: Prepared, i: int) -> None:
        task, activity = work.open_task(i), work.activity(i)
        start, _ = work.span(i)
        if not task.duration:
            start = finish = work.start_of(task, self.day)
        else:
            finish = work.grid.exclusive(self.day)
            if start == UNDATED or (start >= finish and task.state not in BEGUN):
                start = activity.calendar.retreat(finish, activity.duration)
            elif start >= finish:
                start = self.day - (work.grid.per_day > 1)
        work.restate(i, state="done", fixed=False, signed=None)
        work.pin(i, (start, finish))

    def on_parent(self, work: Prepared, i: int) -> None:
        self.on_each_part(work, i)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return "done then, set by you"


class _OfNetwork(TaskEdit):
    """Edits of states after which the network is built anew."""

    __slots__ = ()
    restates = True
    turn: ClassVar[int] = 4

    @classmethod
    def together(cls, work: Prepared, edits: Sequence[Edit]) -> None:
        for edit in edits:
            edit.attempt(work)
        work.rebuild()


@dataclass(frozen=True, slots=True)
class NotDone(_OfNetwork):
    """A task that was begun, done or dropped is not after all."""

    kind = "not_done"
    options = (Option("--not-done", "KEY", "a task is not begun or done after all", "one"),)

    def on(self, work: Prepared, i: int) -> None:
        task = work.task(i)
        if task.state == "waiting":
            raise ShiftError(f"{task.title} is neither begun nor done", task=self.key)
        work.tasks[i] = work.with_target(replace(task, state="waiting", signed=None), work.anchors)
        work.looked_at.update(work.plan.above(i))
        if (start := work.stands(i)[0]) != UNDATED:
            work.wishes[i] = start
            work.causes[i] = "edited"

    def on_parent(self, work: Prepared, i: int) -> None:
        self.on_each_part(work, i, finished=True)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return f"now {after.state}, set by you"


@dataclass(frozen=True, slots=True)
class Drop(_OfNetwork):
    """Do without a task; what followed it now follows what it followed. ``why`` is a word for the history."""

    kind = "drop"
    options = (Option("--drop", "KEY", "do without a task", "one"),)

    why: str = part("text", "why", default="")

    def on(self, work: Prepared, i: int) -> None:
        task = work.open_task(i)
        work.tasks[i] = replace(task, state="dropped", fixed=False)
        for j in (*work.plan.network.targets(i), *work.plan.above(i)):
            work.look_at(j)

    def on_parent(self, work: Prepared, i: int) -> None:
        self.on_each_part(work, i)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return f"now {after.state}, set by you"


@dataclass(frozen=True, slots=True)
class CatchUp(Edit):
    """Nothing that is not finished lies before ``day``."""

    kind = "catch_up"
    turn: ClassVar[int] = 8
    options = (Option("--catch-up", "DATE", "nothing unfinished before a day", "one"),)

    day: int = part("date", "on")

    def carry_out(self, work: Prepared) -> None:
        plan = work.plan
        for i in range(len(plan.tasks)):
            task, activity = work.task(i), work.activity(i)
            start, finish = work.span(i)
            start = work.wishes.get(i, start)
            if plan.is_parent(i) or task.state in {*FINISHED, "in review"} or start == UNDATED:
                continue
            bound = work.start_of(task, self.day)
            if task.stands == "begun":
                if finish < activity.calendar.advance(self.day, 1) and task.duration:
                    finish = activity.calendar.advance(self.day, 1)
                    work.pins[i] = start, finish
                    work.resize(i, max(1, activity.calendar.count(start, finish)))
                    work.causes[i] = "edited"
            elif not task.fixed and start < bound:
                work.exact.discard(i)
                work.wishes[i] = bound
                work.causes[i] = "edited"
        work.earliest = self.day

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return f"caught up to {slot_words(self.day, grid)}"
