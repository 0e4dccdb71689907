"""Undoing, for a minute, what somebody has just done with tasks."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.changes import changes_key
from unisequa.actions.runs.keeping import take_shift_back
from unisequa.actions.runs.reaching import take_all, take_back_caused
from unisequa.actions.runs.seeing import open_rows, run_of
from unisequa.core.errors import NotThere, Refused
from unisequa.store.lists import bring_up
from unisequa.store.queries.clock import withdraw_words
from unisequa.store.store import Session
from unisequa.store.tables import ActRow, Run, TaskRow, now

SECONDS = 75
"""How long an act can be undone: the minute that pages offer it for, and the way there."""

_DATES = ("start_on", "finish_on", "signed_on")
_MOMENTS = ("begun_at", "done_at")
_PLAIN = ("state", "done_by_id", "recorded_by_id", "before", "duration", "put", "fixed", "assigned_id", "minutes")

Snapshot = dict[str, dict[str, Any]]


def snapshot(run: Run, keys: Collection[str]) -> Snapshot:
    """What of some tasks an act may change, as plain JSON values."""
    wanted = set(keys)
    return {row.key: _kept(row) for row in run.tasks if row.key in wanted}


def _kept(row: TaskRow) -> dict[str, Any]:
    values: dict[str, Any] = {name: getattr(row, name) for name in _PLAIN}
    for name in (*_DATES, *_MOMENTS):
        value = getattr(row, name)
        values[name] = value.isoformat() if value is not None else None
    return values


def keep_act(session: Session, actor: Actor, run: Run, words: str, before: Snapshot, shift: int | None) -> int:
    """Keep what an act changed, and give the number by which it can be undone."""
    both = {
        key: [values, after]
        for (key, values), after in zip(before.items(), snapshot(run, before).values(), strict=True)
    }
    row = ActRow(run_id=run.id, person_id=actor.id, words=words[:400], before=both, version=run.version, shift=shift)
    session.add(row)
    session.flush()
    return row.id


@dataclass(frozen=True, slots=True)
class Undone:
    """What was undone, and in which run."""

    run_id: int
    words: str


def undo(session: Session, actor: Actor, number: int, today: dt.date) -> Undone:
    """Undo something that this person has just done.

    Raises
    ------
    Refused
        Field ``undo``: when its minute is over, or somebody has gone on from there.
    """
    act = session.get(ActRow, number)
    if act is None or act.person_id != actor.id:
        raise NotThere("There is nothing to undo.")
    take_all(session, act.run_id)
    run = run_of(session, act.run_id, actor)
    if act.undone_at is not None:
        raise Refused({"undo": "That has been undone already."})
    if now() - act.at > dt.timedelta(seconds=SECONDS):
        raise Refused({"undo": "Its minute is over; reopen the task instead."})
    rows = {row.key: row for row in run.tasks}
    if any(key not in rows or _kept(rows[key]) != after for key, (_, after) in act.before.items()):
        raise Refused({"undo": "Something has been done with it since, so it stands."})
    if act.shift is not None:
        take_shift_back(session, actor, run, act.shift, today)
    for key, (before, _) in act.before.items():
        _restore(rows[key], before)
    act.undone_at = now()
    withdraw_words(session, changes_key(run.id, act.version))
    if run.state == "finished" and open_rows(run):
        run.state = "live"
        note(session, actor, "run state", f"{run.name} is live again", run_id=run.id)
    run.version += 1
    session.flush()
    stands = take_back_caused(session, actor, f"act:{act.id}", today, run.id)
    bring_up(run, today)
    for key in act.before:
        note(
            session, actor, "undone", f"{rows[key].title}: undone, it is {rows[key].state}", run_id=run.id, task_key=key
        )
    return Undone(run.id, " ".join([act.words, *stands]))


def _restore(row: TaskRow, values: dict[str, Any]) -> None:
    for name in _PLAIN:
        setattr(row, name, values[name])
    for name in _DATES:
        setattr(row, name, dt.date.fromisoformat(values[name]) if values[name] else None)
    for name in _MOMENTS:
        setattr(row, name, dt.datetime.fromisoformat(values[name]) if values[name] else None)
