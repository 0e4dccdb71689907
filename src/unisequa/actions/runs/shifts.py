"""Shifts of a run: worked out, applied against the version they were worked out on, taken back."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from unisequa.actions.errors import NotThere, Refused, Stale
from unisequa.actions.history import note
from unisequa.actions.runs.runs import check_may_change, run_of
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DocumentError, ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan, boundaries
from unisequa.core.shift.cascade import Cascade, Mode, cascade
from unisequa.core.shift.edits import Edit, codec
from unisequa.core.shift.edits.codec import Document, written
from unisequa.core.shift.taking_back import Record, record_of, taken_back
from unisequa.core.terms import BEGUN
from unisequa.store.plans import plan_of, put_back
from unisequa.store.tables import Person, Run, ShiftRow, TaskRow, now


@dataclass(frozen=True, slots=True)
class Considered:
    """A run and what a shift would do to it; nothing is changed."""

    run: Run
    result: Cascade


def consider(
    session: Session, run_id: int, edits: Iterable[Edit | Document], today: dt.date, mode: Mode = "push"
) -> Considered:
    """Work a shift out on the run as it is now.

    Raises
    ------
    Refused
        Field ``shift``: an edit that cannot be.
    """
    run = run_of(session, run_id)
    try:
        plan = plan_of(run, today)
        read = (edit if isinstance(edit, Edit) else codec.read(edit, plan) for edit in edits)
        return Considered(run, cascade(plan, read, mode))
    except DocumentError as error:
        raise Refused({"shift": f"{error.faults[0]}."}) from error
    except ShiftError as error:
        raise Refused({"shift": f"{error}."}) from error


def apply_shift(
    session: Session,
    actor: Person,
    run_id: int,
    version: int,
    edits: Iterable[Edit | Document],
    today: dt.date,
    why: str = "",
    mode: Mode = "push",
) -> ShiftRow:
    """Apply a shift to the run whose ``version`` it was worked out on.

    Raises
    ------
    Stale
        When the run has changed since; nothing is overwritten.
    Refused
        When it changes nothing, or an edit cannot be.
    """
    edits = tuple(edits)
    considered = consider(session, run_id, edits, today, mode)
    run, result = considered.run, considered.result
    check_may_change(run, actor)
    if run.version != version:
        raise Stale(run.version)
    if result.empty:
        raise Refused({"shift": "This changes nothing, so there is nothing to apply."})
    try:
        after = result.after()
    except ShiftError as error:
        raise Refused({"shift": f"{error}."}) from error
    rows = {row.key: row for row in run.tasks}
    before = {change.key: _dates(rows[change.key]) for change in result.changes}
    put_back(run, after)
    kept = [
        {"key": change.key, "before": before[change.key], "after": _dates(rows[change.key]), "via": change.via}
        for change in result.changes
    ]
    run.version += 1
    shift = ShiftRow(
        run_id=run.id,
        number=max((s.number for s in run.shifts), default=0) + 1,
        mode=result.mode,
        edits=[written(edit, result.plan.grid) for edit in result.edits],
        changes=kept,
        record=record_of(result, after),
        why=why.strip()[:2000],
        person_id=actor.id,
    )
    run.shifts.append(shift)
    moved = count_words(len(kept), "task")
    note(
        session,
        actor,
        "shifted",
        f"Shift {shift.number} moved {moved}" + (f": {shift.why}" if shift.why else ""),
        run_id=run.id,
    )
    session.flush()
    return shift


def _dates(row: TaskRow) -> list[str | int | None]:
    start, finish = (day.isoformat() if day else None for day in (row.start_on, row.finish_on))
    return [start, finish, row.duration]


def take_back(session: Session, actor: Person, run_id: int, number: int, today: dt.date) -> ShiftRow:
    """Give everything that a shift changed back as it was before.

    Raises
    ------
    Refused
        Field ``shift``: when something later depends on it: a task has moved again, is done, or a link
        would no longer hold.
    """
    run = run_of(session, run_id, actor)
    check_may_change(run, actor)
    shift = next((s for s in run.shifts if s.number == number), None)
    if shift is None:
        raise NotThere("This shift does not exist.")
    if shift.taken_back_at:
        raise Refused({"shift": f"Shift {number} has been taken back already."})
    plan = plan_of(run, today)
    try:
        put_back(run, taken_back(plan, shift.record or _record_of_dates(plan, shift)))
    except ShiftError as error:
        later = next((s.number for s in reversed(run.shifts) if not s.taken_back_at and s.number > number), None)
        hint = f" Take back shift {later} first." if later else ""
        raise Refused({"shift": f"{error}, so shift {number} stands.{hint}"}) from error
    shift.taken_back_at, shift.taken_back_by_id = now(), actor.id
    run.version += 1
    note(session, actor, "taken back", f"Shift {number} taken back", run_id=run.id)
    return shift


def _record_of_dates(plan: Plan, shift: ShiftRow) -> Record:
    """The record of a shift that was applied before records were kept, when shifts changed dates alone."""
    tasks = {}
    for change in shift.changes:
        task = plan.tasks[plan.position(change["key"])]
        sides = {}
        for side in ("before", "after"):
            start, finish, duration = change[side]
            sized = replace(task, duration=duration)
            first, last = (dt.date.fromisoformat(text).toordinal() if text else None for text in (start, finish))
            span = boundaries(sized, first, last) if first and last else (UNDATED, UNDATED)
            sides[side] = {"start": span[0], "finish": span[1], "duration": duration, "state": "waiting"}
        sides["before"]["state"] = sides["after"]["state"] = task.state if task.state in BEGUN else "waiting"
        tasks[task.key] = sides
    return {"tasks": tasks}
