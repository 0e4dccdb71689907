"""Dates that several runs have from one place, moved in all of them: applied where one may, proposed to the others'
keepers."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.access import may_change_run, may_see_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.proposing import propose_of_house
from unisequa.actions.runs.shifts import apply_shift
from unisequa.actions.subjects import FIRST_DAY, LAST_DAY, dates_of, may_change, subject_row
from unisequa.core.calendars.words import day_words
from unisequa.core.errors import NotAllowed, NotThere, Refused, ShiftError
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import MoveAnchor
from unisequa.core.shift.result import Cascade
from unisequa.store.documents import grid_of_run
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id, seen_among
from unisequa.store.queries.subjects import folded, holders, sources_of
from unisequa.store.store import Session
from unisequa.store.tables import Run, Subject

KINDS = ("subject", "start", "run")


@dataclass(frozen=True, slots=True)
class Source:
    """Where anchors have their date from: a subject's record, a start of several runs, another run."""

    kind: str
    id: int
    name: str


@dataclass(frozen=True, slots=True)
class Holder:
    """A run that has a date from the source, and what moving it would do there.

    Parameters
    ----------
    may : bool
        Whether this person moves it; else it is proposed to its keeper.
    result : Cascade, optional
        None where it stands there already, or it cannot be (``fault``).
    """

    run_id: int
    name: str
    keeper: str
    version: int
    anchor: str
    label: str
    day: dt.date | None
    may: bool
    result: Cascade | None
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Moving:
    """A date with all that hold it and that one person sees; ``may`` says whether they move it."""

    source: Source
    of: str
    day: dt.date | None
    holders: tuple[Holder, ...]
    may: bool


def consider_together(session: Session, actor: Actor, source: Source, day: dt.date | None, today: dt.date) -> Moving:
    """What moving a date to a day would do in every run that has it from there.

    Raises
    ------
    NotThere
        Where this person sees neither the source nor any run that has the date from it.
    """
    seen = [
        (run, anchor)
        for run, anchor in _runs(session, source)
        if may_see_run(run, actor)
    ]  # fmt: skip
    of, now, may = _source(session, actor, source, seen)
    return Moving(source, of, now, tuple(_holder(actor, run, anchor, day, today) for run, anchor in seen), may)


def _runs(session: Session, source: Source) -> list[tuple[Run, str]]:
    pairs = holders(session, source.kind, source.id, source.name)
    if source.kind == "run":
        pairs = [(source.id, source.name), *pairs]
    return [(run, anchor) for number, anchor in pairs if (run := run_by_id(session, number)) is not None]


def _source(
    session: Session, actor: Actor, source: Source, seen: list[tuple[Run, str]]
) -> tuple[str, dt.date | None, bool]:
    """What the date is of, the day it now is, and whether this person moves it."""
    if source.kind not in KINDS:
        raise NotThere("There is no such date.")
    if source.kind == "subject":
        row = subject_row(session, actor, source.id)
        may = may_change(session, actor, row) or any(may_change_run(run, actor) for run, _ in seen)
        return row.name, dates_of(row).get(_called(row, source.name)), may
    if not seen or (source.kind == "run" and seen[0][0].id != source.id):
        raise NotThere("There is no such date, or it is not open to you.")
    run, anchor = seen[0]
    text = run.anchors.get(anchor)
    of = run.name if source.kind == "run" else f"the runs started with {run.name}"
    may = may_change_run(run, actor) if source.kind == "run" else any(may_change_run(one, actor) for one, _ in seen)
    return of, dt.date.fromisoformat(text[:10]) if text else None, may


def _called(row: Subject, name: str) -> str:
    """What a record calls a date that goes by a name, however it is written."""
    known = (FIRST_DAY, LAST_DAY, *row.dates)
    return next((one for one in known if folded(one) == folded(name)), name)


def _holder(actor: Actor, run: Run, anchor: str, day: dt.date | None, today: dt.date) -> Holder:
    plan = plan_of(run, today, viewer=actor.id)
    at, label = plan.anchors.get(anchor), plan.labels.get(anchor, anchor)
    result, fault = None, ""
    grid = plan.grid
    if day is not None and (at is None or grid.day(at) != day.toordinal()):
        try:
            result = cascade(plan, [MoveAnchor(anchor, grid.on_day(day.toordinal(), at))])
        except ShiftError as error:
            fault = f"{error}."
    now = dt.date.fromordinal(grid.day(at)) if at is not None else None
    may = may_change_run(run, actor)
    return Holder(run.id, run.name, run.keeper.name, run.version, anchor, label, now, may, result, fault)


@dataclass(frozen=True, slots=True)
class Moved:
    """What came of it: the runs in which the date was moved, and those to whose keepers it was proposed."""

    moved: int
    proposed: int


def move_together(
    session: Session,
    actor: Actor,
    source: Source,
    day: dt.date,
    versions: Mapping[int, int],
    today: dt.date,
    why: str = "",
) -> Moved:
    """Move a date wherever it is held, in one: in the source, in the runs that one may shift; the others' keepers get
    it as a proposal.

    Parameters
    ----------
    versions : mapping
        Run → the version that was looked at; those that have changed since are not overwritten.

    Raises
    ------
    Stale, Refused
    """
    seen = consider_together(session, actor, source, day, today)
    if not seen.may:
        raise NotAllowed(f"This date is moved by who keeps a run of {seen.of}, and by administrators.")
    if faults := [f"{one.name}: {one.fault}" for one in seen.holders if one.fault and one.may]:
        raise Refused({"to": faults[0]})
    if source.kind == "subject":
        _record(session, actor, source, day)
    by_id = {one.run_id: one for one in seen.holders}
    moved = proposed = 0
    words = why or f"{source.name} of {seen.of} is {day_words(day, year=True)}"
    for run, anchor in _runs(session, source):
        text, grid = run.anchors.get(anchor), grid_of_run(run)
        edit = MoveAnchor(anchor, grid.on_day(day.toordinal(), grid.read(text) if text else None))
        if text and text[:10] == day.isoformat():
            continue
        one = by_id.get(run.id)
        if one is not None and one.may:
            apply_shift(session, actor, run.id, versions.get(run.id, run.version), [edit], today, words)
            moved += 1
        else:
            proposed += propose_of_house(session, actor, run, edit, today, words)
    return Moved(moved, proposed)


def _record(session: Session, actor: Actor, source: Source, day: dt.date) -> None:
    row = subject_row(session, actor, source.id)
    name = _called(row, source.name)
    if name == FIRST_DAY:
        row.first_on = day
    elif name == LAST_DAY:
        row.last_on = day
    else:
        row.dates = {**row.dates, name: day.isoformat()}
    if row.first_on and row.last_on and row.last_on < row.first_on:
        raise Refused({"to": "The last day would be before the first."})
    note(session, actor, "subject", f"{name} of {row.name} put on {day_words(day, year=True)}")


def held_elsewhere(session: Session, actor: Actor, run_id: int) -> dict[str, tuple[Source, int]]:
    """Anchor of a run → where it has its date from, and how many runs hold it that somebody sees, this one too."""
    found = {}
    for kind, number, name, anchor in sources_of(session, run_id):
        source = Source(kind, number, name)
        seen = seen_among(session, {run for run, _ in holders(session, kind, number, name)}, actor.id)
        if len(seen) > 1 or kind == "subject":
            found[anchor] = (source, len(seen))
    return found
