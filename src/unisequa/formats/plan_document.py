"""The plan document: what ``unisequa plan`` prints and ``cascade`` reads."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BeforeValidator, Field
from pydantic import StringConstraints as Str

from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import DEEPEST, too_deep
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import DottedKey, Label, Measure, Model, When, grid_of, readable_zone
from unisequa.core.errors import CircleError, DateRangeError, DocumentError, Fault, did_you_mean
from unisequa.core.network.order import find_circle
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf, members_of, with_windows
from unisequa.core.plan.plan import Plan, boundaries, standing
from unisequa.core.plan.reasons import Telling, reasons
from unisequa.core.plan.task import Awaited, LinkOf, Task
from unisequa.core.terms import MOST_DAYS, MOST_STEPS, Edge, Follow, LagUnit, LinkType, Ready, State

_MOST = MOST_DAYS * MINUTES

Moment = Annotated[str, Str(pattern=r"^\d{4}-\d\d-\d\d(T\d\d:\d\d([+-]\d\d:\d\d)?)?$")]
"""A date, or on the minute grid a date with a time: 2026-08-31T17:30, with its UTC offset where that time is there
twice."""


def _kept_roll(given: Any) -> Any:
    """In a plan a measure without a roll means ``following``, whatever its offset."""
    return {**given, "roll": "following"} if isinstance(given, dict) and given.get("roll") is None else given


KeptMeasure = Annotated[Measure, BeforeValidator(_kept_roll)]
KeptWhen = Annotated[When, BeforeValidator(_kept_roll)]


class Because(Model):
    """One reason for a date."""

    kind: str
    date: Moment | None = None
    binding: bool = False
    text: str


class AwaitedTask(Model):
    """What a task waits for in another run: its title, the run (the job where none is ``found``), when it finishes
    there, whether it is done."""

    title: str
    run: str
    finish: Moment | None = None
    done: bool = False
    found: bool = True


class PlannedTask(Model):
    """A task with its dates, both included on the day grid; null while it is undated.

    Duration, drift and slack are in worked slots: working days, or minutes on the minute grid. A parent's
    duration is what it spans.
    """

    key: DottedKey
    title: str
    phase: str | None = None
    role: str | None = None
    parent: DottedKey | None = None
    start: Moment | None
    finish: Moment | None
    duration: Annotated[int, Field(ge=0, le=_MOST)]
    edge: Edge = "finish"
    when: KeptWhen | None = None
    calendar: Label | None = None
    opens: bool = False
    fixed: bool = False
    not_before: Moment | None = None
    not_before_from: Annotated[tuple[KeptMeasure, ...], Field(max_length=20)] = ()
    deadline: Moment | None = None
    deadline_from: Annotated[tuple[KeptMeasure, ...], Field(max_length=20)] = ()
    waits_for: Annotated[tuple[AwaitedTask, ...], Field(max_length=100)] = ()
    target_start: Moment | None = None
    target_finish: Moment | None = None
    drift: int | None = None
    late_start: Moment | None = None
    late_finish: Moment | None = None
    total_slack: int | None = None
    free_slack: int | None = None
    critical: bool = False
    anchor_slack: int | None = None
    slack_to: DottedKey | None = None
    put: bool = False
    ready: Ready = "when free"
    state: State = "waiting"
    because: tuple[Because, ...] = ()


class PlannedLink(Model):
    """A link between two tasks; the lag in slots of ``unit``: days, or minutes on the minute grid."""

    from_: DottedKey = Field(alias="from")
    to: DottedKey
    type: LinkType = "FS"
    lag: Annotated[int, Field(ge=-_MOST, le=_MOST)] = 0
    unit: LagUnit = "working"


class PlannedPhase(Model):
    """A phase in its order. ``window`` is its first and last day where its span gives it one, ``put`` says that a
    person set it; ``first`` and ``ends`` are the anchors that its windows run between, ``job`` the template it is of
    where several are laid out as one. ``start`` and ``finish`` are those of its tasks."""

    key: DottedKey
    label: str = ""
    window: Annotated[tuple[Moment, ...], Field(min_length=2, max_length=2)] | None = None
    start: Moment | None = None
    finish: Moment | None = None
    span: Annotated[int, Field(ge=1, le=MOST_DAYS)] | None = None
    opens: Literal["with its tasks", "after the one before"] = "with its tasks"
    put: bool = False
    first_anchor: DottedKey | None = None
    ends: DottedKey | None = None
    job: str = ""


class PlanWarning(Model):
    """Something that deserves a look."""

    kind: str
    task: str | None = None
    text: str


class Away(Model):
    """Leave, both days included."""

    from_: Moment = Field(alias="from")
    to: Moment


class LabelledDay(Model):
    """A day of the run that has a name."""

    date: Moment
    label: str


class PlanDocument(Model):
    """A whole plan, with all that a cascade needs; ``calendars[0]`` is the default.

    ``ties`` are keys in links that are no tasks: what they follow holds what follows them. ``ends`` is the anchor whose
    day is the deadline.
    """

    format: Literal["unisequa-plan/1"] = "unisequa-plan/1"
    name: str
    grid: Literal["day", "minute"] = "day"
    zone: Annotated[str, Str(max_length=60), AfterValidator(readable_zone)] | None = None
    direction: Literal["forward", "backward"] = "forward"
    start: Moment | None = None
    finish: Moment | None = None
    today: Moment | None = None
    deadline: Moment | None = None
    working_days: int | None = None
    anchors: dict[DottedKey, Moment | None] = {}
    anchor_labels: dict[str, str] = {}
    derived_anchors: dict[DottedKey, KeptMeasure] = {}
    day_labels: tuple[LabelledDay, ...] = ()
    ends: DottedKey | None = None
    follow: Follow = "ask"
    crew: dict[str, str] = {}
    away: dict[str, tuple[Away, ...]] = {}
    tasks: Annotated[tuple[PlannedTask, ...], Field(max_length=MOST_STEPS)] = ()
    links: Annotated[tuple[PlannedLink, ...], Field(max_length=10 * MOST_STEPS)] = ()
    ties: Annotated[tuple[DottedKey, ...], Field(max_length=MOST_STEPS)] = ()
    phases: Annotated[tuple[PlannedPhase, ...], Field(max_length=MOST_STEPS)] = ()
    calendars: Annotated[tuple[CalendarDocument, ...], Field(max_length=500)] = ()
    warnings: tuple[PlanWarning, ...] = ()


def plan_document(plan: Plan, *, one_by_one: bool = False) -> dict[str, Any]:
    """A plan as plain JSON values.

    With ``one_by_one`` its tasks come from an iterator, so that a large plan is written without being held twice.
    """
    grid, span = plan.grid, plan.span()
    first = last = None
    if span:
        first, last = span[0], grid.inclusive(span[1])
        if grid.per_day == 1:
            first, last = plan.reach() or (first, last)
    telling = Telling(plan)
    tasks = (_task(plan, i, telling) for i in range(len(plan.tasks)))
    return {
        "format": "unisequa-plan/1",
        "name": plan.name,
        "grid": grid.name,
        "zone": grid.zone.key if grid.zone else None,
        "direction": plan.direction,
        "start": day_text(grid, first),
        "finish": day_text(grid, last),
        "today": day_text(grid, plan.today),
        "deadline": None if plan.end is None else day_text(grid, grid.inclusive(plan.end)),
        "working_days": plan.working_days(),
        "anchors": {key: day_text(grid, day) for key, day in plan.anchors.items()},
        "anchor_labels": dict(plan.labels),
        "derived_anchors": {key: _measure(m) for key, m in plan.derived.items()},
        "ends": plan.ends,
        "follow": plan.follow,
        "day_labels": [{"date": grid.iso(day), "label": label} for day, label in plan.day_labels],
        "crew": dict(plan.crew),
        "away": {
            role: [{"from": _DAYS.iso(a), "to": _DAYS.iso(b)} for a, b in spans] for role, spans in plan.away.items()
        },
        "tasks": tasks if one_by_one else list(tasks),
        "links": [{"from": k.source, "to": k.target, "type": k.type, "lag": k.lag, "unit": k.unit} for k in plan.links],
        "ties": list(plan.ties),
        "phases": list(_phases(plan)),
        "calendars": [document.written() for document in plan.calendars.documents],
        "warnings": [{"kind": w.kind, "task": w.task, "text": w.text} for w in plan.warnings],
    }


_DAYS = Grid()


def day_text(grid: Grid, day: int | None) -> str | None:
    """A day or an instant as documents write it."""
    return None if day is None else grid.iso(day)


def _last(grid: Grid, boundary: int | None) -> str | None:
    return None if boundary is None else grid.iso(grid.inclusive(boundary))


def _measure(measure: Measure) -> dict[str, Any]:
    return {**measure.written(), "anchor": measure.anchor, "roll": measure.roll}


def _phases(plan: Plan) -> Iterator[dict[str, Any]]:
    grid, members = plan.grid, members_of(plan.tasks)
    for phase in plan.phases:
        spans = [dates for task in members.get(phase.key, ()) if (dates := plan.read(plan.positions[task.key]))]
        yield {
            "key": phase.key,
            "label": phase.label,
            "window": phase.window and [_DAYS.iso(day) for day in phase.window],
            "start": day_text(grid, min((a for a, _ in spans), default=None)),
            "finish": day_text(grid, max((b for _, b in spans), default=None)),
            "span": phase.span,
            "opens": "after the one before" if phase.after else "with its tasks",
            "put": phase.put,
            "first_anchor": phase.first,
            "ends": phase.ends,
            "job": phase.job,
        }


def _task(plan: Plan, i: int, telling: Telling) -> dict[str, Any]:
    task, result, grid = plan.tasks[i], plan.schedule, plan.grid
    _, dates, _ = telling.known(i)
    first, last = dates or (None, None)
    target, late = plan.target_read(i) or (None, None), plan.late_read(i) or (None, None)
    return {
        "key": task.key,
        "title": task.title,
        "phase": task.phase,
        "role": task.role,
        "parent": task.parent,
        "start": day_text(grid, first),
        "finish": day_text(grid, last),
        "duration": task.duration,
        "edge": task.edge,
        "when": _measure(task.when) if task.when else None,
        "calendar": task.calendar,
        "opens": task.opens,
        "fixed": task.fixed,
        "not_before": day_text(grid, task.not_before),
        "not_before_from": [_measure(m) for m in task.limits_from],
        "deadline": None if task.deadline is None else day_text(grid, grid.inclusive(task.deadline)),
        "deadline_from": [_measure(m) for m in task.deadlines_from],
        "waits_for": [
            {"title": w.title, "run": w.run, "finish": _last(grid, w.finish), "done": w.done, "found": w.found}
            for w in task.waits
        ],
        "target_start": day_text(grid, target[0]),
        "target_finish": day_text(grid, target[1]),
        "drift": plan.drift(i),
        "late_start": day_text(grid, late[0]),
        "late_finish": day_text(grid, late[1]),
        "total_slack": result.total_slack[i],
        "free_slack": result.free_slack[i],
        "critical": result.critical[i],
        "anchor_slack": result.anchor_slack[i],
        "slack_to": result.slack_to[i],
        "put": task.put,
        "ready": task.ready,
        "state": task.state,
        "because": [
            {"kind": r.kind, "date": day_text(grid, r.day), "binding": r.binding, "text": r.text}
            for r in reasons(plan, i, telling)
        ],
    }


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
                (self.day(f"away.{role}", a.from_, _DAYS) or 1, self.day(f"away.{role}", a.to, _DAYS) or 1)
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
            days = [self.day(f"{path}.window", text, _DAYS) for text in entry.window or ()]
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


def plan_finish(plan: Plan) -> str | None:
    """The last date of a plan as it is printed."""
    span, grid = plan.span(), plan.grid
    if span is None:
        return None
    reach = plan.reach()
    return grid.iso(reach[1] if grid.per_day == 1 and reach else grid.inclusive(span[1]))
