"""A working calendar changed with the runs that go by it: what that would move is shown first, day by day; then the
runs go along, each as it may, or are left and listed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from unisequa.actions.access import may_change_run
from unisequa.actions.history import note
from unisequa.actions.house.calendars import Change, change, changed
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.shifts import carry_out
from unisequa.core.calendars.words import count_words, day_words, slot_words
from unisequa.core.documents.calendar import CalendarDocument, carried_over, days_changed
from unisequa.core.errors import ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import NewDays
from unisequa.core.shift.edits.codec import written
from unisequa.core.shift.result import Cascade, Mode
from unisequa.store.documents import calendars_of, keep_calendars
from unisequa.store.lists import bring_up, settle
from unisequa.store.plans import plan_of
from unisequa.store.queries.awaited import hanging_together
from unisequa.store.queries.calendars import OpenRun, calendars_by_digest, open_runs
from unisequa.store.queries.proposals import open_because_of
from unisequa.store.queries.runs import run_by_id, run_to_look_at, seen_among
from unisequa.store.queries.taking import take
from unisequa.store.store import Session
from unisequa.store.tables import ProposalRow, Run

MOST_RUNS = 100
"""How many runs are worked out at once; the keepers of others are asked."""
MOST_DAYS_SHOWN = 60


@dataclass(frozen=True, slots=True)
class TouchedDay:
    """A day that becomes another one, with what now lies on it: titles and how many tasks in how many runs."""

    day: int
    becomes: str
    tasks: int
    runs: int
    titles: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TouchedRun:
    """A run that a change of a calendar touches.

    Parameters
    ----------
    run_id : int, optional
        None where it is not open to whoever changes the calendar.
    asks : str
        Whose answer it takes; nothing where it moves at once.
    """

    run_id: int | None
    name: str
    moved: int
    ends: str
    later: int
    needs: int
    asks: str
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Touched:
    """What a change of a calendar touches; ``more`` runs were not worked out."""

    days: tuple[TouchedDay, ...]
    runs: tuple[TouchedRun, ...]
    more: int = 0

    @property
    def moved(self) -> int:
        """How many tasks move in all."""
        return sum(run.moved for run in self.runs)


@dataclass(frozen=True, slots=True)
class _Found:
    """A run with the calendar as it would go by it, and the days that are other ones then."""

    run: OpenRun
    document: CalendarDocument
    days: Mapping[int, str]


def touched(session: Session, actor: Actor, calendar_id: int, how: Change, today: dt.date) -> Touched:
    """What a change of a calendar would do in the runs that go by it; nothing is changed."""
    old, new = changed(session, actor, calendar_id, how)
    found = [one for one in _found(session, calendar_id, old, new, today) if one.days]
    seen = seen_among(session, {one.run.id for one in found}, actor.id) if found else set()
    runs: list[TouchedRun] = []
    on_day: dict[int, tuple[str, list[str], set[int]]] = {}
    for one in found[:MOST_RUNS]:
        looked = run_to_look_at(session, one.run.id)
        if looked is None:
            continue
        run, rows = looked
        plan = plan_of(run, today, rows=rows, viewer=actor.id)
        _lie_on(plan, one, on_day, visible=run.id in seen)
        line = _line(run, plan, one.document, actor, run.id in seen)
        if line is not None:
            runs.append(line)
    days = tuple(
        TouchedDay(day, becomes, len(titles), len(ids), tuple(titles[:4]))
        for day, (becomes, titles, ids) in sorted(on_day.items())[:MOST_DAYS_SHOWN]
    )
    return Touched(days, tuple(runs), max(0, len(found) - MOST_RUNS))


def _found(
    session: Session, calendar_id: int, old: CalendarDocument, new: CalendarDocument, today: dt.date
) -> Iterator[_Found]:
    """The runs that go by a calendar, each with what it becomes there."""
    by_digest: dict[str, tuple[CalendarDocument, CalendarDocument] | None] = {}
    for digest, documents in calendars_by_digest(session).items():
        ours = next((CalendarDocument.model_validate(d) for d in documents if d.get("name") == old.name), None)
        by_digest[digest] = (ours, carried_over(ours, old, new)) if ours is not None else None
    waiting = {row.run_id: row for row in open_because_of(session, cause=f"calendar:{calendar_id}")}
    for run in open_runs(session):
        both = by_digest.get(run.digest)
        if both is None:
            continue
        ours, after = both
        if run.id in waiting:  # what it was asked before and has not answered
            asked = CalendarDocument.model_validate(waiting[run.id].edits[0]["calendar"])
            after = carried_over(asked, old, new)
        if after == ours:
            continue
        first = min(run.first or today, today).toordinal()
        last = run.last.toordinal() if run.last else first - 1
        yield _Found(run, after, days_changed(ours, after, first, last))


def _lie_on(plan: Plan, one: _Found, on_day: dict[int, tuple[str, list[str], set[int]]], *, visible: bool) -> None:
    """Add what of a run lies on each of the days that change."""
    for day, becomes in one.days.items():
        _, titles, ids = on_day.setdefault(day, (becomes, [], set()))
        for i, task in enumerate(plan.tasks):
            span = plan.days(i)
            if plan.is_parent(i) or task.state in {"done", "dropped"} or span is None:
                continue
            name = one.document.name
            if (task.calendar or plan.calendars.default) == name and span[0] <= day <= span[1]:
                titles.append(f"{task.title} ({plan.name})" if visible else "a task elsewhere")
                ids.add(one.run.id)


def _shift(plan: Plan, document: CalendarDocument, mode: Mode) -> tuple[Cascade, Plan]:
    result = cascade(plan, [NewDays(document)], mode)
    return result, result.after()


def _line(run: Run, plan: Plan, document: CalendarDocument, actor: Actor, seen: bool) -> TouchedRun | None:
    asks = "" if _goes_along(run, actor) else run.keeper.name if seen else "its keeper"
    name, run_id = (run.name, run.id) if seen else ("a run elsewhere", None)
    try:
        result, after = _shift(plan, document, _mode(run))
    except ShiftError as error:
        return TouchedRun(run_id, name, 0, "", 0, 1, asks or run.keeper.name, f"{error}.")
    moved = sum(not plan.is_parent(plan.positions[change.key]) for change in result.changes)
    if not moved and not result.conflicts:
        return None
    reach = after.span()
    ends = slot_words(plan.grid.inclusive(reach[1]), plan.grid, year=True) if reach else ""
    later = after.calendars[None].count(*result.finish)
    needs = len(result.needs)
    return TouchedRun(run_id, name, moved, ends, later, needs, asks)


def _goes_along(run: Run, actor: Actor) -> bool:
    """Whether a run moves at once: who changes the calendar may shift it, or it follows by itself."""
    return may_change_run(run, actor) or run.follow != "ask"


def _mode(run: Run) -> Mode:
    return "tighten" if run.follow == "both" else "push"


@dataclass(frozen=True, slots=True)
class Carried:
    """What became of the runs: how many moved, in how many their keepers are asked, in how many nothing lay on it."""

    shifted: int = 0
    asked: int = 0
    quiet: int = 0


def change_with_runs(
    session: Session, actor: Actor, calendar_id: int, how: Change, today: dt.date, *, shift: bool
) -> Carried:
    """Change a calendar, and the runs that go by it with it.

    Parameters
    ----------
    shift : bool
        Whether the runs that may are shifted; else all that it touches are left as they are, and listed.

    Raises
    ------
    Refused
        By field, as of the calendar's own faults.
    """
    old, new = changed(session, actor, calendar_id, how)
    found = list(_found(session, calendar_id, old, new, today))
    for number in sorted({n for one in found for n in hanging_together(session, one.run.id)}):
        take(session, Run, number)  # always in the same order
    change(session, actor, calendar_id, how)
    cause = f"calendar:{calendar_id}"
    shifted = asked = quiet = worked = 0
    for one in sorted(found, key=lambda one: one.run.id):
        run = run_by_id(session, one.run.id)
        if run is None:
            continue
        worked += bool(one.days)
        outcome = _carry(session, actor, run, one, today, cause, shift=shift and worked <= MOST_RUNS)
        shifted, asked, quiet = shifted + (outcome == "shifted"), asked + (outcome == "asked"), quiet + (outcome == "")
    return Carried(shifted, asked, quiet)


def _carry(session: Session, actor: Actor, run: Run, one: _Found, today: dt.date, cause: str, *, shift: bool) -> str:
    settle(run, today)
    plan = plan_of(run, today, viewer=run.keeper_id)
    try:
        result, after = _shift(plan, one.document, _mode(run))
        moves = bool(result.changes or result.conflicts) or after.anchors != plan.anchors
    except ShiftError:
        result, after, moves = None, plan, True
    for row in open_because_of(session, run.id, cause):
        row.state = "withdrawn"
    if not moves:
        documents = calendars_of(run).documents
        keep_calendars(run, [one.document if d.name == one.document.name else d for d in documents])
        run.version += 1
        session.flush()
        bring_up(run, today)
        return ""
    if shift and result is not None and _goes_along(run, actor):
        why = f"The calendar {one.document.name} has changed: {_days_words(one.days)}"
        carry_out(session, actor, run, result, after, today, why, cause)
        return "shifted"
    moved = count_words(len(result.changes), "task") if result is not None else "no task yet"
    words = f"to go by the calendar {one.document.name} as it is now ({_days_words(one.days)}), which moves {moved}"
    edits = [written(NewDays(one.document), plan.grid)]
    row = ProposalRow(
        run_id=run.id, person_id=actor.id, mode=_mode(run), words=words[:400], edits=edits, cause=cause,
    )  # fmt: skip
    session.add(row)
    note(session, actor, "proposed", f"Proposed: {words}", run_id=run.id)
    session.flush()
    return "asked"


def _days_words(days: Mapping[int, str]) -> str:
    """``Thu 24 Dec closed and 2 more days``."""
    if not days:
        return "on days to come"
    first = min(days)
    more = f" and {count_words(len(days) - 1, 'more day')}" if len(days) > 1 else ""
    return f"{day_words(first)} {days[first]}{more}"


@dataclass(frozen=True, slots=True)
class LeftRun:
    """A run that was left as it was when a calendar changed: its proposal."""

    run_id: int
    name: str
    proposal: int
    words: str


def left_runs(session: Session, actor: Actor, calendar_id: int) -> tuple[LeftRun, ...]:
    """The runs that somebody sees and that still go by what a calendar was."""
    rows: Sequence[ProposalRow] = open_because_of(session, cause=f"calendar:{calendar_id}")
    seen = seen_among(session, {row.run_id for row in rows}, actor.id) if rows else set()
    return tuple(LeftRun(row.run_id, row.run.name, row.id, row.words) for row in rows if row.run_id in seen)
