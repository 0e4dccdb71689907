"""Edits of a task's dates: where it starts, when it is due, how long it takes, whether its date is fixed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from unisequa.core.calendars.grid import MINUTES
from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.network.places import UNDATED
from unisequa.core.shift.edits.edit import Option, TaskEdit, part
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import BEGUN, FINISHED, MOST_DAYS


@dataclass(frozen=True, slots=True)
class Move(TaskEdit):
    """Start a task on ``day``; on a day off it starts on the next working day."""

    kind = "move"
    holds = "date"
    options = (Option("--move", "KEY=DATE", "start a task on a day", "pair"),)

    day: int = part("date", "start")

    def on(self, work: Prepared, i: int) -> None:
        task = work.open_task(i)
        if task.state in BEGUN:
            message = f"{task.title} is {task.state}; its start stands, change its due date instead"
            raise ShiftError(message, task=task.key)
        if task.fixed:
            work.fix(i, self.day)
        else:
            work.want(i, work.start_of(task, self.day))

    def on_parent(self, work: Prepared, i: int) -> None:
        calendar, start = work.calendars[work.plan.tasks[i].calendar], _dated_parent(work, i, self.key)[0]
        _carry_parts(work, i, calendar.count(start, calendar.roll_forward(self.day)))


@dataclass(frozen=True, slots=True)
class Due(TaskEdit):
    """Have a task due on ``day``; its start follows from its duration."""

    kind = "due"
    holds = "date"
    options = (Option("--due", "KEY=DATE", "have a task due on a day", "pair"),)

    day: int = part("date", "finish")

    def on(self, work: Prepared, i: int) -> None:
        task, calendar = work.open_task(i), work.activity(i).calendar
        if task.state in BEGUN:
            start = work.span(i)[0]
            last = calendar.roll_forward(self.day) + 1 if work.grid.per_day == 1 else self.day
            work.resize(i, max(1, calendar.count(start, last)) if task.duration else 0)
            work.pin(i, work.begun_span(i, start))
            work.mark(i, put=True)
        elif task.fixed:
            work.pin_from(i, work.due_start(i, task, self.day))
        else:
            work.want(i, work.due_start(i, task, self.day))

    def on_parent(self, work: Prepared, i: int) -> None:
        calendar, finish = work.calendars[work.plan.tasks[i].calendar], _dated_parent(work, i, self.key)[1]
        _carry_parts(work, i, calendar.count(finish, work.grid.exclusive(self.day)))


def _dated_parent(work: Prepared, i: int, key: str) -> tuple[int, int]:
    start, finish = work.stands(i)
    if start == UNDATED:
        title = work.plan.tasks[i].title
        raise ShiftError(f"{title} has no date yet; give its sub-steps dates first", task=key)
    return start, finish


def _carry_parts(work: Prepared, i: int, slots: int) -> None:
    """Move all sub-steps that are not begun by as many worked slots as brings the parent where it is wanted."""
    for leaf in work.plan.leaves(i):
        if work.task(leaf).state not in FINISHED:
            work.carry(leaf, slots)
            if leaf in work.wishes:
                work.causes[leaf] = "edited"


@dataclass(frozen=True, slots=True)
class Duration(TaskEdit):
    """Give a task so many worked slots, from the start it has."""

    kind = "duration"
    holds = "duration"
    turn: ClassVar[int] = 5
    options = (Option("--duration", "KEY=N", "working days a task takes", "pair"),)

    slots: int = part("length", "duration")

    def on(self, work: Prepared, i: int) -> None:
        task = work.open_task(i)
        start, unit = work.stands(i)[0], "days" if work.grid.per_day == 1 else "minutes"
        most = MOST_DAYS * work.grid.per_day
        if not 0 <= self.slots <= most:
            raise ShiftError(f"{task.title} cannot take {self.slots} {unit}; 0 to {most} can be", task=task.key)
        if (self.slots == 0) != (task.duration == 0):
            what = "a milestone has no duration" if task.duration == 0 else "a task cannot become a milestone here"
            raise ShiftError(f"{task.title}: {what}; change that in the template", task=task.key)
        if start == UNDATED:
            raise ShiftError(f"{task.title} has no date yet; give it one first", task=task.key)
        work.resize(i, self.slots)
        if task.stands:
            work.pin(i, work.begun_span(i, work.pins.get(i, (start, 0))[0]))
        else:
            work.keep(i)


@dataclass(frozen=True, slots=True)
class Remaining(TaskEdit):
    """Say what of a task under way remains, from today."""

    kind = "remaining"
    holds = "remaining"
    options = (Option("--remaining", "KEY=N", "working days left of a task under way", "pair"),)

    slots: int = part("length", "remaining")
    left: int | None = part("number", "left", default=None)

    def on(self, work: Prepared, i: int) -> None:
        task = work.open_task(i)
        if task.state != "under way":
            raise ShiftError(f"{task.title} is not under way, so nothing of it remains yet", task=task.key)
        start, calendar = work.span(i)[0], work.activity(i).calendar
        if not 0 < self.slots <= MOST_DAYS * work.grid.per_day:
            raise ShiftError(f"{task.title}: what remains must be at least 1; mark it done instead", task=task.key)
        today = max(start, work.plan.today if work.plan.today is not None else start)
        finish = calendar.advance(today, self.slots)
        if self.left is not None and not 0 <= self.left <= MOST_DAYS * MINUTES:
            raise ShiftError(f"{task.title}: the work left is a number of minutes, 0 or more", task=task.key)
        work.resize(i, calendar.count(start, finish))
        work.pin(i, (start, finish))
        work.mark(i, put=True, **({} if self.left is None else {"left": self.left}))


@dataclass(frozen=True, slots=True)
class Fix(TaskEdit):
    """Pin a task's start to ``day``, whatever follows."""

    kind = "fix"
    holds = "date"
    options = (Option("--fix", "KEY=DATE", "pin a task's start to a day", "pair"),)

    day: int = part("date", "start")

    def on(self, work: Prepared, i: int) -> None:
        work.fix(i, self.day)


@dataclass(frozen=True, slots=True)
class Free(TaskEdit):
    """Let a date that is fixed, or that a person has put, move again."""

    kind = "free"
    holds = "free"
    turn: ClassVar[int] = 5
    options = (Option("--free", "KEY", "let a fixed date move again", "one"),)

    def on(self, work: Prepared, i: int) -> None:
        task = work.open_task(i)
        if not task.fixed and not task.put:
            raise ShiftError(f"{task.title} is not fixed, so there is nothing to free", task=self.key)
        if task.stands == "begun":
            work.mark(i, put=False)
            return
        work.restate(i, fixed=False, put=False)
        work.look_at(i)
        work.causes[i] = "edited"


@dataclass(frozen=True, slots=True)
class Give(TaskEdit):
    """Give a task to somebody else, or to somebody who works by another calendar.

    Whoever is given it does it, whoever has its role. ``calendar`` is what they work by, where that is another one.
    """

    kind = "give"
    holds = "calendar"
    turn: ClassVar[int] = 5
    options = (Option("--give", "KEY=WHOM", "give a task to person:NAME, or to calendar:NAME", "whom"),)

    calendar: str = part("text", "calendar", default="")
    person: str = part("text", "person", default="")

    def on(self, work: Prepared, i: int) -> None:
        task, calendars = work.open_task(i), work.calendars
        if self.person:
            work.mark(i, who=self.person)
            if not self.calendar or self.calendar == (task.calendar or calendars.default):
                return
        elif not self.calendar:
            raise ShiftError(f"{task.title}: to whom? Name a person or a calendar", task=task.key)
        if self.calendar not in calendars:
            known = [document.name for document in calendars.documents]
            message = f'{task.title}: no calendar "{self.calendar}"{did_you_mean(self.calendar, known)}'
            raise ShiftError(message, task=task.key)
        work.restate(i, calendar=self.calendar)
        work.measure(i)
        start = work.stands(i)[0]
        if start == UNDATED:
            return
        if task.stands == "begun":
            work.pin(i, work.begun_span(i, start))
        elif task.fixed:
            work.pin_from(i, start)
        else:
            work.look_at(i)
            work.causes[i] = "edited"

    def on_parent(self, work: Prepared, i: int) -> None:
        self.on_each_part(work, i)
