"""Templates and their editions."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import ColumnElement, and_, exists, func, or_, select, update
from sqlalchemy.orm import Session, joinedload, selectinload

from unisequa.store.queries.taking import take
from unisequa.store.tables import Edition, Person, Run, TemplateEdit, TemplateRight, TemplateRow


def template_by_id(session: Session, template_id: int) -> TemplateRow | None:
    """A template with its editions, rights and owner; taken by who is going to write it."""
    take(session, TemplateRow, template_id)
    query = select(TemplateRow).where(TemplateRow.id == template_id)
    return session.scalar(
        query.options(
            joinedload(TemplateRow.owner),
            selectinload(TemplateRow.editions),
            selectinload(TemplateRow.rights).joinedload(TemplateRight.person),
        )
    )


def editions_by_id(session: Session, numbers: Collection[int]) -> dict[int, Edition]:
    """Editions by their ids."""
    if not numbers:
        return {}
    return {edition.id: edition for edition in session.scalars(select(Edition).where(Edition.id.in_(numbers)))}


def editions_without_length(session: Session) -> list[Edition]:
    """Editions whose length in working days has not been worked out."""
    return list(session.scalars(select(Edition).where(Edition.days.is_(None))))


def open_to(person_id: int) -> ColumnElement[bool]:
    """Whether somebody may at least look at a template, as a condition on its row."""
    named = exists().where(TemplateRight.template_id == TemplateRow.id, TemplateRight.person_id == person_id)
    return or_(TemplateRow.owner_id == person_id, TemplateRow.open_to != "nothing", named)


def templates_open_to(session: Session, person_id: int) -> list[TemplateRow]:
    """The templates that somebody may at least look at, with owners, rights and editions, by category and name."""
    query = select(TemplateRow).where(open_to(person_id))
    query = query.options(
        joinedload(TemplateRow.owner), selectinload(TemplateRow.editions), selectinload(TemplateRow.rights)
    )
    return list(session.scalars(query.order_by(TemplateRow.category, func.lower(TemplateRow.name))))


def categories(session: Session) -> list[str]:
    """The categories in use."""
    return sorted(set(session.scalars(select(TemplateRow.category).where(TemplateRow.category != ""))))


def _newest() -> ColumnElement[bool]:
    """An edition is the newest released one of its template."""
    later = select(func.max(Edition.number)).where(Edition.template_id == TemplateRow.id, Edition.state == "released")
    return and_(Edition.state == "released", Edition.number == later.correlate(TemplateRow).scalar_subquery())


def newest_released(
    session: Session, *, names: Collection[str] | None = None, person_id: int | None = None
) -> list[Edition]:
    """The newest released edition of each template, by template: of those so named, of those open to somebody.

    ``names`` are as :func:`~unisequa.core.documents.includes.name_key` writes them.
    """
    query = select(Edition).join(TemplateRow, Edition.template_id == TemplateRow.id).where(_newest())
    if names is not None:
        query = query.where(Edition.name_key.in_(names))
    if person_id is not None:
        query = query.where(open_to(person_id))
    return list(session.scalars(query.order_by(TemplateRow.id)))


def released_names(session: Session, person_id: int | None = None) -> dict[str, int]:
    """The names of all newest released editions, or of those open to somebody, with their templates' ids."""
    query = select(Edition.name, TemplateRow.id).join(TemplateRow, Edition.template_id == TemplateRow.id)
    query = query.where(_newest())
    if person_id is not None:
        query = query.where(open_to(person_id))
    names: dict[str, int] = {}
    for name, number in session.execute(query.order_by(TemplateRow.id)).all():
        names.setdefault(name, number)
    return names


def templates_named(session: Session, names: Collection[str]) -> dict[str, tuple[int, str]]:
    """Name as it is compared → the id and name of the template that has it; one that had it, where none has."""
    query = (
        select(Edition.name_key, TemplateRow.id, TemplateRow.name, func.max(Edition.number), _latest().label("last"))
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(Edition.name_key.in_(names))
        .group_by(Edition.name_key, TemplateRow.id, TemplateRow.name)
    )
    rows = sorted(session.execute(query).all(), key=lambda row: (row[3] != row[4], row[1]))
    named: dict[str, tuple[int, str]] = {}
    for key, number, name, _, _ in rows:
        named.setdefault(key, (number, name))
    return named


def _latest() -> ColumnElement[int]:
    other = Edition.__table__.alias()
    last = select(func.max(other.c.number)).where(other.c.template_id == TemplateRow.id)
    return last.correlate(TemplateRow).scalar_subquery()


def started_by_template(session: Session, template_ids: Collection[int]) -> dict[int, int]:
    """How many runs were started from each of some templates."""
    query = select(Edition.template_id, func.count(Run.id)).join(Run, Run.edition_id == Edition.id)
    query = query.where(Edition.template_id.in_(template_ids)).group_by(Edition.template_id)
    return {row[0]: row[1] for row in session.execute(query).all()}


def started_by_edition(session: Session, edition_ids: Collection[int]) -> dict[int, int]:
    """How many runs were started from each of some editions."""
    query = select(Run.edition_id, func.count(Run.id)).where(Run.edition_id.in_(edition_ids)).group_by(Run.edition_id)
    return {row[0]: row[1] for row in session.execute(query).all()}


# Edits of drafts.


def next_edit(session: Session, person_id: int, edition_id: int, state: str) -> TemplateEdit | None:
    """The edit of one's own that undoing (state ``done``) or redoing (``undone``) comes to next."""
    query = select(TemplateEdit).where(
        TemplateEdit.edition_id == edition_id, TemplateEdit.person_id == person_id, TemplateEdit.state == state
    )
    order = TemplateEdit.id.desc() if state == "done" else TemplateEdit.id.asc()
    return session.scalars(query.order_by(order).limit(1)).first()


def drop_undone(session: Session, person_id: int, edition_id: int) -> None:
    """Put what somebody has undone out of reach of doing it again."""
    mine = TemplateEdit.edition_id == edition_id, TemplateEdit.person_id == person_id
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
