"""What is asked of people across all runs that are not over."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from unisequa.store.tables import Run, TaskRow


class Asked(NamedTuple):
    """A task with effort that lies with somebody."""

    person_id: int
    effort: str
    start_on: dt.date
    finish_on: dt.date
    duration: int
    state: str
    minutes: dict[str, Any] | None

    @property
    def days(self) -> int:
        """How many working days it takes; of a task of hours, those that it touches."""
        return (self.finish_on - self.start_on).days + 1 if self.minutes else self.duration


def asked_of(session: Session, people: Collection[int], first: dt.date, last: dt.date) -> list[Asked]:
    """The tasks with effort of some people that touch a stretch of days, in runs that are live or prepared."""
    if not people:
        return []
    columns: tuple[Any, ...] = (
        TaskRow.person_id, TaskRow.effort, TaskRow.start_on, TaskRow.finish_on, TaskRow.duration, TaskRow.state,
        TaskRow.minutes,
    )  # fmt: skip
    query = select(*columns).join(Run, Run.id == TaskRow.run_id)
    query = query.where(TaskRow.person_id.in_(people), TaskRow.state.in_(("waiting", "under way")))
    query = query.where(TaskRow.effort.is_not(None), TaskRow.start_on <= last, TaskRow.finish_on >= first)
    return [Asked(*row) for row in session.execute(query.where(Run.state.in_(("live", "prepared")))).all()]
