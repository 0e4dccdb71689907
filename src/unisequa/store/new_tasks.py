"""Tasks of a run that is being made, before they are rows: written all at once, at what their insert costs."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from unisequa.store.tables import TaskRow

_COLUMNS = [column for column in TaskRow.__table__.columns if column.key not in {"id", "run_id"}]
_PLAIN: dict[str, Any] = {
    column.key: column.default.arg if column.default is not None and column.default.is_scalar else None
    for column in _COLUMNS
}
_LISTS = [column.key for column in _COLUMNS if column.default is not None and column.default.is_callable]


class NewTask(SimpleNamespace):
    """What a :class:`TaskRow` will have, by the same names, without its id and its run."""

    def __init__(self, **known: Any) -> None:
        super().__init__(**{**_PLAIN, **{name: [] for name in _LISTS}, **known})


AnyTask = TaskRow | NewTask
"""A task of a run, whether it is a row already or not."""


def insert_tasks(session: Session, run_id: int, tasks: list[NewTask]) -> dict[str, int]:
    """Put the tasks of a run that is there into the database; gives each one's id by its key."""
    if tasks:
        session.connection().execute(insert(TaskRow), [{**vars(task), "run_id": run_id} for task in tasks])
    found = session.execute(select(TaskRow.key, TaskRow.id).where(TaskRow.run_id == run_id))
    return {row.key: row.id for row in found}
