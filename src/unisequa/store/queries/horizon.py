"""Runs in lines, for the horizon and the overview."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import Select, and_, func, or_, select
from sqlalchemy.orm import Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import AwaitedTask, Edition, LineOfRun, Person, Run, RunPhase, Subject, TaskRow, TemplateRow

OPEN = ("live", "prepared", "on hold")


class Thin(NamedTuple):
    """What a run is grouped and sorted by."""

    id: int
    name: str
    state: str
    standing: str
    first_on: dt.date | None
    last_on: dt.date | None
    late: int
    ahead: int
    slack: int | None
    by: Any


@dataclass(frozen=True, slots=True)
class Asked:
    """What of the runs is asked for; an empty text or 0 asks for all."""

    states: Sequence[str] = ()
    text: str = ""
    keeper: int = 0
    template: int = 0
    category: str = ""
    subject: str = ""
    kind: str = ""
    tag: str = ""
    unit: str = ""
    standing: str = ""


_BY = {
    "keeper": Person.name,
    "subject": Run.subject,
    "kind": Subject.kind,
    "template": TemplateRow.name,
    "category": TemplateRow.category,
    "phase": RunPhase.label,
    "tag": Edition.tags,
    "unit": Subject.unit,
    "state": Run.state,
}


def thin_runs(session: Session, person_id: int, asked: Asked, by: str) -> list[Thin]:
    """The runs that somebody sees and asks for, in no order."""
    columns = (
        Run.id, Run.name, Run.state, LineOfRun.standing, LineOfRun.first_on, LineOfRun.last_on, LineOfRun.late,
        LineOfRun.ahead, LineOfRun.slack,
    )  # fmt: skip
    query: Any = select(*columns, _BY.get(by, Run.id)).join(LineOfRun, LineOfRun.run_id == Run.id)
    query = query.join(Edition, Edition.id == Run.edition_id).join(TemplateRow, TemplateRow.id == Edition.template_id)
    query = query.where(seen_by(person_id))
    if by == "keeper" or asked.text:
        query = query.join(Person, Person.id == Run.keeper_id)
    if by in {"kind", "unit"} or asked.kind or asked.unit:
        query = query.outerjoin(Subject, Subject.id == Run.subject_id)
    if by == "phase":
        query = query.outerjoin(RunPhase, and_(RunPhase.run_id == Run.id, RunPhase.key == LineOfRun.phase))
    return [Thin(*row) for row in session.execute(_only(query, asked)).all()]


def _only(query: Select[Any], asked: Asked) -> Select[Any]:
    if asked.states:
        query = query.where(Run.state.in_(asked.states))
    if asked.keeper:
        query = query.where(Run.keeper_id == asked.keeper)
    if asked.template:
        query = query.where(TemplateRow.id == asked.template)
    if asked.category:
        query = query.where(TemplateRow.category == asked.category)
    if asked.subject:
        query = query.where(Run.subject == asked.subject)
    if asked.kind:
        query = query.where(Subject.kind == asked.kind)
    if asked.unit:
        query = query.where(Subject.unit == asked.unit)
    if asked.standing:
        query = query.where(Run.state == "live", LineOfRun.standing == asked.standing)
    if asked.text:
        word = asked.text.lower()
        told = (Run.name, Run.subject, Person.name, TemplateRow.name)
        query = query.where(or_(*(func.lower(one).contains(word, autoescape=True) for one in told)))
    return query


class Line(NamedTuple):
    """A run of the horizon, whole."""

    id: int
    name: str
    state: str
    keeper_id: int
    keeper: str
    template_id: int
    template: str
    summary: dict[str, Any]
    as_of: dt.date
    first_on: dt.date | None
    last_on: dt.date | None
    expected_on: dt.date | None
    deadline_on: dt.date | None
    standing: str
    reason: str
    ahead: int
    mark_on: dt.date | None
    tasks: int
    over: int
    late: int


def lines_of(session: Session, run_ids: Collection[int], person_id: int) -> list[Line]:
    """Runs by their ids, those that somebody sees."""
    query = (
        select(
            Run.id, Run.name, Run.state, Run.keeper_id, Person.name, TemplateRow.id, TemplateRow.name, Run.summary,
            LineOfRun.as_of, LineOfRun.first_on, LineOfRun.last_on, LineOfRun.expected_on, LineOfRun.deadline_on,
            LineOfRun.standing, LineOfRun.reason, LineOfRun.ahead, LineOfRun.mark_on, LineOfRun.tasks, LineOfRun.over,
            LineOfRun.late,
        )
        .join(LineOfRun, LineOfRun.run_id == Run.id)
        .join(Person, Person.id == Run.keeper_id)
        .join(Edition, Edition.id == Run.edition_id)
        .join(TemplateRow, TemplateRow.id == Edition.template_id)
        .where(Run.id.in_(run_ids), seen_by(person_id))
    )  # fmt: skip
    return [Line(*row) for row in session.execute(query).all()]


class PhaseLine(NamedTuple):
    """A phase of a run."""

    run_id: int
    key: str
    label: str
    tasks: int
    over: int
    first_on: dt.date
    last_on: dt.date


def phases_in(session: Session, run_ids: Collection[int]) -> list[PhaseLine]:
    """The dated phases of runs, in their order."""
    query = select(
        RunPhase.run_id,
        RunPhase.key,
        RunPhase.label,
        RunPhase.tasks,
        RunPhase.over,
        RunPhase.first_on,
        RunPhase.last_on,
    ).where(RunPhase.run_id.in_(run_ids), RunPhase.first_on.is_not(None), RunPhase.last_on.is_not(None))
    rows = session.execute(query.order_by(RunPhase.run_id, RunPhase.position)).all()
    return [PhaseLine(*row) for row in rows]  # type: ignore[arg-type]


def waits_between(session: Session, run_ids: Collection[int]) -> list[tuple[int, int]]:
    """Pairs of runs of which the second waits for the first, both among some."""
    query = select(AwaitedTask.of_run_id, AwaitedTask.run_id).distinct()
    query = query.where(AwaitedTask.run_id.in_(run_ids), AwaitedTask.of_run_id.in_(run_ids))
    return [(a, b) for a, b in session.execute(query).all()]


class Holding(NamedTuple):
    """A task of a phase that is not over."""

    title: str
    finish_on: dt.date | None
    state: str
    who: str | None


def open_in_phase(session: Session, run_id: int, phase: str) -> list[Holding]:
    """The tasks of a phase that are not over, the first due first."""
    query = select(TaskRow.title, TaskRow.finish_on, TaskRow.state, Person.name)
    query = query.outerjoin(Person, Person.id == TaskRow.person_id)
    query = query.where(TaskRow.run_id == run_id, TaskRow.phase == phase, TaskRow.state.not_in(("done", "dropped")))
    return [Holding(*row) for row in session.execute(query.order_by(TaskRow.finish_on, TaskRow.position)).all()]


def lines_behind(session: Session, today: dt.date, most: int, after: int) -> list[int]:
    """Runs not over whose lines were worked out for another day, by id behind one."""
    query = select(Run.id).join(LineOfRun, LineOfRun.run_id == Run.id)
    query = query.where(Run.state.in_(OPEN), LineOfRun.as_of != today, Run.id > after).order_by(Run.id).limit(most)
    return list(session.scalars(query))


def choices_for(session: Session, person_id: int) -> dict[str, list[tuple[str, str]]]:
    """What runs may be filtered by: values with their words, of the runs that somebody sees."""
    seen = select(Run.id).join(Edition, Edition.id == Run.edition_id)
    seen = seen.join(TemplateRow, TemplateRow.id == Edition.template_id).where(seen_by(person_id))
    runs = seen.scalar_subquery()
    keepers = select(Person.id, Person.name).where(Person.id.in_(select(Run.keeper_id).where(Run.id.in_(runs))))
    templates = select(TemplateRow.id, TemplateRow.name, TemplateRow.category).where(
        TemplateRow.id.in_(select(Edition.template_id).join(Run, Run.edition_id == Edition.id).where(Run.id.in_(runs)))
    )
    kinds = (
        select(Subject.kind, Subject.unit)
        .distinct()
        .where(Subject.id.in_(select(Run.subject_id).where(Run.id.in_(runs), Run.subject_id.is_not(None))))
    )
    tags = select(Edition.tags).where(Edition.id.in_(select(Run.edition_id).where(Run.id.in_(runs))))
    found_templates = session.execute(templates.order_by(TemplateRow.name)).all()
    found_kinds = session.execute(kinds).all()
    return {
        "keeper": [(str(n), name) for n, name in session.execute(keepers.order_by(Person.name)).all()],
        "template": [(str(n), name) for n, name, _ in found_templates],
        "category": _alike(category for _, _, category in found_templates),
        "tag": _alike(tag for found in session.scalars(tags) for tag in found or ()),
        "kind": _alike(kind for kind, _ in found_kinds),
        "unit": _alike(unit for _, unit in found_kinds),
    }


def _alike(values: Any) -> list[tuple[str, str]]:
    return [(value, value) for value in sorted({value for value in values if value})]
