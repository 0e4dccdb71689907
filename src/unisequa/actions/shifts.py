"""Shifts of a run: worked out, applied against the version they were worked out on, taken back."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import asdict, dataclass

from sqlalchemy.orm import Session

from unisequa.actions.errors import NotThere, Refused, Stale
from unisequa.actions.history import note
from unisequa.actions.runs import check_may_change, run_of
from unisequa.core.cascade import Cascade, Mode, cascade
from unisequa.core.edits import DateEdit, Due, Duration, Move
from unisequa.core.errors import ShiftError
from unisequa.core.plan import FINISHED, read_days
from unisequa.core.schedule import UNDATED, number_asked, number_from
from unisequa.core.words import count_words
from unisequa.store.models import Person, Run, ShiftRow, now
from unisequa.store.plans import plan_of, set_dates

KINDS: dict[str, type[DateEdit]] = {"move": Move, "due": Due, "duration": Duration}


@dataclass(frozen=True, slots=True)
class Considered:
    """A run and what a shift would do to it; nothing is changed."""

    run: Run
    result: Cascade


def consider(
    session: Session, run_id: int, edits: Iterable[DateEdit], today: dt.date, mode: Mode = "push"
) -> Considered:
    """Work a shift out on the run as it is now.

    Raises
    ------
    Refused
        Field ``shift``: an edit that cannot be.
    """
    run = run_of(session, run_id)
    try:
        return Considered(run, cascade(plan_of(run, today), edits, mode))
    except ShiftError as error:
        raise Refused({"shift": f"{error}."}) from error


def apply_shift(
    session: Session,
    actor: Person,
    run_id: int,
    version: int,
    edits: Iterable[DateEdit],
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
    if not result.changes:
        raise Refused({"shift": "This changes no date, so there is nothing to apply."})
    rows = {row.key: row for row in run.tasks}
    kept = []
    for change in result.changes:
        row = rows[change.key]
        before = [row.start_on, row.finish_on, row.duration]
        if change.duration is not None:
            row.duration = change.duration
        set_dates(row, change.after)
        after = [row.start_on, row.finish_on, row.duration]
        kept.append({"key": row.key, "before": _written(before), "after": _written(after), "via": change.via})
    run.version += 1
    shift = ShiftRow(
        run_id=run.id,
        number=max((s.number for s in run.shifts), default=0) + 1,
        mode=result.mode,
        edits=[{"kind": _kind(edit), **asdict(edit)} for edit in edits],
        changes=kept,
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


def _kind(edit: DateEdit) -> str:
    return next(name for name, kind in KINDS.items() if isinstance(edit, kind))


def _written(values: list[dt.date | int | None]) -> list[str | int | None]:
    return [value.isoformat() if isinstance(value, dt.date) else value for value in values]


def take_back(session: Session, actor: Person, run_id: int, number: int, today: dt.date) -> ShiftRow:
    """Give every task that a shift moved the dates it had before.

    Raises
    ------
    Refused
        Field ``shift``: when something later depends on it: a task has moved again, is done, or a link
        would no longer hold.
    """
    run = run_of(session, run_id)
    check_may_change(run, actor)
    shift = next((s for s in run.shifts if s.number == number), None)
    if shift is None:
        raise NotThere("This shift does not exist.")
    if shift.taken_back_at:
        raise Refused({"shift": f"Shift {number} has been taken back already."})
    rows = {row.key: row for row in run.tasks}
    for change in shift.changes:
        row = rows[change["key"]]
        if row.state in FINISHED:
            raise Refused({"shift": f"{row.title} is {row.state} since, so shift {number} stands."})
        if _written([row.start_on, row.finish_on, row.duration]) != change["after"]:
            later = next((s.number for s in reversed(run.shifts) if not s.taken_back_at and s.number > number), None)
            hint = f" Take back shift {later} first." if later else ""
            raise Refused({"shift": f"{row.title} has moved again since shift {number}.{hint}"})
    for change in shift.changes:
        row = rows[change["key"]]
        start, finish, row.duration = change["before"]
        row.start_on = dt.date.fromisoformat(start) if start else None
        row.finish_on = dt.date.fromisoformat(finish) if finish else None
    _check_links(run, {change["key"] for change in shift.changes}, number, today)
    shift.taken_back_at, shift.taken_back_by_id = now(), actor.id
    run.version += 1
    note(session, actor, "taken back", f"Shift {number} taken back", run_id=run.id)
    return shift


def _check_links(run: Run, keys: set[str], number: int, today: dt.date) -> None:
    plan = plan_of(run, today)
    for link in plan.network.links:
        source, target = plan.tasks[link.source], plan.tasks[link.target]
        was, start = (
            (plan.schedule.start[link.source], plan.schedule.finish[link.source]),
            plan.schedule.start[link.target],
        )
        one_moved = (source.key in keys) != (target.key in keys)
        if not one_moved or UNDATED in (was[1], start) or target.state in FINISHED:
            continue
        activity = plan.network.activities[link.target]
        if number_asked(link, was, activity) > number_from(activity, "S", start):
            days = read_days(target, start, start + 1)
            assert days
            text = f"{target.title} now stands before {source.title} would end, so shift {number} cannot be taken back."
            raise Refused({"shift": text})
