"""Runs, their tasks, and what they wait for in each other."""

from __future__ import annotations

from collections import namedtuple
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, cast

from sqlalchemy import ColumnElement, and_, bindparam, exists, func, or_, select, true
from sqlalchemy.orm import Session, defer, joinedload, lazyload, load_only

from unisequa.store.queries.run_lists import with_people, with_work
from unisequa.store.queries.taking import WRITES, take
from unisequa.store.queries.templates import LOOKING, STARTING, open_to
from unisequa.store.tables import (
    AwaitedTask,
    CrewMember,
    Deputy,
    Edition,
    LineOfRun,
    LinkRow,
    Person,
    Run,
    RunWait,
    ShiftRow,
    TaskRow,
    Team,
    TeamMember,
    TemplateRow,
)

HELD = "runs taken"


def run_by_id(session: Session, run_id: int, *, alone: bool = True) -> Run | None:
    """A run with its template, crew, tasks and links; taken by who is going to write it, unless others may go
    on with it meanwhile (not ``alone``). What was taken by a transaction is read once in it."""
    held: dict[int, Run] = session.info.setdefault(HELD, {})
    if alone and run_id in held and held[run_id] in session:
        return held[run_id]
    if alone:
        take(session, Run, run_id)
    run: Run | None = session.scalar(_RUN, {"run": run_id})
    if run is None:
        return None
    if alone and session.info.get(WRITES):
        held[run_id] = run
    return with_work(session, run)


_OF_RUN = (
    joinedload(Run.keeper),
    joinedload(Run.edition)
    .joinedload(Edition.template)
    .options(joinedload(TemplateRow.owner), lazyload(TemplateRow.team_rights)),
)
_RUN = select(Run).where(Run.id == bindparam("run")).options(*_OF_RUN, joinedload(Run.line))
_RUN_TO_LOOK_AT = select(Run).where(Run.id == bindparam("run")).options(*_OF_RUN)
"""A run without its lists; made once, since the options are most of what asking costs."""


def run_and_task(session: Session, run_id: int, key: str) -> tuple[Run, TaskRow] | None:
    """A run with its edition, keeper and crew, and one of its tasks; the others are not looked at."""
    row = session.execute(_run_and_task(), {"run": run_id, "key": key}).unique().first()
    return (row[0], row[1]) if row else None


@lru_cache(maxsize=1)
def _run_and_task() -> Any:
    """The question, made once: a clock that sends hundreds of messages asks it for each."""
    query: Any = select(Run, TaskRow).join(TaskRow, TaskRow.run_id == Run.id)
    of_person = load_only(Person.name, Person.email, Person.active, Person.notices)
    return query.where(Run.id == bindparam("run"), TaskRow.key == bindparam("key")).options(
        load_only(
            Run.edition_id, Run.name, Run.subject, Run.state, Run.keeper_id, Run.version, Run.anchors, Run.facts,
            Run.pins,
        ),
        load_only(
            TaskRow.run_id, TaskRow.key, TaskRow.title, TaskRow.role, TaskRow.state, TaskRow.start_on,
            TaskRow.finish_on, TaskRow.minutes,
        ),
        joinedload(Run.keeper).options(of_person),
        joinedload(Run.edition).load_only(
            Edition.template_id, Edition.digest, Edition.meant, Edition.unmet, Edition.pins
        ),
        joinedload(Run.crew).options(
            joinedload(CrewMember.person).options(of_person), joinedload(CrewMember.team).load_only(Team.name)
        ),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class RowsOfRun:
    """The tasks of a run by position, and its links: rows of the session, or columns only looked up."""

    tasks: Sequence[TaskRow]
    links: Sequence[LinkRow]


def run_to_look_at(session: Session, run_id: int) -> tuple[Run, RowsOfRun] | None:
    """A run with its template and crew; its tasks and links as plain columns, which nobody changes."""
    run = session.scalar(_RUN_TO_LOOK_AT, {"run": run_id})
    if run is None:
        return None
    task_rows, linked = (
        [columns._make(row) for row in session.execute(query, {"run": run_id})]
        for query, columns in ((_TASKS, _TaskColumns), (_LINKS, _LinkColumns))
    )
    return with_people(session, run), RowsOfRun(cast(Sequence[TaskRow], task_rows), cast(Sequence[LinkRow], linked))


_columns: Any = namedtuple  # as the table has them, whose values are looked up many times over
_TaskColumns = _columns("_TaskColumns", TaskRow.__table__.columns.keys())
_LinkColumns = _columns("_LinkColumns", LinkRow.__table__.columns.keys())
_TASKS = select(TaskRow.__table__).where(TaskRow.run_id == bindparam("run")).order_by(TaskRow.position)
_LINKS = select(LinkRow.__table__).where(LinkRow.run_id == bindparam("run")).order_by(LinkRow.id)


def last_shift(session: Session, run_id: int) -> ShiftRow | None:
    """The newest shift of a run that was not taken back."""
    return session.scalars(_LAST_SHIFT, {"run": run_id}).first()


_LAST_SHIFT = (
    select(ShiftRow)
    .where(ShiftRow.run_id == bindparam("run"), ShiftRow.taken_back_at.is_(None))
    .options(joinedload(ShiftRow.person), defer(ShiftRow.record))
    .order_by(ShiftRow.number.desc())
    .limit(1)
)


@dataclass(frozen=True, slots=True)
class RunRecord:
    """A run as lists need it."""

    id: int
    name: str
    state: str
    keeper: str
    template: str
    summary: dict[str, Any]
    keeper_id: int


def seen_by(person_id: int) -> ColumnElement[bool]:
    """Somebody sees a run: of templates they may look at, as its keeper or deputy, in its crew, alone or in a team,
    with a task of it, and where they may only start runs those that they started."""
    teams = select(TeamMember.team_id).where(TeamMember.person_id == person_id)
    mine = or_(CrewMember.person_id == person_id, CrewMember.team_id.in_(teams))
    in_crew = exists().where(CrewMember.run_id == Run.id, mine)
    deputy = exists().where(Deputy.run_id == Run.id, Deputy.person_id == person_id)
    given = Run.id.in_(select(TaskRow.run_id).where(TaskRow.assigned_id == person_id))
    started = and_(Run.created_by_id == person_id, open_to(person_id, STARTING))
    return or_(Run.keeper_id == person_id, open_to(person_id, LOOKING), in_crew, deputy, given, started)


def given_tasks_of(session: Session, run_id: int) -> set[int]:
    """The ids of those who were given single tasks of a run."""
    query = select(TaskRow.assigned_id).where(TaskRow.run_id == run_id, TaskRow.assigned_id.is_not(None)).distinct()
    return {number for number in session.scalars(query) if number is not None}


def runs_open_to(session: Session, person_id: int) -> list[RunRecord]:
    """The runs that somebody may see."""
    query = (
        select(Run.id, Run.name, Run.state, Person.name, TemplateRow.name, Run.summary, Run.keeper_id)
        .join(Person, Run.keeper_id == Person.id)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(seen_by(person_id))
        .order_by(Run.id.desc())
    )
    return [RunRecord(*row) for row in session.execute(query).all()]


def seen_among(session: Session, run_ids: Collection[int], person_id: int) -> set[int]:
    """Which of some runs somebody may see."""
    if not run_ids:
        return set()
    query = (
        select(Run.id)
        .join(Edition, Run.edition_id == Edition.id)
        .join(TemplateRow, Edition.template_id == TemplateRow.id)
        .where(Run.id.in_(run_ids), seen_by(person_id))
    )
    return set(session.scalars(query))


def started_by(
    session: Session,
    person_id: int | None,
    *,
    templates: Collection[int] = (),
    editions: Collection[int] = (),
) -> dict[int, int]:
    """How many runs were started from each of some templates, or editions: those that somebody sees, or all."""
    column = Edition.template_id if templates else Run.edition_id
    query = select(column, func.count(Run.id)).join(Edition, Run.edition_id == Edition.id)
    query = query.join(TemplateRow, Edition.template_id == TemplateRow.id).where(column.in_(templates or editions))
    if person_id is not None:
        query = query.where(seen_by(person_id))
    return dict(session.execute(query.group_by(column)).all())


def keeps_a_run_of(session: Session, template_id: int, person_id: int) -> bool:
    """Whether somebody keeps a run of a template, or is a deputy in one."""
    deputy = exists().where(Deputy.run_id == Run.id, Deputy.person_id == person_id)
    query = select(Run.id).join(Edition, Run.edition_id == Edition.id)
    query = query.where(Edition.template_id == template_id, or_(Run.keeper_id == person_id, deputy)).limit(1)
    return session.scalar(query) is not None


def keeps_any_run(session: Session, person_id: int) -> bool:
    """Whether somebody keeps a run, or is a deputy in one."""
    deputy = exists().where(Deputy.run_id == Run.id, Deputy.person_id == person_id)
    return session.scalar(select(Run.id).where(or_(Run.keeper_id == person_id, deputy)).limit(1)) is not None


def runs_waiting_for(session: Session, template_id: int, run_id: int) -> list[int]:
    """The runs that are not over and wait for tasks of a run, or for one of its template that they have not found."""
    return list(session.scalars(_runs_waiting_for(), {"run": run_id, "template": template_id}))


@lru_cache(maxsize=1)
def _runs_waiting_for() -> Any:
    """The question, made once: every act in a run asks it."""
    run: Any = bindparam("run")
    template: Any = bindparam("template")
    here = exists().where(AwaitedTask.run_id == RunWait.run_id, AwaitedTask.of_run_id == run)
    of_template = select(Run.id).join(Edition, Edition.id == Run.edition_id).where(Edition.template_id == template)
    found = exists().where(AwaitedTask.run_id == RunWait.run_id, AwaitedTask.of_run_id.in_(of_template))
    query = select(RunWait.run_id).join(Run, Run.id == RunWait.run_id)
    query = query.where(
        RunWait.template_id == template,
        Run.state.in_(("prepared", "live", "on hold")),
        RunWait.run_id != run,
        or_(here, ~found),
    )
    return query.order_by(RunWait.run_id)


def runs_waiting_for_any(session: Session, template_id: int, run_id: int) -> list[int]:
    """The runs that are not over and wait for any run of a template but for that one itself."""
    query = select(RunWait.run_id).join(Run, Run.id == RunWait.run_id)
    query = query.where(
        RunWait.template_id == template_id,
        Run.state.in_(("prepared", "live", "on hold")),
        RunWait.run_id != run_id,
    )
    return list(session.scalars(query.order_by(RunWait.run_id)))


def pins_of(session: Session, run_id: int) -> list[int]:
    """The templates that a run's one includes."""
    return [int(number) for number in session.scalar(select(Run.pins).where(Run.id == run_id)) or {}]


def all_run_ids(session: Session) -> list[int]:
    """The ids of all runs."""
    return list(session.scalars(select(Run.id).order_by(Run.id)))


def run_ids_without_summary(session: Session) -> list[int]:
    """The ids of runs of which nothing is kept, or no line."""
    query = select(Run.id, Run.summary, LineOfRun.run_id).outerjoin(LineOfRun, LineOfRun.run_id == Run.id)
    return [number for number, summary, line in session.execute(query).all() if not summary or line is None]


@dataclass(frozen=True, slots=True)
class AwaitedRun:
    """A run that somebody may wait for; ``seen`` says whether whoever looks sees it."""

    id: int
    template_id: int
    name: str
    subject: str
    anchors: dict[str, str | None]
    seen: bool


def runs_of_templates(session: Session, template_ids: Collection[int], viewer: int | None) -> list[AwaitedRun]:
    """The runs of some templates that are not called off, the latest first; all of them seen without a ``viewer``."""
    if not template_ids:
        return []
    query = _awaitable(viewer).where(Edition.template_id.in_(template_ids), Run.state != "called off")
    return [AwaitedRun(*row) for row in session.execute(query.order_by(Run.id.desc())).all()]


def runs_as_awaited(session: Session, run_ids: Collection[int], viewer: int | None) -> list[AwaitedRun]:
    """Some runs by their ids, in the same way."""
    return [AwaitedRun(*row) for row in session.execute(_awaitable(viewer).where(Run.id.in_(run_ids))).all()]


def _awaitable(viewer: int | None) -> Any:
    seen = true() if viewer is None else seen_by(viewer)
    columns = Run.id, Edition.template_id, Run.name, Run.subject, Run.anchors, seen
    query = select(*columns).join(Edition, Run.edition_id == Edition.id)
    return query.join(TemplateRow, TemplateRow.id == Edition.template_id)


def tasks_of_runs(session: Session, run_ids: Collection[int], keys: Collection[str]) -> dict[tuple[int, str], TaskRow]:
    """Run and key → task, of those of some keys in some runs."""
    if not run_ids or not keys:
        return {}
    query = select(TaskRow).where(TaskRow.run_id.in_(run_ids), TaskRow.key.in_(keys))
    return {(row.run_id, row.key): row for row in session.scalars(query)}


def anchors_of_runs(session: Session, run_ids: Collection[int]) -> dict[int, dict[str, Any]]:
    """The anchors of some runs, by id."""
    if not run_ids:
        return {}
    query = select(Run.id, Run.anchors).where(Run.id.in_(run_ids))
    return {row[0]: row[1] for row in session.execute(query)}
