"""The plan and cascade documents: what ``unisequa plan`` and ``cascade`` print and read."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field

from unisequa.core.cascade import Cascade
from unisequa.core.document import (
    MOST_DAYS,
    MOST_STEPS,
    CalendarDocument,
    DottedKey,
    Edge,
    Label,
    LagUnit,
    LinkType,
    Model,
    When,
    read_document,
)
from unisequa.core.errors import CircleError, DateRangeError, DocumentError, Fault, did_you_mean
from unisequa.core.plan import Calendars, LinkOf, Plan, State, Task, boundaries, iso, standing
from unisequa.core.reasons import reasons


class Because(Model):
    """One reason for a date."""

    kind: str
    date: dt.date | None = None
    binding: bool = False
    text: str


class PlannedTask(Model):
    """A task with its dates, both included; null while it is undated. Slack and drift in working days."""

    key: DottedKey
    title: str
    phase: str | None = None
    role: str | None = None
    start: dt.date | None
    finish: dt.date | None
    duration: Annotated[int, Field(ge=0, le=MOST_DAYS)]
    edge: Edge = "finish"
    when: When | None = None
    calendar: Label | None = None
    opens: bool = False
    not_before: dt.date | None = None
    deadline: dt.date | None = None
    target_start: dt.date | None = None
    target_finish: dt.date | None = None
    drift: int | None = None
    late_start: dt.date | None = None
    late_finish: dt.date | None = None
    total_slack: int | None = None
    free_slack: int | None = None
    critical: bool = False
    state: State = "waiting"
    because: tuple[Because, ...] = ()


class PlannedLink(Model):
    """A link between two tasks; the lag in days of ``unit``."""

    from_: DottedKey = Field(alias="from")
    to: DottedKey
    type: LinkType = "FS"
    lag: Annotated[int, Field(ge=-MOST_DAYS, le=MOST_DAYS)] = 0
    unit: LagUnit = "working"


class PlanWarning(Model):
    """Something that deserves a look."""

    kind: str
    task: str | None = None
    text: str


class PlanDocument(Model):
    """A whole plan, with all that a cascade needs; ``calendars[0]`` is the default."""

    format: Literal["unisequa-plan/1"] = "unisequa-plan/1"
    name: str
    grid: Literal["day"] = "day"
    start: dt.date | None = None
    finish: dt.date | None = None
    today: dt.date | None = None
    working_days: int | None = None
    anchors: dict[str, dt.date | None] = {}
    anchor_labels: dict[str, str] = {}
    tasks: Annotated[tuple[PlannedTask, ...], Field(max_length=MOST_STEPS)] = ()
    links: Annotated[tuple[PlannedLink, ...], Field(max_length=10 * MOST_STEPS)] = ()
    calendars: Annotated[tuple[CalendarDocument, ...], Field(max_length=500)] = ()
    warnings: tuple[PlanWarning, ...] = ()


def plan_document(plan: Plan) -> dict[str, Any]:
    """A plan as plain JSON values."""
    reach = plan.reach()
    days = plan.calendars[None].count(reach[0], reach[1] + 1) if reach else None
    return {
        "format": "unisequa-plan/1",
        "name": plan.name,
        "grid": "day",
        "start": iso(reach and reach[0]),
        "finish": iso(reach and reach[1]),
        "today": iso(plan.today),
        "working_days": days,
        "anchors": {key: iso(day) for key, day in plan.anchors.items()},
        "anchor_labels": dict(plan.labels),
        "tasks": [_task(plan, i) for i in range(len(plan.tasks))],
        "links": [{"from": k.source, "to": k.target, "type": k.type, "lag": k.lag, "unit": k.unit} for k in plan.links],
        "calendars": [document.written() for document in plan.calendars.documents],
        "warnings": [{"kind": w.kind, "task": w.task, "text": w.text} for w in plan.warnings],
    }


def _task(plan: Plan, i: int) -> dict[str, Any]:
    task, result = plan.tasks[i], plan.schedule
    first, last = plan.days(i) or (None, None)
    target, late = plan.target_days(i) or (None, None), plan.late_days(i) or (None, None)
    return {
        "key": task.key,
        "title": task.title,
        "phase": task.phase,
        "role": task.role,
        "start": iso(first),
        "finish": iso(last),
        "duration": task.duration,
        "edge": task.edge,
        "when": {**task.when.written(), "anchor": task.when.anchor} if task.when else None,
        "calendar": task.calendar,
        "opens": task.opens,
        "not_before": iso(task.not_before),
        "deadline": None if task.deadline is None else iso(task.deadline - 1),
        "target_start": iso(target[0]),
        "target_finish": iso(target[1]),
        "drift": plan.drift(i),
        "late_start": iso(late[0]),
        "late_finish": iso(late[1]),
        "total_slack": result.total_slack[i],
        "free_slack": result.free_slack[i],
        "critical": result.critical[i],
        "state": task.state,
        "because": [
            {"kind": r.kind, "date": iso(r.day), "binding": r.binding, "text": r.text} for r in reasons(plan, i)
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
    calendars = Calendars(document.calendars)
    faults: list[Fault] = []
    tasks: list[Task] = []
    dates: dict[str, tuple[int, int]] = {}
    seen: set[str] = set()
    for i, entry in enumerate(document.tasks):
        path = f"tasks[{i}]"
        if entry.key in seen:
            faults.append(Fault(f"{path}.key", f'"{entry.key}" stands twice; keys are unique'))
        if entry.calendar is not None and entry.calendar not in calendars:
            known = [c.name for c in calendars.documents]
            faults.append(
                Fault(f"{path}.calendar", f'no calendar "{entry.calendar}"{did_you_mean(entry.calendar, known)}')
            )
        if entry.when is not None and entry.when.anchor not in document.anchors:
            faults.append(Fault(f"{path}.when.anchor", f'no anchor "{entry.when.anchor}"'))
        if (entry.start is None) != (entry.finish is None):
            faults.append(Fault(f"{path}.start", "has one date without the other; give both or neither"))
        elif entry.start is not None and entry.finish is not None and entry.finish < entry.start:
            faults.append(Fault(f"{path}.finish", "lies before the start"))
        seen.add(entry.key)
        task = _read_task(entry)
        tasks.append(task)
        if entry.start and entry.finish:
            dates[task.key] = boundaries(task, entry.start.toordinal(), entry.finish.toordinal())
    known_keys = {task.key for task in tasks}
    for i, link in enumerate(document.links):
        for name, key in (("from", link.from_), ("to", link.to)):
            if key not in known_keys:
                faults.append(Fault(f"links[{i}].{name}", f'no task "{key}"{did_you_mean(key, known_keys)}'))
    if faults:
        raise DocumentError(faults)
    labels = {key: document.anchor_labels.get(key, key) for key in document.anchors}
    try:
        return standing(
            document.name,
            tuple(tasks),
            tuple(LinkOf(k.from_, k.to, k.type, k.lag, k.unit) for k in document.links),
            dates,
            calendars,
            {key: day.toordinal() if day else None for key, day in document.anchors.items()},
            labels,
            today=document.today.toordinal() if document.today else None,
        )
    except CircleError as error:
        raise DocumentError([Fault("links", str(error))]) from error
    except DateRangeError as error:
        raise DocumentError([Fault("tasks", str(error))]) from error


def _read_task(entry: PlannedTask) -> Task:
    task = Task(
        key=entry.key,
        title=entry.title,
        duration=entry.duration,
        edge=entry.edge,
        when=entry.when,
        not_before=entry.not_before.toordinal() if entry.not_before else None,
        deadline=entry.deadline.toordinal() + 1 if entry.deadline else None,
        calendar=entry.calendar,
        phase=entry.phase,
        role=entry.role,
        state=entry.state,
        opens=entry.opens,
    )
    if not (entry.target_start and entry.target_finish):
        return task
    target = boundaries(task, entry.target_start.toordinal(), entry.target_finish.toordinal())
    return replace(task, target=target)


def cascade_document(result: Cascade) -> dict[str, Any]:
    """A cascade as plain JSON values, the plan afterwards included."""
    changes = []
    for change in result.changes:
        before, after = result.days(change)
        changes.append(
            {
                "key": change.key,
                "start": [iso(before and before[0]), iso(after[0])],
                "finish": [iso(before and before[1]), iso(after[1])],
                "delta": change.delta,
                "cause": change.cause,
                "via": change.via,
            }
        )
    after_plan = result.after()
    old, new = result.plan.reach(), after_plan.reach()
    became, ceased = result.criticality(after_plan)
    return {
        "format": "unisequa-cascade/1",
        "mode": result.mode,
        "changes": changes,
        "unchanged": result.unchanged,
        "conflicts": [{"kind": c.kind, "task": c.task, "text": c.text} for c in result.conflicts],
        "finish": [iso(old and old[1]), iso(new and new[1])],
        "became_critical": became,
        "ceased_critical": ceased,
        "plan": plan_document(after_plan),
    }
