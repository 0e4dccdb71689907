"""Rows of a run into the core's plan, and dates back into rows: the one place that does."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable
from dataclasses import replace
from functools import lru_cache
from typing import Any, cast

from unisequa.core.document import CalendarDocument, Edge, LagUnit, LinkType, Template, When
from unisequa.core.plan import Calendars, LinkOf, Plan, State, Task, boundaries, read_days, standing
from unisequa.store.models import Edition, LinkRow, Run, TaskRow


@lru_cache(maxsize=256)
def _calendar(written: str) -> CalendarDocument:
    return CalendarDocument.model_validate_json(written)


@lru_cache(maxsize=64)
def _calendars(written: tuple[str, ...]) -> Calendars:
    return Calendars(_calendar(text) for text in written)


def calendars_of(documents: Iterable[dict[str, Any]]) -> Calendars:
    """The calendars of documents as they are kept, each set made once."""
    return _calendars(tuple(json.dumps(document, sort_keys=True) for document in documents))


@lru_cache(maxsize=256)
def _template(written: str) -> Template:
    return Template.model_validate_json(written)


def template_of(edition: Edition) -> Template:
    """An edition's document; it was checked when it was kept."""
    return _template(json.dumps(edition.document))


def plan_of(run: Run, today: dt.date) -> Plan:
    """A run as it stands: its tasks with their dates, slack and criticality worked out on them."""
    calendars = calendars_of(run.calendars)
    tasks: list[Task] = []
    dates: dict[str, tuple[int, int]] = {}
    for row in run.tasks:
        task = _task(row)
        tasks.append(task)
        if row.start_on and row.finish_on:
            dates[row.key] = boundaries(task, row.start_on.toordinal(), row.finish_on.toordinal())
    keys = {row.id: row.key for row in run.tasks}
    links = tuple(_link(link, keys) for link in run.links)
    template = template_of(run.edition)
    anchors = {a.key: run.anchors.get(a.key) for a in template.anchors}
    return standing(
        run.name,
        tuple(tasks),
        links,
        dates,
        calendars,
        {key: dt.date.fromisoformat(day).toordinal() if day else None for key, day in anchors.items()},
        {anchor.key: anchor.label for anchor in template.anchors},
        today=today.toordinal(),
    )


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
    )
    if row.target_start_on and row.target_finish_on:
        target = boundaries(task, row.target_start_on.toordinal(), row.target_finish_on.toordinal())
        task = replace(task, target=target)
    return task


def _link(row: LinkRow, keys: dict[int, str]) -> LinkOf:
    return LinkOf(keys[row.source_id], keys[row.target_id], cast(LinkType, row.type), row.lag, cast(LagUnit, row.unit))


def set_dates(row: TaskRow, span: tuple[int, int] | None) -> None:
    """Put boundaries into a row as the days people read."""
    days = read_days(_task(row), *span) if span else None
    row.start_on = dt.date.fromordinal(days[0]) if days else None
    row.finish_on = dt.date.fromordinal(days[1]) if days else None


def task_row(task: Task, plan: Plan, position: int) -> TaskRow:
    """A new row for a planned task: what the computation knows of it."""
    days, target = plan.days(position), plan.target_days(position)

    def date(day: int | None) -> dt.date | None:
        return dt.date.fromordinal(day) if day is not None else None

    return TaskRow(
        key=task.key,
        position=position,
        title=task.title,
        phase=task.phase,
        role=task.role,
        duration=task.duration,
        edge=task.edge,
        opens=task.opens,
        calendar=task.calendar,
        measured={**task.when.written(), "anchor": task.when.anchor} if task.when else None,
        start_on=date(days and days[0]),
        finish_on=date(days and days[1]),
        target_start_on=date(target and target[0]),
        target_finish_on=date(target and target[1]),
        not_before_on=date(task.not_before),
        deadline_on=date(None if task.deadline is None else task.deadline - 1),
    )
