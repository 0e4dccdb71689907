"""What is to leave."""

from __future__ import annotations

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from unisequa.store.queries.taking import add_once
from unisequa.store.tables import OutboxRow


def put(session: Session, row: OutboxRow) -> bool:
    """Write something down to leave, unless something of its key was already; gives whether it was new."""
    known = session.scalar(select(exists().where(OutboxRow.key == row.key)))
    return not known and add_once(session, row)
