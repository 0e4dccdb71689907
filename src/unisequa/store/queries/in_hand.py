"""Shifts in hand: of one run and person, and of all that a person considers."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from unisequa.store.tables import Run, ShiftInHand


def in_hand_of(session: Session, run_id: int, person_id: int) -> list[ShiftInHand]:
    """What somebody considers for a run: the one at hand first, then those kept aside, by name."""
    query = select(ShiftInHand).where(ShiftInHand.run_id == run_id, ShiftInHand.person_id == person_id)
    return list(session.scalars(query.order_by(ShiftInHand.name)))


def at_hand_of(session: Session, person_id: int) -> list[tuple[ShiftInHand, str]]:
    """The shifts that somebody has at hand in runs that are not over, with the run's name, the latest first."""
    query = select(ShiftInHand, Run.name).join(Run, Run.id == ShiftInHand.run_id)
    query = query.where(ShiftInHand.person_id == person_id, ShiftInHand.name == "")
    query = query.where(Run.state.in_(("live", "prepared", "on hold"))).order_by(ShiftInHand.at.desc())
    return [(row, name) for row, name in session.execute(query).all()]
