"""What is to leave."""

from __future__ import annotations

from sqlalchemy import exists, select
from sqlalchemy.orm import Session

from unisequa.store.tables import OutboxRow


def known(session: Session, key: str) -> bool:
    """Whether something of that key was written already."""
    return bool(session.scalar(select(exists().where(OutboxRow.key == key))))
