"""The baselines of a run."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select
from sqlalchemy.orm import Session

from unisequa.store.tables import BaselineRow


def baselines_of(session: Session, run_id: int) -> list[tuple[int, str, dt.datetime]]:
    """Number, name and moment of each, the latest first."""
    query = select(BaselineRow.number, BaselineRow.name, BaselineRow.at).where(BaselineRow.run_id == run_id)
    return [(a, b, c) for a, b, c in session.execute(query.order_by(BaselineRow.number.desc())).all()]


def baseline_numbered(session: Session, run_id: int, number: int) -> BaselineRow | None:
    """One of them."""
    return session.scalar(select(BaselineRow).where(BaselineRow.run_id == run_id, BaselineRow.number == number))
