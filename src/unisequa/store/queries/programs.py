"""Tokens, answers given again, and what programs list."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from functools import lru_cache
from typing import Any, NamedTuple, cast

from sqlalchemy import bindparam, delete, or_, select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import (
    AnswerRow,
    Edition,
    FeedRow,
    OutboxRow,
    PartyLink,
    Person,
    Run,
    Subject,
    TaskRow,
    TemplateRow,
    TokenRow,
    WebhookRow,
)


def token_by_digest(session: Session, digest: str) -> TokenRow | None:
    """A token with whose it is."""
    return session.scalar(select(TokenRow).where(TokenRow.digest == digest).options(joinedload(TokenRow.person)))


def tokens_of(session: Session, person_id: int) -> list[TokenRow]:
    """Somebody's tokens, the latest first."""
    return list(session.scalars(select(TokenRow).where(TokenRow.person_id == person_id).order_by(TokenRow.id.desc())))


def answer_kept(session: Session, token_id: int, route: str, key: str) -> AnswerRow | None:
    """The answer that was given to a key before."""
    which = AnswerRow.token_id == token_id, AnswerRow.route == route, AnswerRow.key == key
    return session.scalar(select(AnswerRow).where(*which))


def forget_answers(session: Session, before: dt.datetime) -> None:
    """Forget the answers that were given before a moment."""
    session.execute(delete(AnswerRow).where(AnswerRow.at < before))


class RunListed(NamedTuple):
    """A run in a list for programs."""

    id: int
    name: str
    state: str
    version: int
    keeper: str
    template_id: int
    template: str
    edition: int
    subject: str
    summary: dict[str, Any]
    anchors: dict[str, Any]


def runs_listed(
    session: Session, person_id: int, *, state: str, template_id: int | None, subject: str, below: int | None, most: int
) -> list[RunListed]:
    """The runs that somebody may see, the latest first, from below an id on."""
    columns = (
        Run.id, Run.name, Run.state, Run.version, Person.name, TemplateRow.id, TemplateRow.name, Edition.number,
        Run.subject, Run.summary, Run.anchors,
    )  # fmt: skip
    query = select(*columns).join(Edition, Run.edition_id == Edition.id)
    query = query.join(TemplateRow, Edition.template_id == TemplateRow.id).join(Person, Run.keeper_id == Person.id)
    query = query.where(seen_by(person_id))
    if state:
        query = query.where(Run.state == state)
    if template_id is not None:
        query = query.where(TemplateRow.id == template_id)
    if subject:
        query = query.where(Run.subject == subject)
    if below is not None:
        query = query.where(Run.id < below)
    return [RunListed(*row) for row in session.execute(query.order_by(Run.id.desc()).limit(most))]


class TaskListed(NamedTuple):
    """A task in a list for programs."""

    id: int
    run_id: int
    run: str
    run_state: str
    key: str
    title: str
    state: str
    start_on: dt.date | None
    finish_on: dt.date | None
    ready_on: dt.date | None
    minutes: dict[str, Any] | None
    who: str | None
    version: int


def tasks_listed(
    session: Session,
    person_id: int,
    *,
    mine: bool,
    states: Collection[str],
    ready: bool | None,
    today: dt.date,
    due_before: dt.date | None,
    above: int | None,
    most: int,
) -> list[TaskListed]:
    """Tasks of the runs that somebody may see, or only their own in live ones, in order of their ids.

    Parameters
    ----------
    ready : bool, optional
        Of those that wait, only the ready ones, or only the others.
    """
    columns = (
        TaskRow.id, Run.id, Run.name, Run.state, TaskRow.key, TaskRow.title, TaskRow.state, TaskRow.start_on,
        TaskRow.finish_on, TaskRow.ready_on, TaskRow.minutes, Person.name, Run.version,
    )  # fmt: skip
    query = select(*columns).join(Run, TaskRow.run_id == Run.id).join(Edition, Run.edition_id == Edition.id)
    query = query.join(TemplateRow, Edition.template_id == TemplateRow.id)
    query = query.outerjoin(Person, TaskRow.person_id == Person.id)
    query = (
        query.where(TaskRow.person_id == person_id, Run.state == "live") if mine else query.where(seen_by(person_id))
    )
    if states:
        query = query.where(TaskRow.state.in_(states))
    if ready is not None:
        come = TaskRow.ready_on <= today
        query = query.where(come if ready else or_(~come, TaskRow.ready_on.is_(None)))
    if due_before is not None:
        query = query.where(TaskRow.finish_on < due_before)
    if above is not None:
        query = query.where(TaskRow.id > above)
    return [TaskListed(*row) for row in session.execute(query.order_by(TaskRow.id).limit(most))]


def task_by_id(session: Session, number: int) -> tuple[int, str] | None:
    """The run and the key of a task."""
    found = session.execute(select(TaskRow.run_id, TaskRow.key).where(TaskRow.id == number)).first()
    return (found[0], found[1]) if found else None


def subject_by_ref(session: Session, kind: str, ref: str) -> Subject | None:
    """The subject that another system knows by a kind and a name of its own."""
    query = select(Subject).where(Subject.kind == kind, Subject.ref == ref)
    return session.scalar(query.order_by(Subject.id).limit(1))


def task_ids(session: Session, run_id: int) -> dict[str, int]:
    """Key → id of the tasks of a run."""
    return {row[0]: row[1] for row in session.execute(select(TaskRow.key, TaskRow.id).where(TaskRow.run_id == run_id))}


def feed_by_digest(session: Session, digest: str) -> FeedRow | None:
    """A feed with whose it is."""
    row: FeedRow | None = session.scalar(_FEED, {"digest": digest})
    return row


_FEED = select(FeedRow).where(FeedRow.digest == bindparam("digest")).options(joinedload(FeedRow.person))


def feeds_of(session: Session, person_id: int) -> list[FeedRow]:
    """Somebody's feeds."""
    return list(session.scalars(select(FeedRow).where(FeedRow.person_id == person_id).order_by(FeedRow.id)))


def versions_for(session: Session, person_id: int, kind: str, about_id: int | None) -> list[tuple[int, int]]:
    """The runs that a feed is about, as far as its person sees them, each with its version."""
    rows = session.execute(_versions(kind), {"viewer": person_id, "about": about_id})
    return [(number, version) for number, version in rows]


@lru_cache(maxsize=8)
def _versions(kind: str) -> Any:
    """The question for a kind of feed, made once: calendar programs ask it every few minutes."""
    viewer, about = cast(int, bindparam("viewer")), cast(int, bindparam("about"))
    query: Any = select(Run.id, Run.version).join(Edition, Run.edition_id == Edition.id)
    query = query.join(TemplateRow, Edition.template_id == TemplateRow.id).where(seen_by(viewer))
    if kind == "run":
        query = query.where(Run.id == about)
    elif kind == "subject":
        query = query.where(Run.subject_id == about, Run.state.in_(("prepared", "live", "on hold", "finished")))
    else:
        own = select(TaskRow.run_id).where(TaskRow.person_id == viewer)
        query = query.where(Run.state == "live", Run.id.in_(own))
    return query.order_by(Run.id)


def webhooks_on(session: Session) -> list[WebhookRow]:
    """All webhooks that are on, with whose they are."""
    return list(session.scalars(_webhooks_on()))


@lru_cache(maxsize=1)
def _webhooks_on() -> Any:
    """The question, made once: every act in a run asks it."""
    return select(WebhookRow).where(WebhookRow.on).options(joinedload(WebhookRow.person)).order_by(WebhookRow.id)


def webhooks_of(session: Session, person_id: int) -> list[WebhookRow]:
    """Somebody's webhooks."""
    return list(session.scalars(select(WebhookRow).where(WebhookRow.person_id == person_id).order_by(WebhookRow.id)))


def deliveries_of(session: Session, webhook_id: int, most: int) -> list[OutboxRow]:
    """What a webhook was told, or is to be, the latest first."""
    which = OutboxRow.kind == "hook", OutboxRow.key.startswith(f"hook:{webhook_id}:", autoescape=True)
    return list(session.scalars(select(OutboxRow).where(*which).order_by(OutboxRow.id.desc()).limit(most)))


def party_link(session: Session, digest: str) -> PartyLink | None:
    """A link of a party outside."""
    return session.scalar(select(PartyLink).where(PartyLink.digest == digest))
