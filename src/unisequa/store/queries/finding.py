"""What is found by a part of its name, among what somebody may see."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import ColumnElement, case, or_, select
from sqlalchemy.orm import InstrumentedAttribute, Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.queries.templates import open_to
from unisequa.store.tables import Edition, Person, Run, TaskRow, TemplateRow


def _holds(column: InstrumentedAttribute[str], text: str) -> ColumnElement[bool]:
    """Whether a name holds a text, small letters or capitals; SQLite knows that of a to z only."""
    if text.isascii():
        return column.icontains(text, autoescape=True)
    ways = {text, text.lower(), text.upper(), text[:1].upper() + text[1:]}
    return or_(*(column.icontains(way, autoescape=True) for way in sorted(ways)))


class FoundRun(NamedTuple):
    """A run by its name or what it is about."""

    id: int
    name: str
    subject: str
    state: str
    template: str


def runs(session: Session, person_id: int, text: str, most: int) -> list[FoundRun]:
    """The runs whose name or subject holds a text, those under way first."""
    query = (
        select(Run.id, Run.name, Run.subject, Run.state, TemplateRow.name)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(or_(_holds(Run.name, text), _holds(Run.subject, text)))
        .where(seen_by(person_id))
        .order_by(case((Run.state == "live", 0), (Run.state == "prepared", 1), else_=2), Run.id.desc())
    )
    return [FoundRun(*row) for row in session.execute(query.limit(most)).all()]


class FoundTask(NamedTuple):
    """A task by its title."""

    run_id: int
    key: str
    title: str
    run: str
    state: str
    mine: bool


def tasks(session: Session, person_id: int, text: str, most: int) -> list[FoundTask]:
    """The tasks whose title holds a text, one's own and open ones first."""
    mine = TaskRow.person_id == person_id
    query = (
        select(TaskRow.run_id, TaskRow.key, TaskRow.title, Run.name, TaskRow.state, mine)
        .join(Run, TaskRow.run_id == Run.id)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(_holds(TaskRow.title, text), seen_by(person_id))
        .order_by(
            case((Run.state == "live", 0), else_=1),
            case((mine, 0), else_=1),
            case((TaskRow.state.in_(("done", "dropped")), 1), else_=0),
            TaskRow.finish_on,
            TaskRow.id,
        )
    )
    return [FoundTask(*row) for row in session.execute(query.limit(most)).all()]


def templates(session: Session, person_id: int, text: str, most: int) -> list[tuple[int, str, str]]:
    """Id, name and category of the templates whose name holds a text."""
    query = select(TemplateRow.id, TemplateRow.name, TemplateRow.category)
    query = query.where(_holds(TemplateRow.name, text), open_to(person_id))
    rows = session.execute(query.order_by(TemplateRow.name).limit(most)).all()
    return [(number, name, category) for number, name, category in rows]


def people(session: Session, text: str, most: int) -> list[tuple[int, str, str]]:
    """Id, name and title of those whose name holds a text."""
    query = select(Person.id, Person.name, Person.title).where(_holds(Person.name, text), Person.active)
    return [
        (number, name, title) for number, name, title in session.execute(query.order_by(Person.name).limit(most)).all()
    ]
