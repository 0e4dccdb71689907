"""What is asked of people across all runs that are not over."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, and_, or_, select, union
from sqlalchemy.orm import Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import CrewMember, Edition, Run, TaskRow, TeamMember, TemplateRow


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


def roles_filled(session: Session) -> list[tuple[str, int]]:
    """The roles that people fill in runs that are not over, alone or in a team: the role's name, and who."""
    runs = Run.state.in_(("live", "prepared", "on hold"))
    alone = select(CrewMember.label, CrewMember.person_id).where(CrewMember.person_id.is_not(None))
    team = select(CrewMember.label, TeamMember.person_id).join(TeamMember, TeamMember.team_id == CrewMember.team_id)
    both = union(*(query.join(Run, Run.id == CrewMember.run_id).where(runs) for query in (alone, team)))
    return [(label, number) for label, number in session.execute(both).all() if number is not None]


class Open(NamedTuple):
    """A task that is not over and lies with somebody, or in a queue."""

    run_id: int
    run_state: str
    person_id: int | None
    team_id: int | None
    effort: str | None
    chunk: str | None
    left: int | None
    start_on: dt.date
    finish_on: dt.date
    duration: int
    state: str
    calendar: str | None
    hourly: bool


def _open(today: dt.date, last: dt.date) -> ColumnElement[bool]:
    return and_(
        Run.state.in_(("live", "prepared")),
        TaskRow.state.in_(("waiting", "under way")),
        or_(TaskRow.counts_on.is_(None), TaskRow.counts_on > today),
        TaskRow.start_on <= last,
        TaskRow.duration > 0,
    )


_COLUMNS: tuple[Any, ...] = (
    TaskRow.run_id, Run.state, TaskRow.person_id, TaskRow.team_id, TaskRow.effort, TaskRow.chunk, TaskRow.left,
    TaskRow.start_on, TaskRow.finish_on, TaskRow.duration, TaskRow.state, TaskRow.calendar,
    TaskRow.minutes.is_not(None),
)  # fmt: skip


def open_versions(session: Session) -> dict[int, int]:
    """The versions of all runs that are live or prepared."""
    query = select(Run.id, Run.version).where(Run.state.in_(("live", "prepared")))
    return dict(iter(session.execute(query).all()))


def open_tasks(session: Session, today: dt.date, last: dt.date, runs: Collection[int] | None = None) -> list[Open]:
    """All tasks with somebody or in a queue that begin by a day, in runs that are live or prepared, or in some of
    those."""
    query = select(*_COLUMNS).join(Run, Run.id == TaskRow.run_id).where(_open(today, last))
    if runs is not None:
        query = query.where(TaskRow.run_id.in_(runs))
    query = query.where(or_(TaskRow.person_id.is_not(None), TaskRow.team_id.is_not(None)))
    return [Open(*row) for row in session.execute(query).all()]


class Named(NamedTuple):
    """Such a task with its names; ``seen`` says whether whoever looks sees its run."""

    of: Open
    key: str
    title: str
    run: str
    template: str
    seen: bool


def tasks_with(
    session: Session, person_id: int, teams: Collection[int], today: dt.date, last: dt.date, viewer: int
) -> list[Named]:
    """The tasks of somebody, and of the queues of their teams, that begin by a day."""
    seen = seen_by(viewer)
    query = select(*_COLUMNS, TaskRow.key, TaskRow.title, Run.name, TemplateRow.name, seen)
    query = query.join(Run, Run.id == TaskRow.run_id).join(Edition, Edition.id == Run.edition_id)
    query = query.join(TemplateRow, TemplateRow.id == Edition.template_id).where(_open(today, last))
    query = query.where(or_(TaskRow.person_id == person_id, TaskRow.team_id.in_(teams)))
    n = len(_COLUMNS)
    rows = session.execute(query.order_by(TaskRow.start_on, TaskRow.id)).all()
    return [Named(Open(*row[:n]), row[n], row[n + 1], row[n + 2], row[n + 3], bool(row[n + 4])) for row in rows]
