"""Runs and tasks as programs list them."""

from __future__ import annotations

import datetime as dt
from typing import Any

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.core.errors import NotThere
from unisequa.core.work.summary import RunSummary
from unisequa.store.minutes import has_come
from unisequa.store.queries import programs as queries
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session

HIDDEN = "This task does not exist, or is not open to you."
BATCH = 500


def run_lines(
    session: Session,
    actor: Actor,
    today: dt.date,
    *,
    state: str,
    template_id: int | None,
    subject: str,
    due_before: dt.date | None,
    below: int | None,
    most: int,
) -> list[dict[str, Any]]:
    """Runs in lists, the latest first."""
    lines: list[dict[str, Any]] = []
    size = most if due_before is None else BATCH
    while len(lines) < most:
        rows = queries.runs_listed(
            session, actor.id, state=state, template_id=template_id, subject=subject, below=below, most=size
        )
        lines += [_run(row, today) for row in rows if due_before is None or _due(row, due_before)]
        if len(rows) < size:
            break
        below = rows[-1].id
    return lines[:most]


def _due(row: queries.RunListed, before: dt.date) -> bool:
    return any(0 < day < before.toordinal() for day in RunSummary(**row.summary).open)


def _run(row: queries.RunListed, today: dt.date) -> dict[str, Any]:
    summary, day = RunSummary(**row.summary), today.toordinal()
    stands, why = summary.standing(day) if row.state == "live" else ("", "")
    ends = dt.date.fromordinal(summary.ends).isoformat() if summary.ends else None
    return {
        "id": row.id, "name": row.name, "state": row.state, "version": row.version, "keeper": row.keeper,
        "template": {"id": row.template_id, "name": row.template, "edition": row.edition},
        "subject": row.subject or None, "anchors": dict(row.anchors),
        "outlook": {"is": stands, "why": why} if stands else None,
        "tasks": summary.tasks, "done": summary.done(day), "late": summary.late(day), "ends": ends,
    }  # fmt: skip


def task_lines(
    session: Session,
    actor: Actor,
    today: dt.date,
    *,
    mine: bool,
    state: str,
    due_before: dt.date | None,
    above: int | None,
    most: int,
) -> list[dict[str, Any]]:
    """Tasks in lists, in order of their ids; their own in live runs (``mine``), or of all runs they may see."""
    kept = "waiting" if state == "ready" else state
    rows = queries.tasks_listed(
        session, actor.id, mine=mine, states=(kept,) if kept else (), today=today, due_before=due_before, above=above,
        ready={"ready": True, "waiting": False}.get(state), most=most,
    )  # fmt: skip
    return [_task(row, today) for row in rows]


def _task(row: queries.TaskListed, today: dt.date) -> dict[str, Any]:
    ready = row.state == "waiting" and has_come(row.ready_on, row.minutes, "ready", today) and row.run_state == "live"
    times = row.minutes or {}
    start = times.get("start") or (row.start_on.isoformat() if row.start_on else None)
    finish = times.get("finish") or (row.finish_on.isoformat() if row.finish_on else None)
    return {
        "id": row.id, "run": {"id": row.run_id, "name": row.run}, "key": row.key, "title": row.title,
        "state": "ready" if ready else row.state, "start": start, "finish": finish, "who": row.who,
    }  # fmt: skip


def task_seen(session: Session, actor: Actor, number: int, today: dt.date) -> tuple[RunSeen, str]:
    """The run of a task, and its key, for whoever may see it."""
    found = queries.task_by_id(session, number)
    if found is None:
        raise NotThere(HIDDEN)
    try:
        seen = see_run(session, actor, found[0], today)
    except NotThere:
        raise NotThere(HIDDEN) from None
    return seen, found[1]


def shift_changes(
    session: Session, actor: Actor, run_id: int, number: int, *, back: bool = False
) -> tuple[int, list[dict[str, Any]]]:
    """The run's version, and what a shift changed: key, first and last day before and after."""
    run = run_by_id(session, run_id)
    shift = next((one for one in run.shifts if one.number == number), None) if run is not None else None
    if run is None or shift is None:
        raise NotThere("This shift does not exist.")
    changes = []
    for change in shift.changes:
        old, new = (change["after"], change["before"]) if back else (change["before"], change["after"])
        changes.append({"key": change["key"], "start": [old[0], new[0]], "finish": [old[1], new[1]]})
    return run.version, changes
