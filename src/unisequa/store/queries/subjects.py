"""Subjects, the runs about them, and what runs were made together."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, or_, select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import (
    AnchorSource,
    CrewMember,
    Edition,
    Person,
    Run,
    StartRow,
    Subject,
    TaskRow,
    Team,
    TemplateRow,
)


def folded(name: str) -> str:
    """A name as it is compared."""
    return " ".join(name.split()).casefold()[:200]


def subject_named(session: Session, name: str) -> Subject | None:
    """The subject of a name, however it is written."""
    return session.scalar(select(Subject).where(Subject.folded == folded(name)))


def subject_by_id(session: Session, number: int) -> Subject | None:
    """A subject by id."""
    return session.get(Subject, number)


def subjects(session: Session, text: str = "", most: int = 500) -> list[Subject]:
    """Subjects whose names hold a text, by name."""
    query = select(Subject).options(joinedload(Subject.manager))
    if text:
        query = query.where(Subject.folded.contains(folded(text), autoescape=True))
    return list(session.scalars(query.order_by(Subject.folded).limit(most)))


def seen_subjects(session: Session, person_id: int, ids: Collection[int] | None = None) -> set[int]:
    """The subjects that somebody sees a run of."""
    query = _runs(select(Run.subject_id)).where(seen_by(person_id), Run.subject_id.is_not(None))
    if ids is not None:
        query = query.where(Run.subject_id.in_(ids))
    return {number for number in session.scalars(query.distinct()) if number is not None}


def _runs(query: Any) -> Any:
    query = query.select_from(Run).join(Edition, Run.edition_id == Edition.id)
    return query.join(TemplateRow, Edition.template_id == TemplateRow.id)


class RunAbout(NamedTuple):
    """A run about a subject, as lists need it."""

    id: int
    name: str
    state: str
    subject_id: int
    template_id: int
    template: str
    anchors: dict[str, str | None]
    summary: dict[str, Any]
    keeper_id: int


def runs_about(session: Session, person_id: int, which: ColumnElement[bool]) -> list[RunAbout]:
    """The runs about subjects that somebody may see, the earliest made first."""
    columns: tuple[Any, ...] = (
        Run.id, Run.name, Run.state, Run.subject_id, TemplateRow.id, TemplateRow.name, Run.anchors, Run.summary,
        Run.keeper_id,
    )  # fmt: skip
    query = _runs(select(*columns)).where(seen_by(person_id), Run.subject_id.is_not(None), which)
    return [RunAbout(*row) for row in session.execute(query.order_by(Run.id)).all()]


def runs_about_some(session: Session, person_id: int, ids: Collection[int]) -> list[RunAbout]:
    """The same for some subjects."""
    return runs_about(session, person_id, Run.subject_id.in_(ids)) if ids else []


def joining_or_leaving(session: Session, first: Any, last: Any) -> list[Subject]:
    """The subjects whose first or last day lies within two days, both included, by that day."""
    within = or_(Subject.first_on.between(first, last), Subject.last_on.between(first, last))
    return list(session.scalars(select(Subject).options(joinedload(Subject.manager)).where(within)))


def runs_like(
    session: Session, person_id: int, template_ids: Collection[int], subject_id: int | None, names: Collection[str] = ()
) -> list[tuple[int, str, int, dict[str, str | None]]]:
    """The runs of some templates about a subject that are not called off and that somebody may see: id, name, template,
    anchors. Of those about no subject the ones that are called so."""
    query = _runs(select(Run.id, Run.name, Edition.template_id, Run.anchors)).where(
        seen_by(person_id), Edition.template_id.in_(template_ids), Run.state != "called off",
        Run.subject_id == subject_id if subject_id is not None else Run.subject_id.is_(None) & Run.name.in_(names),
    )  # fmt: skip
    return [(number, name, of, anchors) for number, name, of, anchors in session.execute(query.order_by(Run.id))]


def last_crew(session: Session, person_id: int, template_id: int) -> tuple[str, list[CrewMember]] | None:
    """The name and the crew of the latest run of a template that somebody may see."""
    query = _runs(select(Run.id, Run.name)).where(seen_by(person_id), Edition.template_id == template_id)
    found = session.execute(query.order_by(Run.id.desc()).limit(1)).first()
    if found is None:
        return None
    members = select(CrewMember).where(CrewMember.run_id == found[0])
    loaded = members.options(joinedload(CrewMember.person), joinedload(CrewMember.team))
    return found[1], list(session.scalars(loaded.order_by(CrewMember.id)))


def start_by_token(session: Session, token: str) -> StartRow | None:
    """The start that a form was already sent for."""
    return session.scalar(select(StartRow).where(StartRow.token == token))


def start_by_id(session: Session, number: int) -> StartRow | None:
    """A start by id."""
    return session.get(StartRow, number)


class RunMade(NamedTuple):
    """A run that a start made."""

    id: int
    name: str
    state: str
    opens_on: dt.date | None
    template: str


class TaskMade(NamedTuple):
    """A task of such a run: whose it is, as far as it is anybody's."""

    run_id: int
    key: str
    parent: str | None
    role: str | None
    person: str | None
    team: str | None
    ready_on: dt.date | None


def runs_of_start(session: Session, start_id: int, person_id: int) -> list[RunMade]:
    """The runs that a start made, that are still there, and that somebody may see."""
    query = _runs(select(Run.id, Run.name, Run.state, Run.opens_on, TemplateRow.name))
    query = query.where(Run.start_id == start_id, seen_by(person_id)).order_by(Run.id)
    return [RunMade(*row) for row in session.execute(query).all()]


def tasks_made(session: Session, run_ids: Collection[int]) -> list[TaskMade]:
    """The tasks of some runs."""
    columns: tuple[Any, ...] = (
        TaskRow.run_id, TaskRow.key, TaskRow.parent, TaskRow.role, Person.name, Team.name, TaskRow.ready_on,
    )  # fmt: skip
    query = select(*columns).outerjoin(Person, Person.id == TaskRow.person_id)
    query = query.outerjoin(Team, Team.id == TaskRow.team_id).where(TaskRow.run_id.in_(run_ids))
    return [TaskMade(*row) for row in session.execute(query.order_by(TaskRow.run_id, TaskRow.position)).all()]


def roles_of_runs(session: Session, run_ids: Collection[int]) -> dict[tuple[int, str], tuple[str, str]]:
    """Run and role → what the role is called, and who outside fills it."""
    query = select(CrewMember.run_id, CrewMember.role, CrewMember.label, CrewMember.outside)
    found = session.execute(query.where(CrewMember.run_id.in_(run_ids))).all()
    return {(run_id, role): (label, outside) for run_id, role, label, outside in found}


def holders(session: Session, kind: str, source_id: int, name: str) -> list[tuple[int, str]]:
    """Run and anchor that have their date from one source; of runs that are not over."""
    query = select(AnchorSource.run_id, AnchorSource.anchor).join(Run, Run.id == AnchorSource.run_id)
    query = query.where(AnchorSource.kind == kind, AnchorSource.source_id == source_id, AnchorSource.name == name)
    query = query.where(Run.state.in_(("prepared", "live", "on hold")))
    return [(run_id, anchor) for run_id, anchor in session.execute(query.order_by(AnchorSource.run_id)).all()]


def sources_of(session: Session, run_id: int) -> list[tuple[str, int, str, str]]:
    """Where a run's anchors have their dates from: kind, id and name of the source, and the anchor."""
    query = select(AnchorSource.kind, AnchorSource.source_id, AnchorSource.name, AnchorSource.anchor)
    found = session.execute(query.where(AnchorSource.run_id == run_id).order_by(AnchorSource.anchor)).all()
    return [(kind, number, name, anchor) for kind, number, name, anchor in found]


def kinds_there_are(session: Session) -> set[str]:
    """The kinds of subjects that records have."""
    return set(session.scalars(select(Subject.kind).where(Subject.kind != "").distinct()))
