"""What runs about somebody come to: their phases, what of them is late, what outlasts somebody."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping
from typing import Any, NamedTuple

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session

from unisequa.store.tables import Person, Run, RunPhase, TaskRow

OPEN = ("waiting", "under way", "in review")


class PhaseOfRun(NamedTuple):
    """A phase as it is kept."""

    run_id: int
    first_on: dt.date | None
    last_on: dt.date | None
    tasks: int
    over: int


class LateTask(NamedTuple):
    """A task that should have been over."""

    run_id: int
    key: str
    title: str
    who: str | None
    start_on: dt.date | None
    finish_on: dt.date


def phases_of_runs(session: Session, run_ids: Collection[int]) -> list[PhaseOfRun]:
    """The phases of some runs, in order."""
    query = select(RunPhase.run_id, RunPhase.first_on, RunPhase.last_on, RunPhase.tasks, RunPhase.over)
    found = session.execute(query.where(RunPhase.run_id.in_(run_ids)).order_by(RunPhase.run_id, RunPhase.position))
    return [PhaseOfRun(*row) for row in found.all()]


def late_tasks(session: Session, run_ids: Collection[int], today: dt.date) -> list[LateTask]:
    """The tasks of some runs whose day is past and that are not over; parents, which span them, are not among them."""
    columns: tuple[Any, ...] = (
        TaskRow.run_id, TaskRow.key, TaskRow.title, Person.name, TaskRow.start_on, TaskRow.finish_on,
    )  # fmt: skip
    parents = select(TaskRow.parent).where(TaskRow.run_id.in_(run_ids), TaskRow.parent.is_not(None))
    over = and_(TaskRow.counts_on.is_not(None), TaskRow.counts_on <= today)
    query = select(*columns).outerjoin(Person, Person.id == TaskRow.person_id)
    query = query.where(TaskRow.run_id.in_(run_ids), TaskRow.state.in_(OPEN), TaskRow.finish_on < today, ~over)
    query = query.where(TaskRow.key.not_in(parents)).order_by(TaskRow.run_id, TaskRow.finish_on, TaskRow.id)
    return [LateTask(*row) for row in session.execute(query).all()]


def tasks_after(session: Session, leavers: Mapping[int, dt.date]) -> dict[int, int]:
    """Person → how many of their open tasks end after a day, in runs that are not over."""
    if not leavers:
        return {}
    each = [and_(TaskRow.person_id == person, TaskRow.finish_on > day) for person, day in leavers.items()]
    query = select(TaskRow.person_id, func.count(TaskRow.id)).join(Run, Run.id == TaskRow.run_id)
    query = query.where(or_(*each), TaskRow.state.in_(OPEN), Run.state.in_(("live", "prepared", "on hold")))
    return {person: count for person, count in session.execute(query.group_by(TaskRow.person_id)).all() if person}
