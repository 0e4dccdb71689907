"""The lists of one run and of its template, each read by a plain question: that costs half of loading them along."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from sqlalchemy import bindparam, select
from sqlalchemy.orm import InstrumentedAttribute, Session, joinedload
from sqlalchemy.orm.attributes import instance_state, set_committed_value

from unisequa.store.tables import (
    BaselineRow,
    CrewMember,
    Deputy,
    LinkRow,
    Run,
    RunPhase,
    TaskRow,
    TeamRight,
    TemplateRight,
    TemplateRow,
)

Lists = tuple[tuple[InstrumentedAttribute[Any], Any], ...]
"""Lists with the questions for them, made once."""

_of: Any = bindparam("of")
_PEOPLE: Lists = (
    (
        Run.crew,
        select(CrewMember)
        .where(CrewMember.run_id == _of)
        .order_by(CrewMember.id)
        .options(joinedload(CrewMember.person), joinedload(CrewMember.team)),
    ),
    (Run.deputies, select(Deputy).where(Deputy.run_id == _of)),
    (Run.baselines, select(BaselineRow).where(BaselineRow.run_id == _of).order_by(BaselineRow.number)),
)
_WORK: Lists = (
    (Run.tasks, select(TaskRow).where(TaskRow.run_id == _of).order_by(TaskRow.position)),
    (Run.links, select(LinkRow).where(LinkRow.run_id == _of).order_by(LinkRow.id)),
    (Run.phases, select(RunPhase).where(RunPhase.run_id == _of).order_by(RunPhase.position)),
)
_RIGHTS: Lists = (
    (TemplateRow.rights, select(TemplateRight).where(TemplateRight.template_id == _of).order_by(TemplateRight.id)),
    (TemplateRow.team_rights, select(TeamRight).where(TeamRight.template_id == _of).order_by(TeamRight.id)),
)


def with_people(session: Session, run: Run) -> Run:
    """A run with its crew, deputies and baselines, and who has rights in its template."""
    _fill(session, run, _PEOPLE)
    _fill(session, run.edition.template, _RIGHTS)
    return run


def with_work(session: Session, run: Run) -> Run:
    """The same with its tasks, links and phases."""
    _fill(session, run, _WORK)
    return with_people(session, run)


def _fill(session: Session, row: Run | TemplateRow, lists: Iterable[tuple[InstrumentedAttribute[Any], Any]]) -> None:
    missing = instance_state(row).unloaded
    for name, query in lists:
        if name.key in missing:
            set_committed_value(row, name.key, list(session.scalars(query, {"of": row.id})))
