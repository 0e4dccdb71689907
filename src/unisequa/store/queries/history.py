"""What was done, the latest first."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection

from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session, defer, joinedload

from unisequa.store.tables import CommentRow, HistoryRow, Person, Run, ShiftRow, TaskFile


def last_of_runs(session: Session, run_ids: Collection[int]) -> dict[int, dt.datetime]:
    """When something last happened in each of some runs."""
    if not run_ids:
        return {}
    query = select(HistoryRow.run_id, func.max(HistoryRow.at)).where(HistoryRow.run_id.in_(run_ids))
    rows = session.execute(query.group_by(HistoryRow.run_id)).all()
    return {number: at for number, at in rows if number is not None}


def of_run(session: Session, run_id: int, most: int) -> list[HistoryRow]:
    """What was done in a run."""
    query = select(HistoryRow).where(HistoryRow.run_id == run_id).options(joinedload(HistoryRow.person))
    return list(session.scalars(query.order_by(HistoryRow.id.desc()).limit(most)))


def of_template(session: Session, template_id: int, most: int) -> list[HistoryRow]:
    """What was done with a template beside its edits."""
    query = select(HistoryRow).where(HistoryRow.template_id == template_id).options(joinedload(HistoryRow.person))
    return list(session.scalars(query.order_by(HistoryRow.id.desc()).limit(most)))


def of_task(session: Session, run_id: int, key: str) -> list[tuple[dt.datetime, str, str, int]]:
    """What was done with a task: when, by whom, in words, and the number of that."""
    return [(row[0], row[1], row[2], row[3]) for row in session.execute(_OF_TASK, {"run": run_id, "key": key})]


_OF_TASK = (
    select(HistoryRow.at, Person.name, HistoryRow.text, HistoryRow.id)
    .join(Person, Person.id == HistoryRow.person_id)
    .where(HistoryRow.run_id == bindparam("run"), HistoryRow.task_key == bindparam("key"))
    .order_by(HistoryRow.id.desc())
    .limit(200)
)


def shifts_of(session: Session, run_id: int) -> list[ShiftRow]:
    """The shifts of a run, the latest first."""
    return list(session.scalars(_SHIFTS, {"run": run_id}))


_SHIFTS = (
    select(ShiftRow)
    .where(ShiftRow.run_id == bindparam("run"))
    .options(joinedload(ShiftRow.person), defer(ShiftRow.record))
    .order_by(ShiftRow.number.desc())
)


def shifts_with_records(session: Session, run_id: int) -> list[ShiftRow]:
    """The shifts of a run with all that is kept of them, the latest first."""
    query = select(ShiftRow).where(ShiftRow.run_id == run_id)
    query = query.options(joinedload(ShiftRow.person), joinedload(ShiftRow.taken_back_by))
    return list(session.scalars(query.order_by(ShiftRow.number.desc())))


def comments_of(session: Session, run_id: int, key: str) -> list[CommentRow]:
    """What was written on a task, the first first."""
    query = select(CommentRow).where(CommentRow.run_id == run_id, CommentRow.task_key == key)
    return list(session.scalars(query.options(joinedload(CommentRow.person)).order_by(CommentRow.id)))


def files_of_task(session: Session, run_id: int, key: str) -> list[TaskFile]:
    """The files kept with a task, the first first."""
    query = select(TaskFile).where(TaskFile.run_id == run_id, TaskFile.task_key == key)
    return list(session.scalars(query.order_by(TaskFile.id)))


def files_named(session: Session, run_id: int, digest: str) -> list[TaskFile]:
    """The files of a run with that content."""
    return list(session.scalars(select(TaskFile).where(TaskFile.run_id == run_id, TaskFile.digest == digest)))


def file_by_id(session: Session, run_id: int, number: int) -> TaskFile | None:
    """A file of a run by its id."""
    return session.scalar(select(TaskFile).where(TaskFile.run_id == run_id, TaskFile.id == number))


def own_keys_taken_out(session: Session, run_id: int) -> list[str]:
    """The keys of tasks of a run's own that were taken out again."""
    query = select(HistoryRow.task_key).where(HistoryRow.run_id == run_id, HistoryRow.what == "own tasks")
    return [key for key in session.scalars(query.where(HistoryRow.task_key.is_not(None))) if key]


def shifts_caused_by(session: Session, cause: str) -> list[ShiftRow]:
    """The shifts that something brought about in other runs, and that stand."""
    query = select(ShiftRow).where(ShiftRow.cause == cause, ShiftRow.taken_back_at.is_(None))
    return list(session.scalars(query))


def shifts_by_id(session: Session, ids: Collection[int]) -> list[tuple[ShiftRow, str]]:
    """Shifts by id, with the name of their run."""
    query = select(ShiftRow, Run.name).join(Run, Run.id == ShiftRow.run_id).where(ShiftRow.id.in_(ids))
    return [(row, name) for row, name in session.execute(query.options(defer(ShiftRow.record))).all()]
