"""What is late, what ends soon, and how runs ended, among those that somebody sees."""

from __future__ import annotations

import datetime as dt
from typing import Any, NamedTuple

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import Edition, LineOfRun, Person, Run, TaskRow, Team, TemplateRow


class LateTask(NamedTuple):
    """A task that should have been over."""

    run_id: int
    run: str
    template: str
    key: str
    title: str
    finish_on: dt.date
    person_id: int | None
    person: str | None
    team: str | None


def late_tasks(session: Session, person_id: int, today: dt.date) -> list[LateTask]:
    """All tasks of live runs that are late, the oldest first; parents and those done by themselves left out."""
    columns: tuple[Any, ...] = (
        Run.id, Run.name, TemplateRow.name, TaskRow.key, TaskRow.title, TaskRow.finish_on, TaskRow.person_id,
        Person.name, Team.name,
    )  # fmt: skip
    parents = select(TaskRow.run_id, TaskRow.parent).where(TaskRow.parent.is_not(None)).subquery()
    query = (
        select(*columns)
        .join(Run, Run.id == TaskRow.run_id)
        .join(Edition, Edition.id == Run.edition_id)
        .join(TemplateRow, TemplateRow.id == Edition.template_id)
        .outerjoin(Person, Person.id == TaskRow.person_id)
        .outerjoin(Team, Team.id == TaskRow.team_id)
        .outerjoin(parents, (parents.c.run_id == TaskRow.run_id) & (parents.c.parent == TaskRow.key))
        .where(Run.state == "live", TaskRow.state.not_in(("done", "dropped")), TaskRow.finish_on < today)
        .where(or_(TaskRow.counts_on.is_(None), TaskRow.counts_on > today), parents.c.run_id.is_(None))
        .where(seen_by(person_id))
        .order_by(TaskRow.finish_on, TaskRow.id)
    )
    return [LateTask(*row) for row in session.execute(query).all()]


class Ending(NamedTuple):
    """A run that ends, or has ended."""

    id: int
    name: str
    template: str
    state: str
    standing: str
    ahead: int
    late: int
    last: int
    expected: int | None
    keeper: str
    template_id: int


def ending(session: Session, person_id: int, first: dt.date, last: dt.date) -> list[Ending]:
    """The runs whose last day lies between two, that were not called off, by that day."""
    columns: tuple[Any, ...] = (
        Run.id, Run.name, TemplateRow.name, Run.state, LineOfRun.standing, LineOfRun.ahead, LineOfRun.late,
        LineOfRun.last, LineOfRun.expected, Person.name, TemplateRow.id,
    )  # fmt: skip
    query = (
        select(*columns)
        .join(LineOfRun, LineOfRun.run_id == Run.id)
        .join(Person, Person.id == Run.keeper_id)
        .join(Edition, Edition.id == Run.edition_id)
        .join(TemplateRow, TemplateRow.id == Edition.template_id)
        .where(
            Run.state != "called off",
            LineOfRun.last >= first.toordinal(),
            LineOfRun.last <= last.toordinal(),
            seen_by(person_id),
        )
        .order_by(LineOfRun.last, Run.name, Run.id)
    )
    return [Ending(*row) for row in session.execute(query).all()]
