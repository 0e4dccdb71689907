"""The baselines of a run."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from unisequa.store.tables import BaselineRow


def baseline_numbered(session: Session, run_id: int, number: int) -> BaselineRow | None:
    """One of them."""
    return session.scalar(select(BaselineRow).where(BaselineRow.run_id == run_id, BaselineRow.number == number))
