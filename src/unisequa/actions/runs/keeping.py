"""Shifts in a run's rows: put there with what each changed, and taken back from them."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.hooking import hook_one
from unisequa.actions.runs.telling import Moved, tell
from unisequa.core.calendars.grid import DAYS, MINUTES, Grid
from unisequa.core.calendars.words import DateWords, count_words, difference_words, slot_words
from unisequa.core.errors import NotThere, Refused, ShiftError
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan, boundaries
from unisequa.core.shift.edits.codec import written
from unisequa.core.shift.margins import MOST_MARGINS, margin_words, margins
from unisequa.core.shift.result import Cascade
from unisequa.core.shift.taking_back import Record, record_of, taken_back
from unisequa.core.terms import BEGUN
from unisequa.store.plans import plan_of, put_back
from unisequa.store.store import Session
from unisequa.store.tables import Run, ShiftRow, TaskRow, now


def keep_shift(
    session: Session,
    actor: Actor,
    run: Run,
    result: Cascade,
    after: Plan,
    why: str,
    cause: str | None = None,
    shown: dict[str, Any] | None = None,
) -> ShiftRow:
    """Bring a run's rows to what a cascade makes of them, and keep it in the history; ``cause`` is what brought it
    about elsewhere, ``shown`` what was seen of it (:func:`as_shown`). The run's version, and what is kept of it, are
    the caller's."""
    rows = {row.key: row for row in run.tasks}
    before = {change.key: _dates(rows[change.key]) for change in result.changes}
    put_back(run, after)
    kept = [
        {
            "key": change.key, "before": before[change.key], "after": _dates(rows[change.key]), "via": change.via,
            "by": difference_words(change.delta, after.grid, after.calendars.of(task).per_day),
            "said": re.sub(r"\bby you$", f"by {actor.name}", result.reason(change)),
        }
        for change in result.changes
        for task in (after.tasks[after.position(change.key)],)
    ]  # fmt: skip
    shift = ShiftRow(
        number=max((s.number for s in run.shifts), default=0) + 1,
        mode=result.mode,
        edits=[written(edit, after.grid) for edit in result.edits],
        changes=kept,
        record=record_of(result, after),
        shown=shown,
        why=why.strip()[:2000],
        cause=cause,
        person_id=actor.id,
    )
    run.shifts.append(shift)
    moved = count_words(len(kept), "task")
    said = f": {shift.why}" if shift.why else ""
    note(session, actor, "shifted", f"Shift {shift.number} moved {moved}{said}", run_id=run.id)
    tell(session, actor, run, shift, _told(shift, after))
    data = {"shift": {"number": shift.number, "mode": shift.mode, "why": shift.why, "tasks": len(kept)}}
    hook_one(session, run, "shift.applied", str(shift.number), data)
    return shift


def as_shown(result: Cascade, after: Plan) -> dict[str, Any]:
    """What whoever applied a shift saw beside its changes: how many tasks stayed, when all is over, the room to each
    date, and what needed a person; each in words."""
    grid = after.grid
    ends = [slot_words(grid.inclusive(at), grid, year=True) for at in result.finish if at > grid.first]
    return {
        "stay": result.unchanged,
        "ends": list(dict.fromkeys(ends)),
        "rooms": [[one.label, *margin_words(one, after)] for one in margins(result.plan, after)[:MOST_MARGINS]],
        "needs": [one.text for one in result.needs],
        "later": sum(one.kind == "target" for one in result.conflicts),
    }


def _told(shift: ShiftRow, plan: Plan, *, back: bool = False) -> dict[str, Moved]:
    """What people are told of each task that a shift moved."""
    told = {}
    for change in shift.changes:
        at = plan.positions.get(change["key"])
        if at is not None and change["before"][:2] != change["after"][:2]:
            old, new = dates_words(change["before"], plan), dates_words(change["after"], plan)
            told[change["key"]] = Moved(plan.tasks[at].title, *((new, old) if back else (old, new)))
    return told


def dates_words(dates: object, plan: Plan) -> str:
    """Dates as a shift keeps them, in words on the day of the plan as it stands now."""
    first, last = list(dates)[:2] if isinstance(dates, list | tuple) else (None, None)
    if not isinstance(first, str) or not isinstance(last, str):
        return "undated"
    grid = Grid(MINUTES) if "T" in first else DAYS
    said = DateWords(grid, plan.dates_in_words().today)
    return said.span(grid.read(first[:16]), grid.read(last[:16]))


def _dates(row: TaskRow) -> list[str | int | None]:
    start, finish = (day.isoformat() if day else None for day in (row.start_on, row.finish_on))
    if row.minutes:
        start, finish = row.minutes.get("start"), row.minutes.get("finish")
    return [start, finish, row.duration]


def take_shift_back(session: Session, actor: Actor, run: Run, number: int, today: dt.date) -> ShiftRow:
    """The same on a run's rows; its version, and what is kept of it, are the caller's."""
    shift = next((s for s in run.shifts if s.number == number), None)
    if shift is None:
        raise NotThere("This shift does not exist.")
    if shift.taken_back_at:
        raise Refused({"shift": f"Shift {number} has been taken back already."})
    plan = plan_of(run, today, viewer=actor.id)
    try:
        put_back(run, plan_without(plan, shift, run.shifts))
    except ShiftError as error:
        later = next((s.number for s in reversed(run.shifts) if not s.taken_back_at and s.number > number), None)
        hint = f" Take back shift {later} first." if later else ""
        raise Refused({"shift": f"{error}, so shift {number} stands.{hint}"}) from error
    shift.taken_back_at, shift.taken_back_by_id = now(), actor.id
    tell(session, actor, run, shift, _told(shift, plan, back=True), back=True)
    note(session, actor, "taken back", f"Shift {number} taken back", run_id=run.id)
    return shift


def plan_without(plan: Plan, shift: ShiftRow, shifts: Iterable[ShiftRow]) -> Plan:
    """The plan with a shift taken back, of which no later one that stands has gone on.

    Raises
    ------
    ShiftError
    """
    later = (row for row in shifts if row.number > shift.number and row.taken_back_at is None)
    return taken_back(plan, record_of_shift(plan, shift), [record_of_shift(plan, row) for row in later])


def record_of_shift(plan: Plan, shift: ShiftRow) -> Record:
    """The core's record of a shift, by which it is taken back."""
    return shift.record or _record_of_dates(plan, shift)


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
