"""What somebody holds that others would have to take over."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from unisequa.store.tables import CrewMember, Run, TaskRow, TemplateRow

_OVER = ("finished", "called off")


def owned_by(session: Session, person_id: int) -> list[tuple[int, str]]:
    """The templates that somebody owns."""
    query = select(TemplateRow.id, TemplateRow.name).where(TemplateRow.owner_id == person_id)
    return [(number, name) for number, name in session.execute(query.order_by(TemplateRow.name)).all()]


def kept_by(session: Session, person_id: int) -> list[tuple[int, str]]:
    """The runs that somebody keeps and that are not over."""
    query = select(Run.id, Run.name).where(Run.keeper_id == person_id, Run.state.not_in(_OVER))
    return [(number, name) for number, name in session.execute(query.order_by(Run.name)).all()]


def filled_by(session: Session, person_id: int) -> list[tuple[int, str, str]]:
    """The roles that somebody fills in runs that are not over, and the open tasks that they were given apart: the run's
    id, its name, the role's label or the task's title."""
    query = select(Run.id, Run.name, CrewMember.label).join(CrewMember, CrewMember.run_id == Run.id)
    query = query.where(CrewMember.person_id == person_id, Run.state.not_in(_OVER)).order_by(Run.name, CrewMember.id)
    given = select(Run.id, Run.name, TaskRow.title).join(TaskRow, TaskRow.run_id == Run.id)
    given = given.where(TaskRow.assigned_id == person_id, TaskRow.state.not_in(("done", "dropped")))
    given = given.where(Run.state.not_in(_OVER)).order_by(Run.name, TaskRow.position)
    rows = [*session.execute(query).all(), *session.execute(given).all()]
    return [(number, name, label) for number, name, label in rows]
