"""What somebody could hand over."""

from __future__ import annotations

import datetime as dt
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, exists, or_, select
from sqlalchemy.orm import Session

from unisequa.store.tables import Deputy, Edition, Run, TaskRow, TemplateRow

OPEN = ("waiting", "under way")


class OpenTask(NamedTuple):
    """An open task of theirs."""

    run_id: int
    run: str
    key: str
    title: str
    state: str
    start_on: dt.date | None
    finish_on: dt.date | None
    effort: str | None


def kept_by(person_id: int) -> ColumnElement[bool]:
    """Somebody changes a run: its keeper, a deputy, the owner of its template."""
    deputy = exists().where(Deputy.run_id == Run.id, Deputy.person_id == person_id)
    return or_(Run.keeper_id == person_id, TemplateRow.owner_id == person_id, deputy)


def open_tasks(
    session: Session,
    person_id: int,
    asking_id: int,
    first: dt.date | None,
    last: dt.date | None,
    run_id: int | None,
    most: int,
) -> list[OpenTask]:
    """The open tasks of somebody that touch a stretch of days, in one run or in all that are not over, as far as who
    asks may hand them over: their own, and those of runs that they keep."""
    kept = kept_by(asking_id)
    columns: tuple[Any, ...] = (
        Run.id, Run.name, TaskRow.key, TaskRow.title, TaskRow.state, TaskRow.start_on, TaskRow.finish_on,
        TaskRow.effort,
    )  # fmt: skip
    query = select(*columns).select_from(TaskRow).join(Run, Run.id == TaskRow.run_id)
    query = query.join(Edition, Edition.id == Run.edition_id).join(TemplateRow, TemplateRow.id == Edition.template_id)
    query = query.where(TaskRow.person_id == person_id, TaskRow.state.in_(OPEN))
    query = query.where(Run.state.in_(("live", "prepared", "on hold")))
    if person_id != asking_id:
        query = query.where(kept)
    if run_id is not None:
        query = query.where(Run.id == run_id)
    if first is not None:
        query = query.where(or_(TaskRow.finish_on.is_(None), TaskRow.finish_on >= first))
    if last is not None:
        query = query.where(TaskRow.start_on <= last)
    query = query.order_by(TaskRow.finish_on.is_(None), TaskRow.finish_on, Run.id, TaskRow.position).limit(most)
    return [OpenTask(*row) for row in session.execute(query).all()]
