"""A plan read back from its document, standing as that says."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from unisequa.core.calendars.grid import DAYS, Grid
from unisequa.core.documents.checks import DEEPEST, too_deep
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import Measure, grid_of
from unisequa.core.errors import CircleError, DateRangeError, DocumentError, Fault, did_you_mean
from unisequa.core.network.order import find_circle
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf, with_windows
from unisequa.core.plan.plan import Plan, boundaries, standing
from unisequa.core.plan.task import Awaited, LinkOf, Task
from unisequa.formats.plan_document import AwaitedTask, PlanDocument, PlannedTask


def read_plan(content: object) -> Plan:
    """A plan from plain JSON values, standing as it says.

    Raises
    ------
    DocumentError
        With every fault and its path.
    """
    document = read_document(PlanDocument, content)
    return _Reading(document).plan()


class _Reading:
    """One reading of a plan document; faults are gathered on the way."""

    def __init__(self, document: PlanDocument) -> None:
        self.document = document
        self.grid = grid_of(document.grid, document.zone)
        self.calendars = Calendars(document.calendars, self.grid)
        self.faults: list[Fault] = []

    def day(self, path: str, text: str | None, grid: Grid | None = None) -> int | None:
        if text is None:
            return None
        try:
            return (grid or self.grid).read(text)
        except ValueError as error:
            self.faults.append(Fault(path, str(error)))
            return None

    def plan(self) -> Plan:
        d = self.document
        self.anchors = {key: self._anchor(key, day) for key, day in d.anchors.items()}
        tasks, dates = self._tasks()
        known = {task.key for task in tasks} | set(d.ties)
        self.faults += [
            Fault(f"ties[{i}]", f'"{key}" is a task; a tie has a key of its own')
            for i, key in enumerate(d.ties)
            if any(task.key == key for task in d.tasks)
        ]
        phases = self._phases()
        for i, link in enumerate(d.links):
            for name, key in (("from", link.from_), ("to", link.to)):
                if key not in known:
                    self.faults.append(Fault(f"links[{i}].{name}", f'no task "{key}"{did_you_mean(key, known)}'))
        self.faults += self._anchor_faults()
        today, end = self.day("today", d.today), self.day("deadline", d.deadline)
        labels = {key: d.anchor_labels.get(key, key) for key in d.anchors}
        away = {
            role: tuple(
                (self.day(f"away.{role}", a.from_, DAYS) or 1, self.day(f"away.{role}", a.to, DAYS) or 1)
                for a in spells
            )
            for role, spells in d.away.items()
        }
        day_labels = tuple((self.day("day_labels", one.date) or 0, one.label) for one in d.day_labels)
        if self.faults:
            raise DocumentError(self.faults)
        try:
            plan = standing(
                d.name,
                with_windows(tasks, phases, self.grid),
                tuple(LinkOf(k.from_, k.to, k.type, k.lag, k.unit) for k in d.links),
                dates,
                self.calendars,
                self.anchors,
                labels,
                today=today,
                end=None if end is None else self._end(d.deadline or "", end),
                ties=d.ties,
                phases=phases,
            )
        except CircleError as error:
            raise DocumentError([Fault("links", str(error))]) from error
        except DateRangeError as error:
            raise DocumentError([Fault("tasks", str(error))]) from error
        return replace(
            plan,
            derived=dict(d.derived_anchors),
            direction=d.direction,
            crew=dict(d.crew),
            away=away,
            day_labels=day_labels,
            ends=d.ends,
            follow=d.follow,
            prepared=d.state == "prepared",
        )

    def _anchor(self, key: str, text: str | None) -> int | None:
        try:
            return None if text is None else self.calendars[None].read(text)
        except ValueError as error:
            self.faults.append(Fault(f"anchors.{key}", str(error)))
            return None

    def _end(self, text: str, read: int) -> int:
        """A deadline as a boundary; on the minute grid a date alone is that whole day."""
        return self.grid.exclusive(read) if "T" in text else self.grid.day_start(self.grid.day(read) + 1)

    def _phases(self) -> tuple[PhaseOf, ...]:
        made = []
        for i, entry in enumerate(self.document.phases):
            path = f"phases[{i}]"
            days = [self.day(f"{path}.window", text, DAYS) for text in entry.window or ()]
            window = (days[0], days[1]) if len(days) == 2 and days[0] is not None and days[1] is not None else None
            if window and window[1] < window[0]:
                self.faults.append(Fault(f"{path}.window", "ends before it begins"))
            for name, anchor in (("first_anchor", entry.first_anchor), ("ends", entry.ends)):
                if anchor is not None and anchor not in self.document.anchors:
                    self.faults.append(Fault(f"{path}.{name}", f'no anchor "{anchor}"'))
            after = entry.opens == "after the one before"
            made.append(
                PhaseOf(
                    entry.key,
                    entry.label or entry.key,
                    entry.span,
                    after,
                    entry.first_anchor,
                    entry.ends,
                    window,
                    entry.put,
                    entry.job,
                )
            )
        return tuple(made)

    def _anchor_faults(self) -> Iterator[Fault]:
        keys = list(self.document.anchors)
        derived = self.document.derived_anchors
        for key, measure in derived.items():
            for name, anchor in (("", key), (".anchor", measure.anchor)):
                if anchor not in self.document.anchors:
                    yield Fault(f"derived_anchors.{key}{name}", f'no anchor "{anchor}"{did_you_mean(anchor, keys)}')
        at = {key: i for i, key in enumerate(keys)}
        follows = [[at[derived[key].anchor]] if key in derived and derived[key].anchor in at else [] for key in keys]
        if self.document.ends is not None and self.document.ends not in at:
            yield Fault("ends", f'no anchor "{self.document.ends}"{did_you_mean(self.document.ends, keys)}')
        if circle := find_circle(follows):
            yield Fault("derived_anchors", "are measured in a circle: " + " → ".join(keys[i] for i in circle))

    def _tasks(self) -> tuple[tuple[Task, ...], dict[str, tuple[int, int]]]:
        entries, faults = self.document.tasks, self.faults
        keys = [entry.key for entry in entries]
        at: dict[str, int] = {}
        for i, key in enumerate(keys):
            if at.setdefault(key, i) != i:
                faults.append(Fault(f"tasks[{i}].key", f'"{key}" stands twice; keys are unique'))
        parents = {entry.parent for entry in entries}
        tasks, dates = [], {}
        for i, entry in enumerate(entries):
            path = f"tasks[{i}]"
            task, span = self._task(path, entry, entry.key in parents)
            if entry.parent is not None and entry.parent not in at:
                faults.append(Fault(f"{path}.parent", f'no task "{entry.parent}"{did_you_mean(entry.parent, at)}'))
            tasks.append(task)
            if span:
                dates[task.key] = span
        nested = [at.get(e.parent or "") for e in entries]
        if circle := find_circle([[] if above is None else [above] for above in nested]):
            faults.append(Fault("tasks", "lie within each other in a circle: " + " → ".join(keys[i] for i in circle)))
            return tuple(tasks), dates
        for i in too_deep(nested):
            faults.append(Fault(f"tasks[{i}].parent", f"makes level {DEEPEST + 1}; tasks go {DEEPEST} levels deep"))
        return tuple(tasks), dates

    def _task(self, path: str, entry: PlannedTask, parent: bool) -> tuple[Task, tuple[int, int] | None]:
        faults, known = self.faults, [c.name for c in self.calendars.documents]
        if entry.calendar is not None and entry.calendar not in self.calendars:
            message = f'no calendar "{entry.calendar}"{did_you_mean(entry.calendar, known)}'
            faults.append(Fault(f"{path}.calendar", message))
        named = [("when", entry.when), *(("not_before_from", m) for m in entry.not_before_from)]
        for name, measure in [*named, *(("deadline_from", m) for m in entry.deadline_from)]:
            if measure is not None and measure.anchor not in self.document.anchors:
                faults.append(Fault(f"{path}.{name}.anchor", f'no anchor "{measure.anchor}"'))
            if measure is not None:
                faults += self._unit_faults(f"{path}.{name}", measure)
        if (entry.start is None) != (entry.finish is None):
            faults.append(Fault(f"{path}.start", "has one date without the other; give both or neither"))
        start, finish = self.day(f"{path}.start", entry.start), self.day(f"{path}.finish", entry.finish)
        if start is not None and finish is not None and finish < start:
            faults.append(Fault(f"{path}.finish", "lies before the start"))
        deadline = self.day(f"{path}.deadline", entry.deadline)
        task = Task(
            key=entry.key,
            title=entry.title,
            duration=entry.duration,
            edge=entry.edge,
            when=None if parent else entry.when,
            not_before=self.day(f"{path}.not_before", entry.not_before),
            deadline=None if deadline is None else self.grid.exclusive(deadline),
            limits_from=entry.not_before_from,
            deadlines_from=entry.deadline_from,
            calendar=entry.calendar,
            phase=entry.phase,
            role=entry.role,
            state=entry.state,
            opens=entry.opens,
            parent=entry.parent,
            fixed=entry.fixed,
            put=entry.put,
            ready=entry.ready,
            who=entry.who,
            effort=entry.effort,
            chunk=entry.chunk,
            left=entry.left,
            waits=tuple(self._awaited(f"{path}.waits_for", one) for one in entry.waits_for),
        )
        a, b = (
            self.day(f"{path}.target_start", entry.target_start),
            self.day(f"{path}.target_finish", entry.target_finish),
        )
        if a is not None and b is not None and not parent:
            task = replace(task, target=boundaries(task, a, b, self.grid))
        span = None if start is None or finish is None else boundaries(task, start, finish, self.grid)
        return task, span

    def _awaited(self, path: str, entry: AwaitedTask) -> Awaited:
        finish = self.day(f"{path}.finish", entry.finish)
        boundary = None if finish is None else self.grid.exclusive(finish)
        return Awaited(entry.title, entry.run, boundary, entry.done, entry.found)

    def _unit_faults(self, path: str, measure: Measure) -> Iterator[Fault]:
        day_units = {"working days", "days", "weeks", "months"}
        if self.grid.per_day == 1 and (measure.unit not in day_units or isinstance(measure.offset, str)):
            yield Fault(path, "is in hours and minutes; this plan is on the day grid")
        elif isinstance(measure.offset, str) and measure.unit in {"weeks", "months"}:
            yield Fault(f"{path}.offset", f"in {measure.unit} is a whole number")
