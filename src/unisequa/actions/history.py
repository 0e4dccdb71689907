"""Who did what, when."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.tables import HistoryRow, Person

LONGEST = 2000


def note(
    session: Session,
    actor: Person,
    what: str,
    text: str,
    *,
    template_id: int | None = None,
    run_id: int | None = None,
    task_key: str | None = None,
) -> None:
    """Write down something that was done, in the transaction that does it."""
    session.add(
        HistoryRow(
            person_id=actor.id,
            what=what,
            text=text[:LONGEST],
            template_id=template_id,
            run_id=run_id,
            task_key=task_key,
        )
    )


def run_history(session: Session, run_id: int, most: int = 500) -> list[HistoryRow]:
    """What was done in a run, the latest first."""
    query = select(HistoryRow).where(HistoryRow.run_id == run_id).options(joinedload(HistoryRow.person))
    return list(session.scalars(query.order_by(HistoryRow.id.desc()).limit(most)))


def template_history(session: Session, template_id: int, most: int = 200) -> list[HistoryRow]:
    """What was done with a template beside its edits, the latest first."""
    query = select(HistoryRow).where(HistoryRow.template_id == template_id).options(joinedload(HistoryRow.person))
    return list(session.scalars(query.order_by(HistoryRow.id.desc()).limit(most)))
