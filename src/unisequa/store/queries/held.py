"""What is held for a while, and who has what open."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, func, or_, select
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


def look(session: Session, template_id: int, person_id: int, window: str, step: str, seen: float, since: float) -> None:
    """Write down that somebody has a template open at a step; forget who was last seen long before."""
    session.execute(delete(PresenceRow).where(PresenceRow.template_id == template_id, PresenceRow.seen < since))
    here = PresenceRow.template_id == template_id, PresenceRow.person_id == person_id, PresenceRow.window == window
    row = session.scalar(select(PresenceRow).where(*here))
    if row is None:
        made = PresenceRow(template_id=template_id, person_id=person_id, window=window, step=step, seen=seen)
        add_once(session, made)
    else:
        row.step, row.seen = step, seen
    session.flush()


def others(
    session: Session, template_id: int, person_id: int, window: str, since: float
) -> list[tuple[str, str, bool]]:
    """Names and steps of the other windows in which a template is open, and whether they are one's own."""
    own = (PresenceRow.person_id == person_id).label("own")
    query = select(Person.name, PresenceRow.step, own).join(Person, PresenceRow.person_id == Person.id)
    query = query.where(PresenceRow.template_id == template_id, PresenceRow.seen >= since)
    query = query.where(or_(PresenceRow.person_id != person_id, PresenceRow.window != window))
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
