"""Runs, their tasks, and what they wait for in each other."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, cast

from sqlalchemy import exists, or_, select
from sqlalchemy.orm import Session, defer, joinedload, selectinload

from unisequa.store.queries.taking import take
from unisequa.store.queries.templates import open_to
from unisequa.store.tables import CrewMember, Edition, LinkRow, Person, Run, ShiftRow, TaskRow, TemplateRow


def run_by_id(session: Session, run_id: int) -> Run | None:
    """A run with its template, crew, tasks, links and shifts; taken by who is going to write it."""
    take(session, Run, run_id)
    query = select(Run).where(Run.id == run_id)
    return session.scalar(
        query.options(
            joinedload(Run.keeper),
            joinedload(Run.edition).joinedload(Edition.template).selectinload(TemplateRow.rights),
            joinedload(Run.edition).joinedload(Edition.template).joinedload(TemplateRow.owner),
            selectinload(Run.crew).joinedload(CrewMember.person),
            selectinload(Run.tasks),
            selectinload(Run.links),
            selectinload(Run.phases),
            selectinload(Run.shifts).joinedload(ShiftRow.person),
        )
    )


@dataclass(frozen=True, slots=True)
class RowsOfRun:
    """The tasks of a run by position, and its links: rows of the session, or columns only looked up."""

    tasks: Sequence[TaskRow]
    links: Sequence[LinkRow]


def run_to_look_at(session: Session, run_id: int) -> tuple[Run, RowsOfRun] | None:
    """A run with its template and crew; its tasks and links as plain columns, which nobody changes."""
    query = select(Run).where(Run.id == run_id)
    run = session.scalar(
        query.options(
            joinedload(Run.keeper),
            joinedload(Run.edition).joinedload(Edition.template).selectinload(TemplateRow.rights),
            selectinload(Run.crew).joinedload(CrewMember.person),
        )
    )
    if run is None:
        return None
    tasks, links = TaskRow.__table__, LinkRow.__table__
    task_rows = session.execute(select(tasks).where(tasks.c.run_id == run_id).order_by(tasks.c.position)).all()
    linked = session.execute(select(links).where(links.c.run_id == run_id).order_by(links.c.id)).all()
    return run, RowsOfRun(cast(Sequence[TaskRow], task_rows), cast(Sequence[LinkRow], linked))


def last_shift(session: Session, run_id: int) -> ShiftRow | None:
    """The newest shift of a run that was not taken back."""
    query = select(ShiftRow).where(ShiftRow.run_id == run_id, ShiftRow.taken_back_at.is_(None))
    query = query.options(joinedload(ShiftRow.person), defer(ShiftRow.record)).order_by(ShiftRow.number.desc())
    return session.scalars(query.limit(1)).first()


@dataclass(frozen=True, slots=True)
class RunRecord:
    """A run as lists need it."""

    id: int
    name: str
    state: str
    keeper: str
    template: str
    summary: dict[str, Any]


def runs_open_to(session: Session, person_id: int) -> list[RunRecord]:
    """The runs that somebody may see: of templates they may look at, those they keep, those in whose crew they are."""
    in_crew = exists().where(CrewMember.run_id == Run.id, CrewMember.person_id == person_id)
    query = (
        select(Run.id, Run.name, Run.state, Person.name, TemplateRow.name, Run.summary)
        .join(Person, Run.keeper_id == Person.id)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(or_(Run.keeper_id == person_id, open_to(person_id), in_crew))
        .order_by(Run.id.desc())
    )
    return [RunRecord(*row) for row in session.execute(query).all()]


def all_run_ids(session: Session) -> list[int]:
    """The ids of all runs."""
    return list(session.scalars(select(Run.id).order_by(Run.id)))


def run_ids_without_summary(session: Session) -> list[int]:
    """The ids of runs that have tasks but nothing kept of them."""
    return [number for number, summary in session.execute(select(Run.id, Run.summary)).all() if not summary]


@dataclass(frozen=True, slots=True)
class AwaitedRun:
    """A run that somebody may wait for."""

    id: int
    template_id: int
    name: str
    anchors: dict[str, str | None]


def runs_of_templates(session: Session, template_ids: Collection[int]) -> list[AwaitedRun]:
    """The runs of some templates that are not called off, the latest first."""
    if not template_ids:
        return []
    query = select(Run.id, Edition.template_id, Run.name, Run.anchors).join(Edition, Run.edition_id == Edition.id)
    query = query.where(Edition.template_id.in_(template_ids), Run.state != "called off").order_by(Run.id.desc())
    return [AwaitedRun(*row) for row in session.execute(query).all()]


def tasks_of_runs(session: Session, run_ids: Collection[int], keys: Collection[str]) -> dict[tuple[int, str], TaskRow]:
    """Run and key → task, of those of some keys in some runs."""
    if not run_ids or not keys:
        return {}
    query = select(TaskRow).where(TaskRow.run_id.in_(run_ids), TaskRow.key.in_(keys))
    return {(row.run_id, row.key): row for row in session.scalars(query)}
