"""What a shift does to a plan: what moves and why, what stays, what conflicts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from unisequa.core.calendars.grid import Grid
from unisequa.core.errors import DateRangeError, DocumentError, ShiftError
from unisequa.core.network.knots import Fronts
from unisequa.core.network.places import UNDATED, number_from
from unisequa.core.plan.phases import phase_keys
from unisequa.core.plan.plan import Plan, days_of, read, replanned
from unisequa.core.plan.reasons import held_words
from unisequa.core.plan.targets import anchor_limit
from unisequa.core.plan.task import Task
from unisequa.core.shift.carrying_out import in_force
from unisequa.core.shift.changes import Change, Conflict
from unisequa.core.shift.edits import Edit
from unisequa.core.shift.edits.following import waits_words
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import State

Mode = Literal["push", "carry", "tighten"]
MODES: tuple[Mode, ...] = ("push", "carry", "tighten")


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
    fronts: Fronts = field(init=False, repr=False, compare=False)
    """What knots hand on afterwards."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "fronts", self.prepared.network.fronts(self.span))

    @property
    def unchanged(self) -> int:
        """How many tasks keep their dates."""
        return len(self.plan.tasks) - len(self.changes)

    @property
    def empty(self) -> bool:
        """Whether the shift leaves everything as it is."""
        p = self.prepared
        plan = self.plan
        same = (p.links, p.anchors, p.phases) == (plan.links, plan.anchors, plan.phases)
        same = same and p.calendars is plan.calendars
        tasks = all(replace(task, put=plan.tasks[i].put) == plan.tasks[i] for i, task in p.tasks.items())
        return same and tasks and not self.changes and not self.states

    @property
    def needs(self) -> tuple[Conflict, ...]:
        """The conflicts that need a person: all but targets missed; a task that misses a deadline on the day of its
        anchor passes that anchor as well, which is not said twice."""
        late = {one.task for one in self.conflicts if one.kind == "deadline" and one.task is not None}
        twice = {key for key in late if self._due_on_anchor(self.plan.position(key))}
        kinds = (one for one in self.conflicts if one.kind != "target")
        return tuple(one for one in kinds if one.kind != "anchor" or one.task not in twice)

    def _due_on_anchor(self, i: int) -> bool:
        """Whether a task's deadline is the day by which its anchor wants it over."""
        p, task, grid = self.prepared, self.prepared.task(i), self.plan.grid
        limit = anchor_limit(task, p.anchors, p.calendars)
        if limit is None or task.due_by is None:
            return False
        return grid.day(task.due_by - 1) == grid.day(limit[1] - (limit[0] == "F"))

    @property
    def affected(self) -> tuple[str, ...]:
        """The roles whose tasks change, in the order of the tasks."""
        positions = self.plan.positions
        roles = (self.plan.tasks[i].role for i in sorted(positions[change.key] for change in self.changes))
        return tuple(dict.fromkeys(role for role in roles if role))

    def read(self, change: Change) -> tuple[tuple[int, int] | None, tuple[int, int]]:
        """Old and new dates of a change as people read them."""
        i = self.plan.position(change.key)
        after = self.read_after(i)
        assert after
        return self.plan.read(i), after

    def read_after(self, position: int) -> tuple[int, int] | None:
        """Where a task stands afterwards as people read it, by the kind of boundary that it then stands on."""
        p, plan = self.prepared, self.plan
        spans = [
            dates
            for i in plan.leaves(position)
            if (p.task(i).state != "dropped" or i == position) and (dates := read(p.task(i), *self.span(i), plan.grid))
        ]
        return (min(a for a, _ in spans), max(b for _, b in spans)) if spans else None

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

    def keeps_distance(self, change: Change) -> bool:
        """Whether a task ends as far from its target, in worked slots, as it did; what had no date has kept it, too."""
        i = self.plan.position(change.key)
        old, new = self.plan.tasks[i].target, self.prepared.task(i).target
        if old is None or new is None or change.before is None:
            return True
        calendar = self.prepared.activity(i).calendar
        return calendar.count(old[1], change.before[1]) == calendar.count(new[1], change.after[1])

    def reason(self, change: Change) -> str:
        """Why this task moves, in words."""
        plan, i = self.plan, self.plan.position(change.key)
        task = self.prepared.task(i)
        if i in self.prepared.exact and change.via is None:
            return "moves with the run"
        if change.cause == "edited" and change.via is None:
            return self._edited(i)
        if change.cause == "closure":
            return "a working day more" if change.delta < 0 else "a day it needs is closed"
        if change.cause == "anchor" and change.via is None:
            label = plan.labels.get(task.when.anchor) if task.when else None
            if any(phase.window != old.window for phase, old in zip(self.prepared.phases, plan.phases, strict=True)):
                label = label if not task.opens or task.window is None else self._phase(i)
            late = ", no earlier than today" if task.state == "under way" and not self.keeps_distance(change) else ""
            return f"moves with {label}{late}" if label else "moves with the run"
        if change.via is not None:
            source, network = plan.position(change.via), self.prepared.network
            for link, ask in network.held_by(i, self.fronts):
                if ask.source == source:
                    return held_words(network, link, ask, self.words_of)
            return f"spans {plan.tasks[source].title}"
        awaited = max((one.finish for one in task.waits if one.finish is not None), default=None)
        activity = self.prepared.activity(i)
        if awaited is not None and number_from(activity, "S", awaited) == number_from(activity, "S", change.after[0]):
            return waits_words(task, plan.grid)
        return "has room to come earlier" if change.delta < 0 else "follows"

    def words_of(self, position: int) -> tuple[Task, tuple[int, int] | None, Grid]:
        """A task with its dates afterwards, for words."""
        return self.prepared.task(position), self.read_after(position), self.plan.grid

    def _phase(self, i: int) -> str:
        """The name of a task's phase."""
        key = phase_keys([self.prepared.task(j) for j in self.plan.above(i)]).get(self.plan.tasks[i].key)
        return next((phase.label for phase in self.plan.phases if phase.key == key), "its phase")

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
        dates |= {tasks[i].key: span for i, span in p.turned.items()}
        dates |= {change.key: change.after for change in self.changes}
        try:
            return replanned(
                plan, dates, tasks=tasks, links=p.links, calendars=p.calendars, anchors=p.anchors, phases=p.phases,
                end=p.end,
            )  # fmt: skip
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
