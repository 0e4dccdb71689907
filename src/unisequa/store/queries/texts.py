"""Texts that messages share."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.queries.subjects import folded
from unisequa.store.tables import SharedText


def shared_texts(session: Session) -> list[SharedText]:
    """All of them, by name."""
    query = select(SharedText).options(joinedload(SharedText.owner))
    return list(session.scalars(query.order_by(func.lower(SharedText.name))))


def texts_named(session: Session, names: Collection[str]) -> dict[str, SharedText]:
    """Those of some names, by the names as they are compared."""
    wanted = {folded(name) for name in names}
    if not wanted:
        return {}
    return {row.folded: row for row in session.scalars(select(SharedText).where(SharedText.folded.in_(wanted)))}


def text_by_id(session: Session, number: int) -> SharedText | None:
    """One by id."""
    return session.get(SharedText, number)
