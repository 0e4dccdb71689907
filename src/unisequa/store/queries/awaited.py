"""Which tasks wait for which tasks of other runs, and which runs hang on each other."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Any, NamedTuple, cast

from sqlalchemy import bindparam, null, select, union, union_all
from sqlalchemy.orm import Session

from unisequa.store.queries.runs import seen_by
from unisequa.store.tables import AnchorSource, AwaitedTask, Edition, Run, TaskRow, TemplateRow

FROM_RUN = "run"
"""The kind of a source of anchors that is another run."""

OPEN = ("prepared", "live", "on hold")
"""The states of a run that is not over."""

Pair = tuple[str, int, str]
"""A task, and the run and the task there that it waits for."""


def keep_awaited(session: Session, run_id: int, wanted: Iterable[Pair]) -> None:
    """Bring what the tasks of a run wait for to what is wanted."""
    wanted = set(wanted)
    rows = {(r.key, r.of_run_id, r.of_key): r for r in session.scalars(_of(run_id))}
    for gone in rows.keys() - wanted:
        session.delete(rows[gone])
    session.add_all(AwaitedTask(run_id=run_id, key=k, of_run_id=r, of_key=o) for k, r, o in wanted - rows.keys())


def awaited_of(session: Session, run_id: int) -> set[Pair]:
    """What is kept of it."""
    return {(row.key, row.of_run_id, row.of_key) for row in session.scalars(_of(run_id))}


def _of(run_id: int) -> Any:
    return select(AwaitedTask).where(AwaitedTask.run_id == run_id)


def waiting_for(session: Session, run_id: int, key: str) -> set[tuple[int, str]]:
    """The tasks of other runs that wait for a task, each with its run."""
    query = select(AwaitedTask.run_id, AwaitedTask.key)
    query = query.where(AwaitedTask.of_run_id == run_id, AwaitedTask.of_key == key)
    return {(number, other) for number, other in session.execute(query).all()}


class Hanging(NamedTuple):
    """The runs that are not over and hang on one: run → the keys here that its tasks wait for; run → its anchors that
    have their dates from anchors here, by these."""

    awaited: dict[int, set[str]]
    taken: dict[int, dict[str, str]]


def hanging_on(session: Session, run_id: int) -> Hanging:
    """The runs that hang on one."""
    found = Hanging({}, {})
    rows: Sequence[Any] = session.execute(_hanging_on(), {"run": run_id}).all()
    for number, ours, theirs in sorted(rows, key=lambda row: (row[0], row[1])):
        if theirs is None:
            found.awaited.setdefault(number, set()).add(ours)
        else:
            found.taken.setdefault(number, {})[ours] = theirs
    return found


@lru_cache(maxsize=1)
def _hanging_on() -> Any:
    """The question, made once: every act in a run asks it."""
    run: Any = bindparam("run")
    waits = select(AwaitedTask.run_id, AwaitedTask.of_key, null())
    waits = waits.join(Run, Run.id == AwaitedTask.run_id).where(AwaitedTask.of_run_id == run, Run.state.in_(OPEN))
    takes = select(AnchorSource.run_id, AnchorSource.anchor, AnchorSource.name)
    takes = takes.join(Run, Run.id == AnchorSource.run_id).where(Run.state.in_(OPEN), AnchorSource.run_id != run)
    return union_all(waits, takes.where(AnchorSource.kind == FROM_RUN, AnchorSource.source_id == run))


def taken_from(session: Session, run_id: int) -> dict[str, tuple[int, str]]:
    """Anchor of a run → the run and the anchor there that it has its date from."""
    query = select(AnchorSource.anchor, AnchorSource.source_id, AnchorSource.name)
    found = session.execute(query.where(AnchorSource.run_id == run_id, AnchorSource.kind == FROM_RUN)).all()
    return {anchor: (number, name) for anchor, number, name in found}


def hanging_together(session: Session, run_id: int) -> list[int]:
    """The ids of a run and of all that a shift of it may reach, in order."""
    found, new = {run_id}, {run_id}
    while new:
        new = set(session.scalars(_hanging_on_any(), {"runs": sorted(new)})) - found
        found |= new
    return sorted(found)


@lru_cache(maxsize=1)
def _hanging_on_any() -> Any:
    """The question, made once: every act in a run asks it."""
    runs: Any = bindparam("runs", expanding=True)
    waits = select(AwaitedTask.run_id).where(AwaitedTask.of_run_id.in_(runs))
    takes = select(AnchorSource.run_id).where(AnchorSource.kind == FROM_RUN, AnchorSource.source_id.in_(runs))
    return union(waits, takes)


class TaskElsewhere(NamedTuple):
    """A task of another run that waits for one here (``key``); ``seen`` says whether somebody sees that run."""

    key: str
    run_id: int
    of_key: str
    run: str
    title: str
    start_on: dt.date | None
    finish_on: dt.date | None
    minutes: dict[str, Any] | None
    state: str
    seen: bool


def waiting_here(session: Session, run_id: int, person_id: int) -> list[TaskElsewhere]:
    """The tasks of other runs that are not over and wait for tasks of this one, as somebody may know them."""
    rows = session.execute(_waiting_here(), {"run": run_id, "viewer": person_id}).all()
    return [TaskElsewhere(*row) for row in rows]


@lru_cache(maxsize=1)
def _waiting_here() -> Any:
    """The question, made once: every page of a run asks it."""
    columns: tuple[Any, ...] = (
        AwaitedTask.of_key, Run.id, TaskRow.key, Run.name, TaskRow.title, TaskRow.start_on, TaskRow.finish_on,
        TaskRow.minutes, TaskRow.state, seen_by(cast(int, bindparam("viewer"))),
    )  # fmt: skip
    query = select(*columns).join(Run, Run.id == AwaitedTask.run_id)
    query = query.join(Edition, Edition.id == Run.edition_id).join(TemplateRow, TemplateRow.id == Edition.template_id)
    query = query.join(TaskRow, (TaskRow.run_id == AwaitedTask.run_id) & (TaskRow.key == AwaitedTask.key))
    query = query.where(AwaitedTask.of_run_id == bindparam("run"), Run.state.in_(OPEN))
    return query.order_by(Run.id, TaskRow.position)


def awaited_runs(session: Session, run_ids: Iterable[int]) -> dict[int, dict[int, set[int]]]:
    """Run → template → the runs of that which its tasks wait for."""
    query = select(AwaitedTask.run_id, Edition.template_id, AwaitedTask.of_run_id).distinct()
    query = query.join(Run, Run.id == AwaitedTask.of_run_id).join(Edition, Edition.id == Run.edition_id)
    found: dict[int, dict[int, set[int]]] = {}
    for number, template, other in session.execute(query.where(AwaitedTask.run_id.in_(list(run_ids)))).all():
        found.setdefault(number, {}).setdefault(template, set()).add(other)
    return found
