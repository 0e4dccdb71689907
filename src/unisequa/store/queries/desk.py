"""What lies on somebody's desk, across all live runs, by the columns that are kept for it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, and_, exists, or_, select, tuple_
from sqlalchemy.orm import Session, aliased

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import (
    CommentRow,
    CrewMember,
    Deputy,
    Edition,
    LinkRow,
    Mention,
    Person,
    Run,
    TaskRow,
    Team,
    TeamMember,
    TemplateRow,
)

OPEN = ("waiting", "under way", "in review")


class OpenTask(NamedTuple):
    """A task that is not over, in a live run."""

    id: int
    run_id: int
    run: str
    template: str
    key: str
    title: str
    state: str
    start_on: dt.date | None
    finish_on: dt.date | None
    ready_on: dt.date | None
    counts_on: dt.date | None
    done_at: dt.datetime | None
    duration: int
    effort: str | None
    person_id: int | None
    signer_id: int | None
    team_id: int | None
    assigned_id: int | None
    who: str | None
    minutes: dict[str, Any] | None
    chunk: str | None
    left: int | None


def _tasks() -> Select[Any]:
    columns: tuple[Any, ...] = (
        TaskRow.id, Run.id, Run.name, TemplateRow.name, TaskRow.key, TaskRow.title, TaskRow.state, TaskRow.start_on,
        TaskRow.finish_on, TaskRow.ready_on, TaskRow.counts_on, TaskRow.done_at, TaskRow.duration, TaskRow.effort,
        TaskRow.person_id, TaskRow.signer_id, TaskRow.team_id, TaskRow.assigned_id, Person.name,
        TaskRow.minutes, TaskRow.chunk, TaskRow.left,
    )  # fmt: skip
    return (
        select(*columns)
        .join(Run, TaskRow.run_id == Run.id)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .outerjoin(Person, TaskRow.person_id == Person.id)
    )


def _some(session: Session, which: ColumnElement[bool], states: Collection[str] = OPEN) -> list[OpenTask]:
    query = _tasks().where(which, TaskRow.state.in_(states), Run.state == "live")
    query = query.order_by(TaskRow.finish_on.is_(None), TaskRow.finish_on, TaskRow.start_on, TaskRow.id)
    return [OpenTask(*row) for row in session.execute(query).all()]


def open_tasks_of(session: Session, person_id: int) -> list[OpenTask]:
    """What is somebody's and not over."""
    return _some(session, TaskRow.person_id == person_id)


def to_sign_off(session: Session, person_id: int, *, administrator: bool) -> list[OpenTask]:
    """What waits for somebody's sign-off; for administrators what nobody else may sign off, too."""
    mine = TaskRow.signer_id == person_id
    return _some(session, or_(mine, TaskRow.signer_id.is_(None)) if administrator else mine, ("in review",))


def in_queues(session: Session, team_ids: Collection[int]) -> list[OpenTask]:
    """What lies in the queues of some teams, and nobody has taken yet."""
    return _some(session, TaskRow.team_id.in_(team_ids), ("waiting", "under way")) if team_ids else []


def done_since(session: Session, person_id: int, moment: dt.datetime) -> list[OpenTask]:
    """What somebody did since a moment, the latest first."""
    query = _tasks().where(TaskRow.done_by_id == person_id, TaskRow.done_at >= moment)
    return [OpenTask(*row) for row in session.execute(query.order_by(TaskRow.done_at.desc(), TaskRow.id)).all()]


def without_parts(run_ids: Collection[int]) -> ColumnElement[bool]:
    """Of the tasks of some runs those that span no others; the parents are looked up once, not for each task."""
    parts = aliased(TaskRow)
    spans = select(parts.run_id, parts.parent).where(parts.run_id.in_(run_ids), parts.parent.is_not(None))
    return tuple_(TaskRow.run_id, TaskRow.key).not_in(spans)


def nobodys(session: Session, run_ids: Collection[int]) -> list[OpenTask]:
    """The tasks of some runs that nobody of ours does: they are the keeper's to report."""
    if not run_ids:
        return []
    nobody = and_(TaskRow.run_id.in_(run_ids), TaskRow.person_id.is_(None), TaskRow.team_id.is_(None))
    mine = and_(nobody, without_parts(run_ids))
    return _some(session, mine)


def teams_of(session: Session, person_id: int) -> dict[int, str]:
    """The teams that somebody is in."""
    query = select(Team.id, Team.name).join(TeamMember, TeamMember.team_id == Team.id)
    rows = session.execute(query.where(TeamMember.person_id == person_id)).all()
    return {row[0]: row[1] for row in rows}


class Linked(NamedTuple):
    """A task at the other end of a link, still open: its title and who does it."""

    of: int
    title: str
    who: str | None


def waiting_for(session: Session, task_ids: Collection[int]) -> list[Linked]:
    """What waits for some tasks."""
    return _linked(session, LinkRow.source_id, LinkRow.target_id, task_ids)


def waited_for(session: Session, task_ids: Collection[int]) -> list[Linked]:
    """What some tasks wait for."""
    return _linked(session, LinkRow.target_id, LinkRow.source_id, task_ids)


def _linked(session: Session, here: Any, there: Any, task_ids: Collection[int]) -> list[Linked]:
    if not task_ids:
        return []
    query = (
        select(here, TaskRow.title, Person.name)
        .join(TaskRow, TaskRow.id == there)
        .outerjoin(Person, TaskRow.person_id == Person.id)
        .where(here.in_(task_ids), TaskRow.state.in_(OPEN))
        .order_by(here, TaskRow.position)
    )
    return [Linked(*row) for row in session.execute(query).all()]


class Word(NamedTuple):
    """Something written in which somebody is named."""

    run_id: int
    run: str
    key: str | None
    task: str | None
    who: str
    text: str
    at: dt.datetime


def words_for(session: Session, person_id: int, since: dt.datetime, most: int) -> list[Word]:
    """What others wrote since a moment in which somebody is named, the latest first; the newest few."""
    query = (
        select(Run.id, Run.name, TaskRow.key, TaskRow.title, Person.name, CommentRow.text, CommentRow.at)
        .join(Mention, Mention.comment_id == CommentRow.id)
        .join(Run, CommentRow.run_id == Run.id)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .join(Person, CommentRow.person_id == Person.id)
        .outerjoin(TaskRow, and_(TaskRow.run_id == CommentRow.run_id, TaskRow.key == CommentRow.task_key))
        .where(Mention.person_id == person_id, CommentRow.person_id != person_id, CommentRow.at >= since)
        .where(seen_by(person_id))
    )
    return [Word(*row) for row in session.execute(query.order_by(CommentRow.id.desc()).limit(most)).all()]


class KeptRun(NamedTuple):
    """A run that somebody keeps, or is a deputy in."""

    id: int
    name: str
    template: str
    state: str
    summary: dict[str, Any]


def runs_kept_by(session: Session, person_id: int) -> list[KeptRun]:
    """The runs that somebody keeps and that are not over."""
    deputy = exists().where(Deputy.run_id == Run.id, Deputy.person_id == person_id)
    query = (
        select(Run.id, Run.name, TemplateRow.name, Run.state, Run.summary)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(or_(Run.keeper_id == person_id, deputy), Run.state.in_(("live", "prepared", "on hold")))
        .order_by(Run.id)
    )
    return [KeptRun(*row) for row in session.execute(query).all()]


def unfilled_roles(session: Session, run_ids: Collection[int]) -> list[tuple[int, str]]:
    """Run and label of the roles that nobody fills although there is something open to do in them."""
    if not run_ids:
        return []
    to_do = exists().where(
        TaskRow.run_id == CrewMember.run_id, TaskRow.role == CrewMember.role, TaskRow.state.in_(OPEN),
        TaskRow.assigned_id.is_(None),
    )  # fmt: skip
    nobody = and_(CrewMember.person_id.is_(None), CrewMember.team_id.is_(None), CrewMember.outside == "")
    query = select(CrewMember.run_id, CrewMember.label).where(CrewMember.run_id.in_(run_ids), nobody, to_do)
    return [(run, label) for run, label in session.execute(query.order_by(CrewMember.id)).all()]
