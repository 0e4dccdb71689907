"""The shifts of a run as they were applied, and taking any of them back, alone or with those that rest on it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from unisequa.actions.access import check_may_change_run
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.keeping import dates_words, plan_without, take_shift_back
from unisequa.actions.runs.reaching import take_all, take_back_caused
from unisequa.actions.runs.seeing import RunSeen, run_of
from unisequa.core.calendars.words import day_words
from unisequa.core.errors import DocumentError, NotThere, Refused, ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import codec
from unisequa.core.shift.edits.saying import said_of
from unisequa.store.lists import bring_up
from unisequa.store.plans import plan_of
from unisequa.store.queries.history import shifts_by_id, shifts_with_records
from unisequa.store.queries.runs import seen_among
from unisequa.store.store import Session
from unisequa.store.tables import ShiftRow

MOST_TRIED = 30
"""For so many of the latest shifts it is said whether they can be taken back."""


@dataclass(frozen=True, slots=True)
class MovedLine:
    """A task that a shift moved: where it was, where it went, by how much, and why; this is what was shown of it."""

    key: str
    title: str
    old: str
    new: str
    by: str
    why: str


@dataclass(frozen=True, slots=True)
class Shown:
    """What whoever applied a shift saw beside its changes: how many tasks stayed, when all is over (before and after,
    once where that is the same), the room to each date by name, what needed a person, how many tasks were later than
    their template has them."""

    stay: int
    ends: tuple[str, ...]
    rooms: tuple[tuple[str, str, str], ...]
    needs: tuple[str, ...]
    later: int


@dataclass(frozen=True, slots=True)
class ShiftLine:
    """A shift of the history.

    Parameters
    ----------
    undone : str
        By whom and when it was taken back.
    bars : str
        Why it cannot be taken back by itself.
    along : tuple of int
        The later shifts that could be taken back together with it.
    cause : str
        What it follows from in another run, as far as one sees that.
    shown : Shown, optional
        Not of shifts that followed by themselves, nor of those applied before this was kept.
    """

    number: int
    at: dt.datetime
    who: str
    mode: str
    why: str
    edits: tuple[str, ...]
    moved: tuple[MovedLine, ...]
    undone: str
    may: bool
    bars: str
    along: tuple[int, ...]
    cause: str = ""
    shown: Shown | None = None


def shift_lines(session: Session, run: RunSeen) -> tuple[ShiftLine, ...]:
    """The shifts of a run that somebody sees, the latest first."""
    rows = shifts_with_records(session, run.id)
    standing = [row.number for row in rows if row.taken_back_at is None]
    causes = _causes(session, run.viewer_id, {row.cause for row in rows if row.cause})
    lines = []
    for row in rows:
        bars = ""
        tried = run.may_change and row.taken_back_at is None and row.number in standing[:MOST_TRIED]
        if tried:
            bars = _bars(run.plan, row, rows)
        lines.append(
            ShiftLine(
                row.number,
                row.at,
                row.person.name,
                row.mode,
                row.why,
                tuple(_edit_words(edit, run.plan) for edit in row.edits),
                tuple(_moved(change, run.plan) for change in row.changes),
                _undone(row),
                tried and not bars,
                bars,
                tuple(number for number in standing if number > row.number) if bars else (),
                causes.get(row.cause or "", ""),
                None if row.shown is None else _shown(row.shown),
            )
        )
    return tuple(lines)


def _causes(session: Session, person_id: int, causes: set[str]) -> dict[str, str]:
    """What brought shifts about, in words: of runs that somebody sees which shift, else only that it was elsewhere."""
    ids = {int(cause.removeprefix("shift:")) for cause in causes if cause.startswith("shift:")}
    found = shifts_by_id(session, ids) if ids else []
    seen = seen_among(session, {row.run_id for row, _ in found}, person_id) if found else set()
    said = {
        f"shift:{row.id}": f"follows from shift {row.number} of {name}" for row, name in found if row.run_id in seen
    }
    calendar = {cause: "follows from the calendar" for cause in causes if cause.startswith("calendar:")}
    return dict.fromkeys(causes, "follows from something elsewhere") | calendar | said


def _undone(row: ShiftRow) -> str:
    if row.taken_back_at is None:
        return ""
    who = f" by {row.taken_back_by.name}" if row.taken_back_by else ""
    return f"taken back{who} on {day_words(row.taken_back_at.date())}"


def _shown(kept: Mapping[str, Any]) -> Shown:
    rooms = tuple((label, at, room) for label, at, room in kept["rooms"])
    return Shown(kept["stay"], tuple(kept["ends"]), rooms, tuple(kept["needs"]), kept["later"])


def _bars(plan: Plan, row: ShiftRow, rows: Iterable[ShiftRow]) -> str:
    try:
        plan_without(plan, row, rows)
    except (ShiftError, KeyError) as error:
        return f"{error}" if isinstance(error, ShiftError) else "a task that it moved is not there any more"
    return ""


def _edit_words(edit: dict[str, object], plan: Plan) -> str:
    try:
        said = said_of(codec.read(edit, plan), plan, past=True)
    except DocumentError:
        return f"{edit.get('edit', 'an edit')} of what is not there any more"
    return f"{said.of} {said.what}"


def _moved(change: dict[str, object], plan: Plan) -> MovedLine:
    key = str(change["key"])
    at = plan.positions.get(key)
    via = plan.positions.get(str(change.get("via") or ""))
    return MovedLine(
        key,
        key if at is None else plan.tasks[at].title,
        dates_words(change["before"], plan),
        dates_words(change["after"], plan),
        str(change.get("by", "")),
        str(change.get("said") or ("" if via is None else f"after {plan.tasks[via].title}")),
    )


def take_back_along(
    session: Session, actor: Actor, run_id: int, number: int, today: dt.date
) -> tuple[list[int], list[str]]:
    """Take a shift back, and before it those later ones that rest on it, the latest first; gives their numbers, and
    what stands in other runs, in words.

    Raises
    ------
    Refused
        Field ``shift``: where even so it cannot be.
    """
    take_all(session, run_id)
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    if all(row.number != number for row in run.shifts):
        raise NotThere("This shift does not exist.")
    later = sorted(
        (row.number for row in run.shifts if row.taken_back_at is None and row.number >= number), reverse=True
    )
    if number not in later:
        raise Refused({"shift": f"Shift {number} has been taken back already."})
    plan = plan_of(run, today, viewer=actor.id)
    row = next(row for row in run.shifts if row.number == number)
    numbers = later if _bars(plan, row, run.shifts) else [number]
    stands: list[str] = []
    for one in numbers:
        shift = take_shift_back(session, actor, run, one, today)
        session.flush()
        stands += take_back_caused(session, actor, f"shift:{shift.id}", today, run.id)
    run.version += 1
    bring_up(run, today, anew=True)
    return numbers, stands
