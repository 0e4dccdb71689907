"""The plan document: what ``unisequa plan`` prints and ``cascade`` reads."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BeforeValidator, Field
from pydantic import StringConstraints as Str

from unisequa.core.calendars.grid import MINUTES, Grid
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.template import DottedKey, Label, Measure, Model, When, readable_zone
from unisequa.core.plan.phases import members_of
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.reasons import reasons
from unisequa.core.plan.task import Awaited
from unisequa.core.plan.telling import Telling
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


Minutes = Annotated[int, Field(ge=0, le=_MOST)] | None


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
    duration is what it spans. ``who`` does it, whoever has its role; ``effort`` are the minutes of work in it,
    ``chunk`` those of the least piece it is done in, ``left`` those that its doer says are left.
    """

    key: DottedKey
    title: str
    phase: str | None = None
    role: str | None = None
    who: Annotated[str, Str(max_length=200)] | None = None
    effort: Minutes = None
    chunk: Minutes = None
    left: Minutes = None
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
    state: Literal["live", "prepared"] = "live"
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

    With ``one_by_one`` its tasks and links come from iterators, so that a large plan is not held twice.
    """
    grid, span = plan.grid, plan.span()
    first = last = None
    if span:
        first, last = span[0], grid.inclusive(span[1])
        if grid.per_day == 1:
            first, last = plan.reach() or (first, last)
    telling = Telling(plan)
    tasks = (_task(plan, i, telling) for i in range(len(plan.tasks)))
    links = ({"from": k.source, "to": k.target, "type": k.type, "lag": k.lag, "unit": k.unit} for k in plan.links)
    return {
        "format": "unisequa-plan/1",
        "name": plan.name,
        "state": "prepared" if plan.prepared else "live",
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
        "links": links if one_by_one else list(links),
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


def task_document(plan: Plan, key: str) -> dict[str, Any]:
    """One task of a plan as plain JSON values."""
    return _task(plan, plan.position(key), Telling(plan))


def _task(plan: Plan, i: int, telling: Telling) -> dict[str, Any]:
    task, result, grid, iso = plan.tasks[i], plan.schedule, plan.grid, telling.iso
    first, last = telling.known(i)[1] or (None, None)
    target, late = (task.target and plan.target_read(i)) or (None, None), plan.late_read(i) or (None, None)
    return {
        "key": task.key,
        "title": task.title,
        "phase": task.phase,
        "role": task.role,
        "who": task.who,
        "effort": task.effort,
        "chunk": task.chunk,
        "left": task.left,
        "parent": task.parent,
        "start": iso[first],
        "finish": iso[last],
        "duration": task.duration,
        "edge": task.edge,
        "when": _measure(task.when) if task.when else None,
        "calendar": task.calendar,
        "opens": task.opens,
        "fixed": task.fixed,
        "not_before": iso[task.not_before],
        "not_before_from": [_measure(m) for m in task.limits_from] if task.limits_from else (),
        "deadline": None if task.deadline is None else iso[grid.inclusive(task.deadline)],
        "deadline_from": [_measure(m) for m in task.deadlines_from] if task.deadlines_from else (),
        "waits_for": [_awaited(w, grid) for w in task.waits] if task.waits else (),
        "target_start": iso[target[0]],
        "target_finish": iso[target[1]],
        "drift": plan.drift(i) if task.target else None,
        "late_start": iso[late[0]],
        "late_finish": iso[late[1]],
        "total_slack": result.total_slack[i],
        "free_slack": result.free_slack[i],
        "critical": result.critical[i],
        "anchor_slack": result.anchor_slack[i],
        "slack_to": result.slack_to[i],
        "put": task.put,
        "ready": task.ready,
        "state": task.state,
        "because": [
            {"kind": kind, "date": iso[day], "binding": binding, "text": text}
            for kind, day, binding, text, _ in reasons(plan, i, telling)
        ],
    }


def _awaited(awaited: Awaited, grid: Grid) -> dict[str, Any]:
    return {
        "title": awaited.title,
        "run": awaited.run,
        "finish": _last(grid, awaited.finish),
        "done": awaited.done,
        "found": awaited.found,
    }


def plan_finish(plan: Plan) -> str | None:
    """The last date of a plan as it is printed."""
    span, grid = plan.span(), plan.grid
    if span is None:
        return None
    reach = plan.reach()
    return grid.iso(reach[1] if grid.per_day == 1 and reach else grid.inclusive(span[1]))
