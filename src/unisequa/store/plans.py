"""Rows of a run into the core's plan, and dates back into rows: the one place that does."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, cast

from unisequa.core.documents.template import Measure, When
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan, boundaries, standing
from unisequa.core.plan.targets import target_of
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.terms import Edge, LagUnit, LinkType, State
from unisequa.store.documents import calendars_of, template_of_run
from unisequa.store.rules import signed_by_itself, waits_of
from unisequa.store.tables import LinkRow, Run, TaskRow


def plan_of(run: Run, today: dt.date) -> Plan:
    """A run as it stands: its tasks with their dates, slack and criticality worked out on them."""
    calendars, template = calendars_of(run.calendars), template_of_run(run)
    given = {a.key: run.anchors.get(a.key) for a in template.anchors}
    anchors = {key: dt.date.fromisoformat(day).toordinal() if day else None for key, day in given.items()}
    tasks: list[Task] = []
    dates: dict[str, tuple[int, int]] = {}
    waits = waits_of(run, template, today)
    for row in run.tasks:
        task = replace(_opening(_task(row), anchors, calendars), waits=waits.get(row.key, ()))
        if signed_by_itself(run, row, today):
            task = replace(task, state="done")
        tasks.append(task)
        if row.start_on and row.finish_on:
            dates[row.key] = boundaries(task, row.start_on.toordinal(), row.finish_on.toordinal())
    keys = {row.id: row.key for row in run.tasks}
    links = tuple(_link(link, keys) for link in run.links)
    plan = standing(
        run.name,
        tuple(tasks),
        links,
        dates,
        calendars,
        anchors,
        {anchor.key: anchor.label for anchor in template.anchors},
        today=today.toordinal(),
    )
    derived = {anchor.key: anchor.from_ for anchor in template.anchors if anchor.from_ is not None}
    crew = {member.role: member.name for member in run.crew if member.name}
    return replace(plan, derived=derived, direction=template.direction, crew=crew)


def _task(row: TaskRow) -> Task:
    task = Task(
        key=row.key,
        title=row.title,
        duration=row.duration,
        edge=cast(Edge, row.edge),
        when=When.model_validate(row.measured) if row.measured else None,
        not_before=row.not_before_on.toordinal() if row.not_before_on else None,
        deadline=row.deadline_on.toordinal() + 1 if row.deadline_on else None,
        calendar=row.calendar,
        phase=row.phase,
        role=row.role,
        state=cast(State, row.state),
        opens=row.opens,
        parent=row.parent,
        fixed=row.fixed,
        limits_from=tuple(Measure.model_validate(measure) for measure in row.limits),
        deadlines_from=tuple(Measure.model_validate(measure) for measure in row.deadlines),
    )
    if row.target_start_on and row.target_finish_on:
        target = boundaries(task, row.target_start_on.toordinal(), row.target_finish_on.toordinal())
        task = replace(task, target=target)
    return task


def _opening(task: Task, anchors: Mapping[str, int | None], calendars: Calendars) -> Task:
    """A task that opens the job, measured from the first anchor; rows of older runs do not say so."""
    first = next(iter(anchors), None)
    if not task.opens or task.when is not None or first is None:
        return task
    when = When(anchor=first, offset=0, unit="days", edge="start")
    measured = replace(task, when=when)
    return replace(measured, target=target_of(measured, anchors, calendars))


def _link(row: LinkRow, keys: dict[int, str]) -> LinkOf:
    return LinkOf(keys[row.source_id], keys[row.target_id], cast(LinkType, row.type), row.lag, cast(LagUnit, row.unit))


def put_back(run: Run, plan: Plan) -> None:
    """Bring a run's rows to what a plan of it says now: dates, states, links, anchors and calendars."""
    rows = {row.key: row for row in run.tasks}
    for position, task in enumerate(plan.tasks):
        row = rows[task.key]
        _set_dates(row, plan, position)
        row.state, row.fixed, row.calendar = task.state, task.fixed, task.calendar
    ids = {row.key: row.id for row in run.tasks}
    wanted = [(ids[k.source], ids[k.target], k.type, k.lag, k.unit) for k in plan.links]
    kept = [row for row in run.links if _link_row(row) in wanted]
    have = {_link_row(row) for row in kept}
    made = [
        LinkRow(source_id=a, target_id=b, type=kind, lag=lag, unit=unit)
        for a, b, kind, lag, unit in wanted
        if (a, b, kind, lag, unit) not in have
    ]
    if made or len(kept) < len(run.links):
        run.links = [*kept, *made]
    anchors = {key: _date(day) for key, day in plan.anchors.items()}
    run.anchors = {**run.anchors, **{key: day.isoformat() if day else None for key, day in anchors.items()}}
    calendars = [document.written() for document in plan.calendars.documents]
    if calendars != run.calendars:
        run.calendars = calendars


def _link_row(row: LinkRow) -> tuple[int, int, str, int, str]:
    return row.source_id, row.target_id, row.type, row.lag, row.unit


def _date(day: int | None) -> dt.date | None:
    return dt.date.fromordinal(day) if day is not None else None


def _set_dates(row: TaskRow, plan: Plan, position: int) -> None:
    task, days, target = plan.tasks[position], plan.read(position), plan.target_read(position)
    row.duration = task.duration
    row.start_on, row.finish_on = _date(days and days[0]), _date(days and days[1])
    row.target_start_on, row.target_finish_on = _date(target and target[0]), _date(target and target[1])
    row.not_before_on = _date(task.not_before)
    row.deadline_on = _date(None if task.deadline is None else task.deadline - 1)


def set_own_dates(row: TaskRow, plan: Plan) -> None:
    """Put a task's own dates in a plan into its row, and nobody else's."""
    position = plan.position(row.key)
    if plan.schedule.start[position] != UNDATED:
        _set_dates(row, plan, position)


def task_row(task: Task, plan: Plan, position: int) -> TaskRow:
    """A new row for a planned task: what the computation knows of it."""
    row = TaskRow(
        key=task.key,
        position=position,
        title=task.title,
        phase=task.phase,
        role=task.role,
        edge=task.edge,
        opens=task.opens,
        parent=task.parent,
        fixed=task.fixed,
        limits=[_measure(measure) for measure in task.limits_from],
        deadlines=[_measure(measure) for measure in task.deadlines_from],
        calendar=task.calendar,
        measured=_measure(task.when) if task.when else None,
    )
    _set_dates(row, plan, position)
    return row


def _measure(measure: Measure) -> dict[str, Any]:
    return {**measure.written(), "anchor": measure.anchor}
