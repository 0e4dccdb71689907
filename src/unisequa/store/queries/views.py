"""Views that people have named."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.store.tables import ViewRow


def views_of(session: Session, person_id: int) -> list[ViewRow]:
    """Somebody's views, by name."""
    query = select(ViewRow).where(ViewRow.person_id == person_id)
    return list(session.scalars(query.order_by(func.lower(ViewRow.name), ViewRow.id)))
