"""What levelling said, and what it rested on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable, Sequence
from zlib import crc32

from sqlalchemy import delete, exists, func, or_, select
from sqlalchemy.orm import Session

from unisequa.store.queries.looking import read_once
from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import (
    Calendar,
    Edition,
    Leave,
    LevelRow,
    NoTimeRow,
    Person,
    Run,
    TaskRow,
    TeamMember,
    TemplateRow,
)


def in_runs(session: Session, run_ids: Collection[int]) -> list[NoTimeRow]:
    """What there is no time for in some runs."""
    if not run_ids:
        return []
    query = select(NoTimeRow).where(NoTimeRow.run_id.in_(run_ids)).order_by(NoTimeRow.id)
    return read_once(session, ("no time", *sorted(run_ids)), lambda: list(session.scalars(query)))


def of_person(session: Session, person_id: int, viewer: int) -> list[tuple[NoTimeRow, str]]:
    """What somebody has no time for in the runs that a viewer may see, with the names of these."""
    query = select(NoTimeRow, Run.name).join(Run, Run.id == NoTimeRow.run_id).join(Edition)
    query = query.join(TemplateRow).where(NoTimeRow.person_id == person_id, seen_by(viewer)).order_by(NoTimeRow.id)
    return [(row, name) for row, name in session.execute(query)]


def everything(session: Session) -> list[NoTimeRow]:
    """All that there is no time for."""
    return list(session.scalars(select(NoTimeRow).order_by(NoTimeRow.id)))


def last_level(session: Session) -> LevelRow | None:
    """When it was last worked out."""
    return session.scalars(select(LevelRow).order_by(LevelRow.id.desc()).limit(1)).first()


def rests_on(session: Session, today: dt.date) -> str:
    """What levelling rests on, in a text that changes with any of it."""
    open_ = Run.state.in_(("live", "prepared"))
    runs = session.execute(select(func.count(), func.sum(Run.version), func.sum(Run.id)).where(open_)).one()
    parts = [today.isoformat()[:10], ":".join(str(one) for one in runs), people_rest_on(session)]
    return " ".join(parts)[:200]


def people_rest_on(session: Session) -> str:
    """What the hours of people rest on, in the same way."""
    leave = session.execute(select(func.count(), func.max(Leave.id), func.sum(Leave.id))).one()
    people = session.execute(
        select(Person.id, Person.name, Person.active, Person.share, Person.calendar_id, Person.position_id)
    ).all()
    teams = session.execute(select(TeamMember.team_id, TeamMember.person_id)).all()
    calendars = session.execute(select(func.count(), func.max(Calendar.changed_at), func.sum(Calendar.id))).one()
    staff = crc32(repr((sorted(people), sorted(teams))).encode())
    return " ".join([f"{staff:x}", *(":".join(str(one) for one in row) for row in (leave, calendars))])


def keep_level(session: Session, row: LevelRow, found: Iterable[NoTimeRow]) -> None:
    """Have this stand in place of what was said before."""
    session.execute(delete(NoTimeRow))
    session.execute(delete(LevelRow))
    session.add(row)
    session.add_all(found)


def runs_with_work(session: Session, state: str) -> Sequence[int]:
    """The ids of runs of a state in which somebody has work to do whose effort is known; what is in no other takes
    anybody's time."""
    whose = or_(TaskRow.person_id.is_not(None), TaskRow.team_id.is_not(None))
    work = exists().where(
        TaskRow.run_id == Run.id, TaskRow.state.in_(("waiting", "under way")), TaskRow.effort.is_not(None), whose
    )
    return list(session.scalars(select(Run.id).where(Run.state == state, work).order_by(Run.id)))
