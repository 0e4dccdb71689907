"""Shifts of a run: worked out, applied against the version they were worked out on, taken back."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from unisequa.actions.access import check_may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import RunSeen, run_of
from unisequa.actions.runs.telling import Moved, tell
from unisequa.core.calendars.grid import DAYS, MINUTES, Grid
from unisequa.core.calendars.words import as_sentence, count_words, read_words
from unisequa.core.errors import DocumentError, NotThere, Refused, ShiftError, Stale
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan, boundaries
from unisequa.core.shift.cascade import MODES, Cascade, Mode, cascade
from unisequa.core.shift.edits import Edit, MoveAnchor, MoveRun, codec
from unisequa.core.shift.edits.codec import Document, written
from unisequa.core.shift.taking_back import Record, record_of, taken_back
from unisequa.core.terms import BEGUN
from unisequa.core.work.readiness import Readiness, readiness
from unisequa.store.baselines import keep_baseline
from unisequa.store.lists import bring_up, settle
from unisequa.store.plans import plan_of, put_back
from unisequa.store.store import Session
from unisequa.store.tables import Run, ShiftRow, TaskRow, now

WORKED_OUT_ANEW = "The run has changed since this shift was worked out. It has been worked out anew; look again."


@dataclass(frozen=True, slots=True)
class Considered:
    """A run and what a shift would do to it, worked out once; nothing is changed.

    Parameters
    ----------
    edits : tuple of Edit
        Those that can be carried out together.
    result : Cascade, optional
        What they do; None without any.
    after : Plan
        The plan afterwards; as it stands without edits.
    ready : Readiness
        How its tasks stand then.
    others : mapping of str to Cascade
        Mode → what the same edits would do in it.
    fault : str
        Why the last edit is left out, if it is.
    """

    run: RunSeen
    edits: tuple[Edit, ...]
    result: Cascade | None
    after: Plan
    ready: Readiness
    others: Mapping[Mode, Cascade] = field(default_factory=dict)
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Applied:
    """A shift that was applied: its number, and how many tasks it moved."""

    number: int
    moved: int


def read_edits(documents: Iterable[Edit | Document], plan: Plan) -> tuple[Edit, ...]:
    """Edits from their documents.

    Raises
    ------
    Refused
        Field ``shift``: for anything that is no edit.
    """
    try:
        return tuple(one if isinstance(one, Edit) else codec.read(one, plan) for one in documents)
    except DocumentError as error:
        raise Refused({"shift": as_sentence(str(error.faults[0]))}) from None


def read_kept(documents: Iterable[Document], plan: Plan) -> tuple[tuple[Edit, ...], int]:
    """Edits from documents that were kept for a while, and how many of them no longer say anything of this plan."""
    edits: list[Edit] = []
    lost = 0
    for document in documents:
        try:
            edits.append(codec.read(document, plan))
        except DocumentError:
            lost += 1
    return tuple(edits), lost


def consider(run: RunSeen, edits: Iterable[Edit], mode: Mode = "push") -> Considered:
    """Work a shift out on a run as it is seen; an edit that cannot be carried out keeps those before it."""
    made, fault = tuple(edits), ""
    while made:
        try:
            result = cascade(run.plan, made, mode)
            after = result.after()
            others = {other: cascade(run.plan, made, other) for other in MODES if other != mode}
            return Considered(run, made, result, after, readiness(after), {**others, mode: result}, fault)
        except ShiftError as error:
            fault = fault or f"{error}."
            made = made[:-1]
    return Considered(run, (), None, run.plan, run.ready, fault=fault)


def apply_shift(
    session: Session,
    actor: Actor,
    run_id: int,
    version: int,
    edits: Iterable[Edit | Document],
    today: dt.date,
    why: str = "",
    mode: Mode = "push",
) -> Applied:
    """Apply a shift to the run whose ``version`` it was worked out on.

    Raises
    ------
    Stale
        When the run has changed since; nothing is overwritten.
    Refused
        When it changes nothing, or an edit cannot be.
    """
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    settle(run, today)
    plan = plan_of(run, today, viewer=actor.id)
    try:
        result = cascade(plan, read_edits(edits, plan), mode)
        if run.version != version:
            raise Stale(run.version, WORKED_OUT_ANEW)
        if result.empty:
            raise Refused({"shift": "This changes nothing, so there is nothing to apply."})
        after = result.after()
    except ShiftError as error:
        raise Refused({"shift": f"{error}."}) from error
    shift = keep_shift(session, actor, run, result, after, why)
    if any(isinstance(edit, MoveAnchor | MoveRun) for edit in result.edits):
        keep_baseline(run, f"After shift {shift.number}", after, actor.id)
    run.version += 1
    bring_up(run, today, after)
    session.flush()
    return Applied(shift.number, len(shift.changes))


def keep_shift(session: Session, actor: Actor, run: Run, result: Cascade, after: Plan, why: str) -> ShiftRow:
    """Bring a run's rows to what a cascade makes of them, and keep it in the history. The run's version, and what is
    kept of it, are the caller's."""
    rows = {row.key: row for row in run.tasks}
    before = {change.key: _dates(rows[change.key]) for change in result.changes}
    put_back(run, after)
    kept = [
        {"key": change.key, "before": before[change.key], "after": _dates(rows[change.key]), "via": change.via}
        for change in result.changes
    ]
    shift = ShiftRow(
        number=max((s.number for s in run.shifts), default=0) + 1,
        mode=result.mode,
        edits=[written(edit, after.grid) for edit in result.edits],
        changes=kept,
        record=record_of(result, after),
        why=why.strip()[:2000],
        person_id=actor.id,
    )
    run.shifts.append(shift)
    moved = count_words(len(kept), "task")
    said = f": {shift.why}" if shift.why else ""
    note(session, actor, "shifted", f"Shift {shift.number} moved {moved}{said}", run_id=run.id)
    tell(session, actor, run, shift, _told(shift, after))
    return shift


def _told(shift: ShiftRow, plan: Plan, *, back: bool = False) -> dict[str, Moved]:
    """What people are told of each task that a shift moved."""
    told = {}
    for change in shift.changes:
        at = plan.positions.get(change["key"])
        if at is not None and change["before"][:2] != change["after"][:2]:
            old, new = dates_words(change["before"]), dates_words(change["after"])
            told[change["key"]] = Moved(plan.tasks[at].title, *((new, old) if back else (old, new)))
    return told


def dates_words(dates: object) -> str:
    """Dates as a shift keeps them, in words."""
    first, last = list(dates)[:2] if isinstance(dates, list | tuple) else (None, None)
    if not isinstance(first, str) or not isinstance(last, str):
        return "undated"
    grid = Grid(MINUTES) if "T" in first else DAYS
    return read_words(grid.read(first[:16]), grid.read(last[:16]), grid)


def _dates(row: TaskRow) -> list[str | int | None]:
    start, finish = (day.isoformat() if day else None for day in (row.start_on, row.finish_on))
    if row.minutes:
        start, finish = row.minutes.get("start"), row.minutes.get("finish")
    return [start, finish, row.duration]


def take_back(session: Session, actor: Actor, run_id: int, number: int, today: dt.date) -> None:
    """Give everything that a shift changed back as it was before.

    Raises
    ------
    Refused
        Field ``shift``: when something later depends on it: a task has moved again, is done, or a link
        would no longer hold.
    """
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    take_shift_back(session, actor, run, number, today)
    run.version += 1
    bring_up(run, today)


def take_shift_back(session: Session, actor: Actor, run: Run, number: int, today: dt.date) -> None:
    """The same on a run's rows; its version, and what is kept of it, are the caller's."""
    shift = next((s for s in run.shifts if s.number == number), None)
    if shift is None:
        raise NotThere("This shift does not exist.")
    if shift.taken_back_at:
        raise Refused({"shift": f"Shift {number} has been taken back already."})
    plan = plan_of(run, today, viewer=actor.id)
    try:
        put_back(run, taken_back(plan, record_of_shift(plan, shift)))
    except ShiftError as error:
        later = next((s.number for s in reversed(run.shifts) if not s.taken_back_at and s.number > number), None)
        hint = f" Take back shift {later} first." if later else ""
        raise Refused({"shift": f"{error}, so shift {number} stands.{hint}"}) from error
    shift.taken_back_at, shift.taken_back_by_id = now(), actor.id
    tell(session, actor, run, shift, _told(shift, plan, back=True), back=True)
    note(session, actor, "taken back", f"Shift {number} taken back", run_id=run.id)


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
