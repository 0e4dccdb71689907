"""What was done, the latest first."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.tables import HistoryRow


def of_run(session: Session, run_id: int, most: int) -> list[HistoryRow]:
    """What was done in a run."""
    query = select(HistoryRow).where(HistoryRow.run_id == run_id).options(joinedload(HistoryRow.person))
    return list(session.scalars(query.order_by(HistoryRow.id.desc()).limit(most)))


def of_template(session: Session, template_id: int, most: int) -> list[HistoryRow]:
    """What was done with a template beside its edits."""
    query = select(HistoryRow).where(HistoryRow.template_id == template_id).options(joinedload(HistoryRow.person))
    return list(session.scalars(query.order_by(HistoryRow.id.desc()).limit(most)))
