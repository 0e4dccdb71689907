"""What levelling says, as it was last worked out: kept by the clock, told on desk, run, horizon and load."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.core.calendars.today import utc_of
from unisequa.core.calendars.words import day_words
from unisequa.store.queries import no_time as queries
from unisequa.store.store import Session


@dataclass(frozen=True, slots=True)
class Told:
    """A task without time before a day, in words."""

    run_id: int
    run: str
    key: str
    title: str
    words: str


def told_of_runs(session: Session, run_ids: Collection[int]) -> Mapping[int, str]:
    """Run → what there is no time for, the first of it in words."""
    told: dict[int, list[str]] = {}
    for row in queries.in_runs(session, run_ids):
        told.setdefault(row.run_id, []).append(f"{row.title}: {row.words}")
    return {
        number: lines[0] + (f"; and {len(lines) - 1} more" if len(lines) > 1 else "") for number, lines in told.items()
    }


def told_of_run(session: Session, run_id: int) -> Mapping[str, str]:
    """Task of a run → what there is no time for."""
    return {row.task_key: row.words for row in queries.in_runs(session, [run_id])}


def told_of_person(session: Session, actor: Actor, person_id: int) -> tuple[Told, ...]:
    """What somebody has no time for, in the runs that whoever looks may see."""
    rows = queries.of_person(session, person_id, actor.id)
    return tuple(Told(row.run_id, run, row.task_key, row.title, row.words) for row, run in rows)


def level_told(session: Session, today: dt.date) -> str:
    """When levelling was last worked out, in words; nothing where it never was."""
    row = queries.last_level(session)
    if row is None:
        return ""
    ago = round((utc_of(today) - row.at).total_seconds() / 60)
    when = "just now" if ago < 2 else f"{ago} min ago" if ago < 90 else f"on {day_words(row.on)}"
    return f"Levelled {when}"
