"""What a shift's edits say, before anything follows: the plan as edited, and where each edited task is wanted."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Set
from dataclasses import replace

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.measures import unrolled
from unisequa.core.documents.template import Measure
from unisequa.core.errors import CircleError, DocumentError, ShiftError, did_you_mean
from unisequa.core.network.latest import latest_places
from unisequa.core.network.network import Network
from unisequa.core.network.places import UNDATED, number_from, span_at
from unisequa.core.plan.building import network_of
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import derived_dates, with_dates_of
from unisequa.core.plan.task import LinkOf
from unisequa.core.shift.edits.dates import (
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
    RemoveLink,
    Reopen,
    TaskEdit,
)
from unisequa.core.shift.prepared import Prepared, position_of
from unisequa.core.shift.task_edits import TaskEdits
from unisequa.core.terms import FINISHED, MOST_DAYS


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


class _Edits(TaskEdits):
    """The edits of one shift: those of the whole run here, those of one task in the class it is made of."""

    def carry_out(self, edits: tuple[Edit, ...]) -> None:
        for edit in edits:
            self._check_dates(edit)
        if closures := [edit for edit in edits if isinstance(edit, Close | Reopen)]:
            self._closures(closures)
        if anchors := [edit for edit in edits if isinstance(edit, MoveAnchor)]:
            self._anchors({edit.key: edit.day for edit in anchors}, {edit.key for edit in anchors if edit.reset})
        for edit in edits:
            if isinstance(edit, MoveRun | MoveRunTo):
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
                kind = "date" if isinstance(edit, Move | Due | Fix | Done) else type(edit).__name__
                last[(edit.key, kind)] = edit
        ordered = sorted(last.values(), key=_turn)
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
            if task.state == "under way":
                found.pins[i] = self._begun_span(i, plan.schedule.start[i])
            elif not task.stands:
                found.looked_at.add(i)
                found.causes[i] = "closure"

    def _anchors(self, days: Mapping[str, int], reset: Set[str] = frozenset()) -> None:
        """Put anchors on other days; ``reset`` names those whose tasks go back to the template's offsets."""
        found, plan = self.found, self.plan
        for key in days:
            if key not in plan.anchors:
                raise ShiftError(f'no anchor "{key}"{did_you_mean(key, plan.anchors)}')
            if key in plan.derived:
                base = plan.labels[plan.derived[key].anchor]
                raise ShiftError(f"{plan.labels[key]} is measured from {base}; move that one")
        before = latest_places(self._unplaced()) if plan.direction == "backward" else {}
        was = found.anchors
        found.anchors = derived_dates({**was, **days}, plan.derived, found.calendars)
        changed = {key for key, day in found.anchors.items() if day != was[key]}
        again = {key for key in found.anchors if self._base(key) in reset}
        for i in range(len(plan.tasks)):
            self._remeasure(i, changed, again)
        if plan.direction == "backward":
            after = latest_places(self._unplaced())
            for i, at in before.items():
                if i in after and i not in found.wishes:
                    self._carry(i, found.activity(i).calendar.count(at, after[i]))

    def _base(self, anchor: str) -> str:
        """The anchor that a derived one is measured from in the end."""
        derived = self.plan.derived
        for _ in derived:
            anchor = derived[anchor].anchor if anchor in derived else anchor
        return anchor

    def _remeasure(self, i: int, changed: set[str], again: set[str]) -> None:
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
        back = task.when is not None and task.when.anchor in again
        if back or old is None or start in {UNDATED, old[0]}:
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
            for key, day in found.anchors.items()
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


def _turn(edit: TaskEdit) -> int:
    """Of the edits made together on one task, what it is goes before when it began, and that before the rest."""
    return 0 if isinstance(edit, Free | Give | Duration) else 1 if isinstance(edit, Begun) else 2


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
