"""A plan with the edits of a shift carried out, and nothing followed yet."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from unisequa.core.calendars.grid import Grid
from unisequa.core.errors import CircleError, DocumentError, ShiftError, did_you_mean
from unisequa.core.network.activities import Activity
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, number_from, place, span_at
from unisequa.core.plan.building import earliest, gated, network_of, seen_through
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.milestones import with_edges
from unisequa.core.plan.phases import PhaseOf, with_windows
from unisequa.core.plan.plan import Plan, boundaries, read
from unisequa.core.plan.targets import target_of, with_dates_of
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.shift.changes import Cause
from unisequa.core.terms import BEGUN, FINISHED


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
        Positions that no edit puts anywhere but whose floors may have changed; what is downstream begins with them.
    limited : set of int
        Positions whose "not before" has moved with its anchor, so that it holds anew.
    exact : set of int
        Positions that move with the whole run, by just as much; links between them are not looked at.
    earliest : int, optional
        A boundary before which nothing unfinished may come to lie.
    by_hand : set of int
        Positions somebody has put where they are, so that only links hold them.
    kept_fixed : set of int
        Positions that would have moved if their dates were not fixed.
    """

    plan: Plan
    network: Network
    calendars: Calendars
    links: tuple[LinkOf, ...]
    anchors: dict[str, int | None]
    phases: tuple[PhaseOf, ...] = ()
    end: int | None = None
    tasks: dict[int, Task] = field(default_factory=dict)
    activities: dict[int, Activity] = field(default_factory=dict)
    wishes: dict[int, int] = field(default_factory=dict)
    pins: dict[int, tuple[int, int]] = field(default_factory=dict)
    causes: dict[int, Cause] = field(default_factory=dict)
    looked_at: set[int] = field(default_factory=set)
    by_hand: set[int] = field(default_factory=set)
    kept_fixed: set[int] = field(default_factory=set)
    limited: set[int] = field(default_factory=set)
    exact: set[int] = field(default_factory=set)
    earliest: int | None = None
    turned: dict[int, tuple[int, int]] = field(default_factory=dict)
    """Milestones that now stand on the other kind of boundary, with where that puts them on the day they had."""

    @property
    def grid(self) -> Grid:
        """Days or minutes."""
        return self.plan.grid

    def task(self, i: int) -> Task:
        """A task as edited."""
        return self.tasks.get(i, self.plan.tasks[i])

    def activity(self, i: int) -> Activity:
        """Its activity as edited."""
        return self.activities.get(i, self.network.activities[i])

    def stands(self, i: int) -> tuple[int, int]:
        """Where it stands before the shift."""
        if self.turned and i in self.turned:
            return self.turned[i]
        return self.plan.schedule.start[i], self.plan.schedule.finish[i]

    def span(self, i: int) -> tuple[int, int]:
        """Where it stands, by this shift if it says so."""
        return self.pins.get(i, self.stands(i))

    def open_task(self, i: int) -> Task:
        """A task that is neither done nor dropped.

        Raises
        ------
        ShiftError
        """
        task = self.task(i)
        if task.state in FINISHED:
            raise ShiftError(f"{task.title} is {task.state} and never moves; reopen it first", task=task.key)
        return task

    def start_of(self, task: Task, day: int) -> int:
        """The boundary of a date that somebody wants a task to start on; a milestone stands at its day's end."""
        behind = not task.duration and task.edge == "finish" and self.grid.per_day == 1
        return day + behind

    def due_start(self, i: int, task: Task, day: int) -> int:
        """The boundary at which a task starts that is due on a date."""
        calendar = self.activity(i).calendar
        if not task.duration:
            return self.start_of(task, day)
        finish = calendar.roll_forward(day) + 1 if self.grid.per_day == 1 else calendar.roll_forward(day - 1) + 1
        return calendar.retreat(finish, self.activity(i).duration)

    def begun_span(self, i: int, start: int) -> tuple[int, int]:
        """Where a task stands that was begun at a boundary."""
        activity = self.activity(i)
        return start, activity.calendar.advance(start, activity.duration)

    def want(self, i: int, start: int) -> None:
        """Have somebody want a task to start at a boundary, and to be left there."""
        self.wishes[i] = start
        self.by_hand.add(i)
        self.exact.discard(i)
        self.causes[i] = "edited"
        self.mark(i, put=True)

    def keep(self, i: int) -> None:
        """Have a task that an edit changes start where it is, or where another edit wants it."""
        self.exact.discard(i)
        self.wishes.setdefault(i, self.stands(i)[0])
        self.causes[i] = "edited"

    def look_at(self, i: int) -> None:
        """Have a task looked at whose floors an edit may have changed; it goes where the mode puts it."""
        self.exact.discard(i)
        self.looked_at.add(i)

    def mark(self, i: int, **changes: Any) -> Task:
        """A task with other fields that do not bear on how it is computed."""
        task = self.tasks[i] = replace(self.task(i), **changes)
        return task

    def carry(self, i: int, slots: int) -> None:
        """Want a task that is not begun or fixed moved by so many worked slots."""
        task, start = self.task(i), self.wishes.get(i, self.plan.schedule.start[i])
        if task.stands or start == UNDATED or not slots:
            if task.stands == "fixed":
                self.kept_fixed.add(i)
            return
        activity = self.activity(i)
        self.wishes[i] = span_at(activity, number_from(activity, "S", start) + slots)[0]
        self.causes[i] = "anchor"

    def resize(self, i: int, slots: int) -> None:
        """Give a task another duration; what is due keeps its day, what has a day to start on keeps that."""
        self.exact.discard(i)
        task = replace(self.task(i), duration=slots)
        self.tasks[i] = self.with_target(task, self.anchors)
        self.activities[i] = replace(self.activity(i), duration=slots)

    def with_target(self, task: Task, anchors: Mapping[str, int | None]) -> Task:
        """A task with the target that it has by these anchors at the duration it has.

        One under way lasts as long as it does, of which its template says nothing: its target stays.
        """
        if task.when is None or task.stands == "begun":
            return task
        return replace(task, target=target_of(task, anchors, self.calendars))

    def restate(self, i: int, **changes: Any) -> Task:
        """Give a task another state, and its activity what that means."""
        self.exact.discard(i)
        task = replace(self.task(i), **changes)
        task = self.tasks[i] = task if task.state in FINISHED else self.with_target(task, self.anchors)
        calendar = self.calendars.of(task)
        self.activities[i] = replace(self.activity(i), stands=task.stands, pinned=None, calendar=calendar)
        return task

    def pin(self, i: int, span: tuple[int, int]) -> None:
        """Have a task stand somewhere whatever follows."""
        self.exact.discard(i)
        self.pins[i] = span
        self.wishes.pop(i, None)
        self.causes[i] = "edited"
        self.activities[i] = replace(self.activity(i), pinned=span)

    def pin_from(self, i: int, start: int) -> None:
        """The same from a boundary on, a day off there counting as worked."""
        activity = self.activity(i)
        behind = not activity.duration and activity.edge == "finish"
        calendar = self.calendars.with_slot(self.calendars.of(self.task(i)), start - behind)
        activity = self.activities[i] = replace(activity, calendar=calendar)
        self.pin(i, place(activity, start))

    def fix(self, i: int, day: int) -> None:
        """Fix a task's start on a day."""
        task = self.open_task(i)
        if task.state in BEGUN:
            raise ShiftError(f"{task.title} is {task.state}; its start stands and needs no fixing", task=task.key)
        self.restate(i, fixed=True)
        self.pin_from(i, self.start_of(task, day))

    def measure(self, i: int) -> Task:
        """Measure what a task has from anchors anew, by the anchors and calendars as they now are."""
        task = self.task(i)
        sized = replace(task, duration=self._meant(i))
        task = self.tasks[i] = replace(with_dates_of(sized, self.anchors, self.calendars), duration=task.duration)
        self.activities[i] = replace(
            self.activity(i),
            calendar=self.activity(i).calendar if task.stands else self.calendars.of(task),
            not_before=earliest(task, self.grid),
            deadline=task.due_by,
            undated=self.activity(i).undated and task.target is None,
        )
        return task

    def _meant(self, i: int) -> int:
        """How many worked slots the target of a task is to take."""
        task, was = self.task(i), self.plan.tasks[i]
        if task.stands != "begun" or task.when is None or was.target is None:
            return task.duration
        start, finish = was.target
        calendars, edge = self.plan.calendars, task.when.edge
        day = start if edge == "start" else self.grid.inclusive(finish)
        return calendars.unrolled(task.when, day, edge, calendars[was.calendar]).count(start, finish)

    def measure_end(self) -> None:
        """Have the run's deadline be the end of the day of the anchor that ends it, where that is known."""
        ends = None if self.plan.ends is None else self.anchors.get(self.plan.ends)
        if ends is not None:
            self.end = self.grid.day_start(self.grid.day(ends) + 1)

    def in_windows(self, phases: tuple[PhaseOf, ...]) -> list[int]:
        """Give phases other windows; the positions of the tasks for which that changes something."""
        self.phases = phases
        tasks = [self.task(i) for i in range(len(self.plan.tasks))]
        placed = with_windows(tasks, phases, self.grid)
        changed = [i for i, (old, new) in enumerate(zip(tasks, placed, strict=True)) if old is not new]
        for i in changed:
            self.tasks[i] = placed[i]
            if not self.plan.is_parent(i):
                self.activities[i] = replace(self.activity(i), deadline=placed[i].due_by)
        return [i for i in changed if not self.plan.is_parent(i)]

    def rebuild(self) -> None:
        """Build the network anew from the tasks, links and calendars as edited."""
        tasks = tuple(self.task(i) for i in range(len(self.plan.tasks)))
        edged = self._edged(tasks) if self.links is not self.plan.links or self._restated() else tasks
        for i, (old, new) in enumerate(zip(tasks, edged, strict=True)):
            if new is not old and new.state not in FINISHED:
                self.tasks[i] = new
                days = read(old, *self.stands(i), self.grid)
                if days and self.grid.per_day == 1:
                    self.turned[i] = boundaries(new, *days, self.grid)
        tasks = tuple(self.task(i) for i in range(len(self.plan.tasks)))
        spans = [self.stands(i) for i in range(len(tasks))]
        floors = [None if start == UNDATED else start for start, _ in spans]
        dates = {task.key: span for task, span in zip(tasks, spans, strict=True) if span[0] != UNDATED}
        try:
            self.network = network_of(
                tasks, self.links, self.calendars, floors, dates, ties=self.plan.ties, phases=self.phases
            )
        except CircleError as error:
            raise ShiftError(f"{error}; leave that link out") from error
        except DocumentError as error:
            raise ShiftError(str(error)) from error
        self.activities.clear()

    def _restated(self) -> bool:
        return any(task.state != self.plan.tasks[i].state for i, task in self.tasks.items())

    def _edged(self, tasks: tuple[Task, ...]) -> tuple[Task, ...]:
        """The tasks with each milestone on the kind of boundary that the links as edited give it."""
        plan = self.plan
        free = [
            task.when is None and not task.duration and not task.stands and not plan.is_parent(i)
            for i, task in enumerate(tasks)
        ]
        if not any(free):
            return tasks
        straight, ties = seen_through(tasks, self.links, plan.network.children, plan.ties)
        edged = with_edges(tasks, straight, gated(tasks, self.phases), ties)
        return tuple(new if may else old for old, new, may in zip(tasks, edged, free, strict=True))


def position_of(plan: Plan, key: str) -> int:
    """Where a task is.

    Raises
    ------
    ShiftError
    """
    if key not in plan.positions:
        raise ShiftError(f'no task "{key}"{did_you_mean(key, plan.positions)}', task=key)
    return plan.positions[key]
