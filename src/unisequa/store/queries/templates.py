"""Templates and their editions."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, and_, exists, func, or_, select, update
from sqlalchemy.orm import Session, joinedload, selectinload
from sqlalchemy.orm.attributes import set_committed_value

from unisequa.store.queries.taking import take
from unisequa.store.tables import (
    Edition,
    FileOfTemplate,
    Person,
    Run,
    TeamMember,
    TeamRight,
    TemplateEdit,
    TemplateRight,
    TemplateRow,
)


def template_by_id(session: Session, template_id: int) -> TemplateRow | None:
    """A template with its editions, rights and owner; taken by who is going to write it."""
    take(session, TemplateRow, template_id)
    query = select(TemplateRow).where(TemplateRow.id == template_id)
    row = session.scalar(
        query.options(
            joinedload(TemplateRow.owner),
            selectinload(TemplateRow.editions),
            selectinload(TemplateRow.rights).joinedload(TemplateRight.person),
        )
    )
    for edition in row.editions if row else ():
        set_committed_value(edition, "template", row)  # not read again from an edition that is gone on with alone
    return row


def editions_by_id(session: Session, numbers: Collection[int]) -> dict[int, Edition]:
    """Editions by their ids."""
    if not numbers:
        return {}
    return {edition.id: edition for edition in session.scalars(select(Edition).where(Edition.id.in_(numbers)))}


def editions_without_length(session: Session) -> list[Edition]:
    """Editions whose length in working days has not been worked out."""
    return list(session.scalars(select(Edition).where(Edition.days.is_(None))))


LOOKING = ("look", "start and look", "edit")
STARTING = ("start", "start and look", "edit")
"""The rights with which somebody sees a template's runs, and starts some."""


def open_to(person_id: int, rights: Collection[str] | None = None) -> ColumnElement[bool]:
    """Whether somebody may see a template, as a condition on its row; with ``rights`` whether they have one of those.

    Its owner and administrators do, and whoever keeps a run of it sees it.
    """
    named = exists().where(TemplateRight.template_id == TemplateRow.id, TemplateRight.person_id == person_id)
    by_team = exists().where(
        TeamRight.template_id == TemplateRow.id,
        TeamMember.team_id == TeamRight.team_id,
        TeamMember.person_id == person_id,
    )
    administers = exists().where(Person.id == person_id, Person.administrator)
    if rights is None:
        edition = Edition.__table__.alias()
        keeps = exists().where(
            Run.edition_id == edition.c.id, edition.c.template_id == TemplateRow.id, Run.keeper_id == person_id
        )
        everybody = TemplateRow.open_to != "nothing"
        return or_(TemplateRow.owner_id == person_id, everybody, named, by_team, administers, keeps)
    named, by_team = named.where(TemplateRight.right.in_(rights)), by_team.where(TeamRight.right.in_(rights))
    return or_(TemplateRow.owner_id == person_id, TemplateRow.open_to.in_(rights), named, by_team, administers)


def may_start_any(session: Session, person_id: int) -> bool:
    """Whether there is a template that somebody may start."""
    return session.scalar(select(TemplateRow.id).where(open_to(person_id, STARTING)).limit(1)) is not None


def startable_templates(session: Session, person_id: int) -> list[tuple[int, str, str]]:
    """Id, name and category of the released templates that somebody may start, by name."""
    query = select(TemplateRow.id, TemplateRow.name, TemplateRow.category)
    query = query.join(Edition, Edition.template_id == TemplateRow.id).where(_newest(), open_to(person_id, STARTING))
    query = query.where(or_(Edition.steps > 0, Edition.includes))  # a run from nothing stands on one without any
    return [(a, b, c) for a, b, c in session.execute(query.order_by(func.lower(TemplateRow.name))).all()]


def usual_templates(session: Session, person_id: int) -> list[tuple[int, str, str]]:
    """Id, name and the kind of subject that they are usual for, of those that somebody may start, by that and name."""
    query = select(TemplateRow.id, TemplateRow.name, Edition.usual_for)
    query = query.join(Edition, Edition.template_id == TemplateRow.id).where(_newest(), open_to(person_id, STARTING))
    query = query.where(Edition.usual_for != "").order_by(Edition.usual_for, func.lower(TemplateRow.name))
    return [(a, b, c) for a, b, c in session.execute(query).all()]


def templates_open_to(session: Session, person_id: int) -> list[TemplateRow]:
    """The templates that somebody may at least look at, with owners, rights and editions, by category and name."""
    query = select(TemplateRow).where(open_to(person_id))
    query = query.options(
        joinedload(TemplateRow.owner), selectinload(TemplateRow.editions), selectinload(TemplateRow.rights)
    )
    return list(session.scalars(query.order_by(TemplateRow.category, func.lower(TemplateRow.name))))


def _newest() -> ColumnElement[bool]:
    """An edition is the newest released one of its template."""
    later = select(func.max(Edition.number)).where(Edition.template_id == TemplateRow.id, Edition.state == "released")
    return and_(Edition.state == "released", Edition.number == later.correlate(TemplateRow).scalar_subquery())


def newest_released(
    session: Session, *, ids: Collection[int] | None = None, person_id: int | None = None
) -> list[Edition]:
    """The newest released edition of each template, by template: of some of them, of those open to somebody."""
    query = select(Edition).join(TemplateRow, Edition.template_id == TemplateRow.id).where(_newest())
    if ids is not None:
        query = query.where(TemplateRow.id.in_(ids))
    if person_id is not None:
        query = query.where(open_to(person_id))
    return list(session.scalars(query.order_by(TemplateRow.id)))


@dataclass(frozen=True, slots=True)
class NamedTemplate:
    """A template as others name it: by the name of its newest released edition, and by whose it is."""

    id: int
    name: str
    owner_id: int
    owner: str


def named_templates(session: Session, person_id: int) -> list[NamedTemplate]:
    """The templates with a released edition that are open to somebody, in the order they were made."""
    query = (
        select(TemplateRow.id, Edition.name, TemplateRow.owner_id, Person.name)
        .join(Edition, Edition.template_id == TemplateRow.id)
        .join(Person, Person.id == TemplateRow.owner_id)
        .where(_newest(), open_to(person_id))
    )
    return [NamedTemplate(*row) for row in session.execute(query.order_by(TemplateRow.id)).all()]


def names_seen_by(session: Session, person_id: int) -> list[tuple[int, str]]:
    """The names of all templates that somebody sees, with their ids."""
    query = select(TemplateRow.id, TemplateRow.name).where(open_to(person_id)).order_by(TemplateRow.id)
    return [(number, name) for number, name in session.execute(query).all()]


def files_of(session: Session, template_id: int) -> set[str]:
    """The files that came into a template, by their digests."""
    return set(session.scalars(select(FileOfTemplate.digest).where(FileOfTemplate.template_id == template_id)))


def files_seen_by(session: Session, person_id: int, digests: Collection[str]) -> set[str]:
    """Those of some files that are in a template that somebody sees."""
    query = select(FileOfTemplate.digest).join(TemplateRow, TemplateRow.id == FileOfTemplate.template_id)
    return set(session.scalars(query.where(FileOfTemplate.digest.in_(digests), open_to(person_id))))


def names_of(session: Session, template_ids: Collection[int], person_id: int | None = None) -> dict[int, str]:
    """The names of some templates, of those open to somebody if one is named."""
    if not template_ids:
        return {}
    query = select(TemplateRow.id, TemplateRow.name).where(TemplateRow.id.in_(template_ids))
    if person_id is not None:
        query = query.where(open_to(person_id))
    return dict(session.execute(query).all())


def seen_among(session: Session, template_ids: Collection[int], person_ids: Collection[int]) -> set[int]:
    """Which of some templates are open to one of some people at least."""
    if not template_ids:
        return set()
    query = select(TemplateRow.id).where(TemplateRow.id.in_(template_ids), or_(*(open_to(one) for one in person_ids)))
    return set(session.scalars(query))


# Edits of drafts.


def next_edit(
    session: Session, person_id: int, edition_id: int, state: str, elsewhere: Sequence[str] = ()
) -> TemplateEdit | None:
    """The edit of one's own that undoing (state ``done``) or redoing (``undone``) comes to next, but for those made in
    windows that are open ``elsewhere``."""
    query = select(TemplateEdit).where(
        TemplateEdit.edition_id == edition_id, TemplateEdit.person_id == person_id, TemplateEdit.state == state
    )
    if elsewhere:
        query = query.where(TemplateEdit.window.not_in(elsewhere))
    order = TemplateEdit.id.desc() if state == "done" else TemplateEdit.id.asc()
    return session.scalars(query.order_by(order).limit(1)).first()


def drop_undone(session: Session, person_id: int, edition_id: int, window: str) -> None:
    """Put what somebody has undone in a window out of reach of doing it again."""
    mine = TemplateEdit.edition_id == edition_id, TemplateEdit.person_id == person_id, TemplateEdit.window == window
    session.execute(update(TemplateEdit).where(*mine, TemplateEdit.state == "undone").values(state="dropped"))


def edit_by_another(session: Session, person_id: int, edition_id: int, after: int) -> TemplateEdit | None:
    """The first edit that somebody else made behind one."""
    query = select(TemplateEdit).where(
        TemplateEdit.edition_id == edition_id, TemplateEdit.id > after, TemplateEdit.person_id != person_id
    )
    query = query.options(joinedload(TemplateEdit.person)).order_by(TemplateEdit.id)
    return session.scalars(query.limit(1)).first()


def edits_since(session: Session, edition_id: int, revision: int, most: int) -> list[TemplateEdit]:
    """The edits of a draft behind a revision, the earliest first."""
    query = select(TemplateEdit).where(TemplateEdit.edition_id == edition_id, TemplateEdit.revision > revision)
    return list(session.scalars(query.options(joinedload(TemplateEdit.person)).order_by(TemplateEdit.id).limit(most)))


def edits_of(session: Session, template_id: int, most: int) -> list[TemplateEdit]:
    """The latest edits of a template's drafts, the latest first."""
    query = select(TemplateEdit).join(Edition).where(Edition.template_id == template_id)
    query = query.options(joinedload(TemplateEdit.person)).order_by(TemplateEdit.id.desc())
    return list(session.scalars(query.limit(most)))


def owners_of(session: Session, person_id: int) -> list[tuple[int, str]]:
    """Who owns the templates that somebody may look at, by name."""
    query = select(Person.id, Person.name).join(TemplateRow, TemplateRow.owner_id == Person.id)
    query = query.where(open_to(person_id)).distinct().order_by(Person.name)
    return [(row[0], row[1]) for row in session.execute(query).all()]
