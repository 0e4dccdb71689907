"""Runs by the calendars they go by."""

from __future__ import annotations

import datetime as dt
from typing import Any, NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.store.tables import Run, TaskRow

OPEN = ("prepared", "live", "on hold")


class OpenRun(NamedTuple):
    """A run that is not over: the calendars it goes by, by their digest, and where its open tasks lie."""

    id: int
    digest: str
    first: dt.date | None
    last: dt.date | None


def open_runs(session: Session) -> list[OpenRun]:
    """All runs that are not over, the one that ends first first."""
    columns: tuple[Any, ...] = (
        Run.id, Run.calendars_digest, func.min(TaskRow.start_on), func.max(TaskRow.finish_on),
    )  # fmt: skip
    query = select(*columns).join(TaskRow, TaskRow.run_id == Run.id)
    query = query.where(Run.state.in_(OPEN), TaskRow.state.not_in(("done", "dropped")))
    rows = session.execute(query.group_by(Run.id, Run.calendars_digest)).all()
    return sorted((OpenRun(*row) for row in rows), key=lambda row: (row.last or dt.date.max, row.id))


def calendars_by_digest(session: Session) -> dict[str, list[dict[str, Any]]]:
    """Digest → the calendars, of those that runs go by that are not over."""
    one_each = select(func.min(Run.id)).where(Run.state.in_(OPEN)).group_by(Run.calendars_digest)
    query = select(Run.calendars_digest, Run.calendars).where(Run.id.in_(one_each))
    return {digest: list(written) for digest, written in session.execute(query).all()}
