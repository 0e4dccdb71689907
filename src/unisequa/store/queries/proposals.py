"""Proposals that wait for an answer."""

from __future__ import annotations

from sqlalchemy import bindparam, exists, or_, select
from sqlalchemy.orm import Session, joinedload

from unisequa.store.queries.looking import read_once
from unisequa.store.tables import Deputy, ProposalRow, Run


def open_of(session: Session, run_id: int) -> list[ProposalRow]:
    """Those of a run, the first first."""
    return read_once(session, ("open proposals", run_id), lambda: list(session.scalars(_OPEN_OF, {"run": run_id})))


_OPEN_OF = (
    select(ProposalRow)
    .where(ProposalRow.run_id == bindparam("run"), ProposalRow.state == "open")
    .options(joinedload(ProposalRow.person))
    .order_by(ProposalRow.id)
)


def open_to_keeper(session: Session, person_id: int) -> list[ProposalRow]:
    """Those in the runs that somebody keeps, or is a deputy in."""
    deputy = exists().where(Deputy.run_id == Run.id, Deputy.person_id == person_id)
    query = (
        select(ProposalRow)
        .join(Run, ProposalRow.run_id == Run.id)
        .where(ProposalRow.state == "open", or_(Run.keeper_id == person_id, deputy))
    )
    return list(session.scalars(query.options(joinedload(ProposalRow.person)).order_by(ProposalRow.id)))


def open_because_of(session: Session, run_id: int | None = None, cause: str | None = None) -> list[ProposalRow]:
    """Those that something elsewhere brought about: in a run, by what."""
    query = select(ProposalRow).where(ProposalRow.state == "open", ProposalRow.cause.is_not(None))
    if run_id is not None:
        query = query.where(ProposalRow.run_id == run_id)
    if cause is not None:
        query = query.where(ProposalRow.cause == cause)
    return list(session.scalars(query.options(joinedload(ProposalRow.run)).order_by(ProposalRow.id)))
