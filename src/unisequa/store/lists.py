"""What is kept of a run so that lists need not look at its tasks, brought to what its rows say.

Whoever changes a run calls :func:`bring_up` in the same transaction; ``unisequa check-data`` compares.
"""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from unisequa.core.design.outline import outline
from unisequa.core.documents.includes import Scope, whole
from unisequa.core.documents.template import SignOff
from unisequa.core.plan.plan import Plan
from unisequa.core.work.sign_off import counts_from
from unisequa.core.work.summary import open_before, phases_of, summary_of
from unisequa.store.documents import calendars_of, library_of, template_of, template_of_run
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id, run_ids_without_summary
from unisequa.store.queries.templates import editions_without_length
from unisequa.store.tables import Run, RunPhase, TaskRow


@dataclass(frozen=True, slots=True)
class Kept:
    """All that is kept of a run beside its rows: of each task by its key, of the run, of each phase."""

    tasks: dict[str, tuple[int | None, int, dt.date | None]]
    summary: dict[str, Any]
    phases: tuple[tuple[str, str, int, int, dt.date | None, dt.date | None], ...]


def rule_of(run: Run, key: str) -> SignOff | None:
    """How a task is signed off."""
    return next((step.sign_off for step in template_of_run(run).steps if step.key == key), None)


def values_in(run: Run, key: str) -> dict[str, Any]:
    """What conditions and texts of a task may name: subject, facts, crew and anchors, by its template's own names."""
    values: dict[str, Any] = {"subject": run.subject, **run.facts}
    values |= {member.role: member.name or member.label for member in run.crew}
    values |= {anchor: dt.date.fromisoformat(day) if day else None for anchor, day in run.anchors.items()}
    return {**values, **_scope(run, key).named(values)}


def _scope(run: Run, key: str) -> Scope:
    """The names that a step of an included template has for what we call otherwise."""
    if "." not in key:
        return Scope()
    parts = whole(template_of(run.edition), library_of(run))
    return next((placed.scope for placed in parts.steps if placed.key == key), Scope())


def _counts_on(run: Run, row: TaskRow) -> dt.date | None:
    """The day from which a task counts as signed off by itself."""
    rule = rule_of(run, row.key) if row.state == "in review" and row.done_at is not None else None
    if rule is None or rule.by_itself is None or row.done_at is None:
        return None
    calendar = calendars_of(run)[row.calendar]
    day = counts_from(rule, row.done_at.date().toordinal(), calendar, values_in(run, row.key))
    return dt.date.fromordinal(day) if day is not None else None


def bring_up(run: Run, today: dt.date, plan: Plan | None = None) -> None:
    """Bring what is kept of a run to what its rows say; ``plan`` is the run as it now stands, where it is known."""
    for row in run.tasks:
        row.counts_on = _counts_on(run, row)
    kept = kept_of(run, plan or plan_of(run, today, by_itself=False))
    for task in run.tasks:
        task.person_id, task.open_before, _ = kept.tasks[task.key]
    if run.summary != kept.summary:
        run.summary = kept.summary
    rows: dict[str, RunPhase] = {phase.key: phase for phase in run.phases}
    for position, (key, label, tasks, over, first, last) in enumerate(kept.phases):
        phase = rows.pop(key, None)
        if phase is None:
            run.phases.append(phase := RunPhase(key=key))
        phase.position, phase.label, phase.tasks, phase.over = position, label, tasks, over
        phase.first_on, phase.last_on = first, last
    for gone in rows.values():
        run.phases.remove(gone)


def bring_up_new(session: Session, today: dt.date) -> None:
    """Bring up the editions and runs for which nothing is kept yet: those of a database of an older shape."""
    for edition in editions_without_length(session):
        edition.days = outline(template_of(edition)).length
    for run_id in run_ids_without_summary(session):
        run = run_by_id(session, run_id)
        assert run is not None
        bring_up(run, today)


def kept_of(run: Run, plan: Plan) -> Kept:
    """What should be kept of a run that stands as a plan says."""
    people = {member.role: member.person_id for member in run.crew}
    counts_on = {row.key: _counts_on(run, row) for row in run.tasks if row.state == "in review"}
    days = {key: day.toordinal() for key, day in counts_on.items() if day}
    waiting = open_before(plan)
    roles = {row.key: row.role for row in run.tasks}
    tasks = {
        task.key: (people.get(roles[task.key] or ""), waiting[i], counts_on.get(task.key))
        for i, task in enumerate(plan.tasks)
    }
    labels = {phase.key: phase.label for phase in template_of_run(run).phases}
    order = {key: i for i, key in enumerate(labels)}
    phases = sorted(phases_of(plan), key=lambda phase: order.get(phase.key, len(order)))
    return Kept(
        tasks,
        _as_json(summary_of(plan, days).written()),
        tuple((p.key, labels.get(p.key, p.key), p.tasks, p.over, _date(p.first), _date(p.last)) for p in phases),
    )


def differences(run: Run, today: dt.date) -> list[str]:
    """What is kept of a run and is not what its rows say, in words."""
    kept = kept_of(run, plan_of(run, today, by_itself=False))
    told = [
        f"{row.key}: {name} is {is_kept}, and should be {should}"
        for row in run.tasks
        for name, is_kept, should in zip(
            ("person_id", "open_before", "counts_on"),
            (row.person_id, row.open_before, row.counts_on),
            kept.tasks[row.key],
            strict=True,
        )
        if is_kept != should
    ]
    if run.summary != kept.summary:
        told.append("the summary is not what the tasks say")
    rows = tuple((p.key, p.label, p.tasks, p.over, p.first_on, p.last_on) for p in run.phases)
    if rows != kept.phases:
        told.append("the phases are not what the tasks say")
    return told


def _as_json(value: Any) -> Any:
    """Tuples as the lists that come back from the database."""
    if isinstance(value, dict):
        return {key: _as_json(one) for key, one in value.items()}
    return [_as_json(one) for one in value] if isinstance(value, list | tuple) else value


def _date(day: int | None) -> dt.date | None:
    return dt.date.fromordinal(day) if day is not None else None
