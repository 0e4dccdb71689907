"""Runs in lines, for the horizon and the overview."""

from __future__ import annotations

import datetime as dt
from calendar import monthrange
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple, cast

from sqlalchemy import Select, and_, bindparam, exists, func, or_, select
from sqlalchemy.orm import Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import AwaitedTask, Edition, LineOfRun, Person, Run, RunPhase, Subject, TaskRow, TemplateRow

OPEN = ("live", "prepared", "on hold")


class Thin(NamedTuple):
    """What a run is grouped and sorted by."""

    id: int
    name: str
    state: str
    standing: str
    first: int | None
    last: int | None
    late: int
    ahead: int
    slack: int | None
    keeper_id: int
    edition_id: int
    subject_id: int | None
    by: Any


@dataclass(frozen=True, slots=True)
class Asked:
    """What of the runs is asked for; an empty text or 0 asks for all. ``phase`` is the label of the one that is open,
    ``ends`` the month of the end, ``2026-12``."""

    states: Sequence[str] = ()
    text: str = ""
    keeper: int = 0
    template: int = 0
    category: str = ""
    subject: str = ""
    kind: str = ""
    tag: str = ""
    unit: str = ""
    standing: str = ""
    phase: str = ""
    ends: str = ""


_BY = {
    "keeper": Person.name,
    "subject": Run.subject,
    "kind": Subject.kind,
    "template": TemplateRow.name,
    "category": TemplateRow.category,
    "phase": RunPhase.label,
    "tag": Edition.tags,
    "unit": Subject.unit,
    "state": Run.state,
}


@lru_cache(maxsize=16)
def _thin(by: str) -> Any:
    """The question without what is asked for, made once: it is long, and only who looks differs."""
    columns = (
        Run.id, Run.name, Run.state, LineOfRun.standing, LineOfRun.first, LineOfRun.last, LineOfRun.late,
        LineOfRun.ahead, LineOfRun.slack, Run.keeper_id, Run.edition_id, Run.subject_id,
    )  # fmt: skip
    query: Any = select(*columns, _BY.get(by, Run.id)).join(LineOfRun, LineOfRun.run_id == Run.id)
    query = query.join(Edition, Edition.id == Run.edition_id).join(TemplateRow, TemplateRow.id == Edition.template_id)
    query = query.where(seen_by(cast(int, bindparam("viewer"))))
    if by == "phase":
        query = query.outerjoin(RunPhase, and_(RunPhase.run_id == Run.id, RunPhase.key == LineOfRun.phase))
    return query


def thin_runs(session: Session, person_id: int, asked: Asked, by: str) -> list[Thin]:
    """The runs that somebody sees and asks for, in no order."""
    query = _thin(by)
    if by == "keeper" or asked.text:
        query = query.join(Person, Person.id == Run.keeper_id)
    if by in {"kind", "unit"} or asked.kind or asked.unit:
        query = query.outerjoin(Subject, Subject.id == Run.subject_id)
    rows = session.execute(_only(query, asked), {"viewer": person_id}).all()
    return list(map(Thin._make, rows))


def _only(query: Select[Any], asked: Asked) -> Select[Any]:
    if asked.states:
        query = query.where(Run.state.in_(asked.states))
    if asked.keeper:
        query = query.where(Run.keeper_id == asked.keeper)
    if asked.template:
        query = query.where(TemplateRow.id == asked.template)
    if asked.category:
        query = query.where(TemplateRow.category == asked.category)
    if asked.subject:
        query = query.where(Run.subject == asked.subject)
    if asked.kind:
        query = query.where(Subject.kind == asked.kind)
    if asked.unit:
        query = query.where(Subject.unit == asked.unit)
    if asked.phase:
        open_ = exists().where(
            RunPhase.run_id == Run.id, RunPhase.key == LineOfRun.phase, RunPhase.label == asked.phase
        )
        query = query.where(open_)
    if asked.ends:
        first, behind = _month(asked.ends)
        query = query.where(LineOfRun.last >= first, LineOfRun.last < behind)
    if asked.standing:
        query = query.where(Run.state == "live", LineOfRun.standing == asked.standing)
    if asked.text:
        word = asked.text.lower()
        told = (Run.name, Run.subject, Person.name, TemplateRow.name)
        query = query.where(or_(*(func.lower(one).contains(word, autoescape=True) for one in told)))
    return query


def _month(text: str) -> tuple[int, int]:
    """The first day of a month, and the first behind it; of what is no month, of one that no run ends in."""
    try:
        first = dt.date.fromisoformat(f"{text}-01")
    except ValueError:
        return 0, 0
    return first.toordinal(), first.toordinal() + monthrange(first.year, first.month)[1]


class Line(NamedTuple):
    """A run of the horizon, whole."""

    id: int
    name: str
    state: str
    keeper_id: int
    keeper: str
    template_id: int
    template: str
    as_of: dt.date
    first: int | None
    last: int | None
    expected: int | None
    deadline: int | None
    standing: str
    reason: str
    ahead: int
    mark: int | None
    tasks: int
    over: int
    late: int
    phases: list[Any]
    anchors: list[Any]


def lines_of(session: Session, run_ids: Collection[int], person_id: int) -> list[Line]:
    """Runs by their ids, those that somebody sees."""
    rows = session.execute(_lines(), {"viewer": person_id, "ids": list(run_ids)}).all()
    return list(map(Line._make, rows))


@lru_cache(maxsize=1)
def _lines() -> Any:
    return (
        select(
            Run.id, Run.name, Run.state, Run.keeper_id, Person.name, TemplateRow.id, TemplateRow.name,
            LineOfRun.as_of, LineOfRun.first, LineOfRun.last, LineOfRun.expected, LineOfRun.deadline,
            LineOfRun.standing, LineOfRun.reason, LineOfRun.ahead, LineOfRun.mark, LineOfRun.tasks, LineOfRun.over,
            LineOfRun.late, LineOfRun.phases, LineOfRun.anchors,
        )
        .join(LineOfRun, LineOfRun.run_id == Run.id)
        .join(Person, Person.id == Run.keeper_id)
        .join(Edition, Edition.id == Run.edition_id)
        .join(TemplateRow, TemplateRow.id == Edition.template_id)
        .where(Run.id.in_(bindparam("ids", expanding=True)), seen_by(cast(int, bindparam("viewer"))))
    )  # fmt: skip


def summaries_of(session: Session, run_ids: Collection[int]) -> dict[int, dict[str, Any]]:
    """The summaries of some runs."""
    if not run_ids:
        return {}
    query = select(Run.id, Run.summary).where(Run.id.in_(run_ids))
    return dict(iter(session.execute(query).all()))


def waits_between(session: Session, run_ids: Collection[int]) -> list[tuple[int, int]]:
    """Pairs of runs of which the second waits for the first, both among some."""
    query = select(AwaitedTask.of_run_id, AwaitedTask.run_id).distinct()
    query = query.where(AwaitedTask.run_id.in_(run_ids), AwaitedTask.of_run_id.in_(run_ids))
    return [(a, b) for a, b in session.execute(query).all()]


class Holding(NamedTuple):
    """A task of a phase that is not over."""

    title: str
    finish_on: dt.date | None
    state: str
    who: str | None


def open_in_phase(session: Session, run_id: int, phase: str) -> list[Holding]:
    """The tasks of a phase that are not over, the first due first."""
    query = select(TaskRow.title, TaskRow.finish_on, TaskRow.state, Person.name)
    query = query.outerjoin(Person, Person.id == TaskRow.person_id)
    query = query.where(TaskRow.run_id == run_id, TaskRow.phase == phase, TaskRow.state.not_in(("done", "dropped")))
    return [Holding(*row) for row in session.execute(query.order_by(TaskRow.finish_on, TaskRow.position)).all()]


def lines_behind(session: Session, today: dt.date, most: int, after: int) -> list[int]:
    """Runs not over whose lines were worked out for another day, by id behind one."""
    query = select(Run.id).join(LineOfRun, LineOfRun.run_id == Run.id)
    query = query.where(Run.state.in_(OPEN), LineOfRun.as_of != today, Run.id > after).order_by(Run.id).limit(most)
    return list(session.scalars(query))


class Parts(NamedTuple):
    """What runs may be filtered by."""

    keepers: list[tuple[int, str]]
    templates: list[tuple[int, str, str, list[str]]]
    subjects: list[tuple[str, str]]


def parts_of(session: Session, keepers: Collection[int], editions: Collection[int], subjects: Collection[int]) -> Parts:
    """Keepers by name; templates by name with their categories and tags; kinds and units of subjects."""
    people = session.execute(select(Person.id, Person.name).where(Person.id.in_(keepers)).order_by(Person.name)).all()
    templates = select(TemplateRow.id, TemplateRow.name, TemplateRow.category, Edition.tags)
    templates = templates.join(Edition, Edition.template_id == TemplateRow.id).where(Edition.id.in_(editions))
    kinds = select(Subject.kind, Subject.unit).where(Subject.id.in_(subjects)).distinct()
    return Parts(
        [(number, name) for number, name in people],
        [
            (number, name, category, list(tags or ()))
            for number, name, category, tags in session.execute(templates.order_by(TemplateRow.name)).all()
        ],
        [(kind, unit) for kind, unit in session.execute(kinds).all()] if subjects else [],
    )


def open_phases(session: Session, person_id: int, states: Sequence[str]) -> list[str]:
    """The labels of the phases that are open in runs of some states that somebody sees, by name."""
    query = select(RunPhase.label).join(Run, Run.id == RunPhase.run_id).join(LineOfRun, LineOfRun.run_id == Run.id)
    query = query.join(Edition, Edition.id == Run.edition_id).join(TemplateRow, TemplateRow.id == Edition.template_id)
    query = query.where(RunPhase.key == LineOfRun.phase, seen_by(person_id))
    if states:
        query = query.where(Run.state.in_(states))
    return sorted(set(session.scalars(query.distinct())), key=str.casefold)
