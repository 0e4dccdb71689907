"""What is held for a while, and who has what open."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ColumnElement, and_, delete, func, or_, select
from sqlalchemy.orm import Session

from unisequa.store.queries.taking import add_once
from unisequa.store.tables import HeldRow, Person, PresenceRow


def keep(session: Session, kind: str, person_id: int, name: str, content: dict[str, Any], most: int) -> None:
    """Hold something; of its kind the oldest beyond ``most`` make room."""
    same = HeldRow.kind == kind, HeldRow.person_id == person_id, HeldRow.name == name
    session.execute(delete(HeldRow).where(*same))
    session.add(HeldRow(kind=kind, person_id=person_id, name=name, content=content))
    session.flush()
    newest = select(HeldRow.id).where(HeldRow.kind == kind).order_by(HeldRow.id.desc()).limit(most)
    last = min(session.scalars(newest), default=0)
    session.execute(delete(HeldRow).where(HeldRow.kind == kind, HeldRow.id < last))


def find(session: Session, kind: str, person_id: int, name: str) -> dict[str, Any] | None:
    """What is held under that name, while it is."""
    same = HeldRow.kind == kind, HeldRow.person_id == person_id, HeldRow.name == name
    return session.scalar(select(HeldRow.content).where(*same))


def look(
    session: Session, template_id: int, person_id: int, window: str, step: str | None, seen: float, since: float
) -> None:
    """Write down that somebody has a template open at a step, or where they were; forget who was last seen long
    before."""
    session.execute(delete(PresenceRow).where(PresenceRow.template_id == template_id, PresenceRow.seen < since))
    row = session.scalar(select(PresenceRow).where(*_in_window(template_id, person_id, window)))
    if row is None:
        made = PresenceRow(template_id=template_id, person_id=person_id, window=window, step=step or "", seen=seen)
        add_once(session, made)
    else:
        row.step, row.seen = row.step if step is None else step, seen
    session.flush()


def leave(session: Session, template_id: int, person_id: int, window: str) -> None:
    """Write down that a window is closed."""
    session.execute(delete(PresenceRow).where(*_in_window(template_id, person_id, window)))


def _in_window(template_id: int, person_id: int, window: str) -> tuple[ColumnElement[bool], ...]:
    return PresenceRow.template_id == template_id, PresenceRow.person_id == person_id, PresenceRow.window == window


def others(
    session: Session, template_id: int, person_id: int, window: str, since: float, own_since: float
) -> list[tuple[str, str, bool]]:
    """Names and steps of the windows in which others had a template open since then, and one's own other ones since
    ``own_since``; and whether they are one's own."""
    own = (PresenceRow.person_id == person_id).label("own")
    query = select(Person.name, PresenceRow.step, own).join(Person, PresenceRow.person_id == Person.id)
    query = query.where(
        PresenceRow.template_id == template_id,
        or_(
            and_(PresenceRow.person_id != person_id, PresenceRow.seen >= since),
            and_(PresenceRow.person_id == person_id, PresenceRow.window != window, PresenceRow.seen >= own_since),
        ),
    )
    return [(row[0], row[1], bool(row[2])) for row in session.execute(query.order_by(func.lower(Person.name))).all()]


def windows_elsewhere(session: Session, template_id: int, person_id: int, window: str, since: float) -> list[str]:
    """One's own other windows in which a template is open."""
    query = select(PresenceRow.window).where(
        PresenceRow.template_id == template_id,
        PresenceRow.person_id == person_id,
        PresenceRow.window != window,
        PresenceRow.seen >= since,
    )
    return list(session.scalars(query))
