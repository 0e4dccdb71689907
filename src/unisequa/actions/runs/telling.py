"""Whoever does what a shift moves is told once, with the old dates and the new: a message each in the outbox."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from unisequa.actions.messages import posting as words
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.words import count_words
from unisequa.store.queries.people import people_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Run, ShiftRow

MOST_LINES = 60


class Moved(NamedTuple):
    """A task that moved, in words."""

    title: str
    old: str
    new: str


def message(run: str, who: str, why: str, moved: Sequence[Moved], *, back: bool = False) -> tuple[str, str]:
    """Subject and text of what one person is told."""
    count = count_words(len(moved), "of your tasks", "of your tasks")
    subject = f"{run}: {count} {'moved back' if back else 'moved'}"
    said = f"{who} has taken a shift of {run} back." if back else f"{who} has shifted {run}{f': {why}' if why else '.'}"
    lines = [f"{one.title}: {one.old} → {one.new}" for one in moved[:MOST_LINES]]
    more = [f"and {len(moved) - MOST_LINES} more"] if len(moved) > MOST_LINES else []
    return subject[:200], "\n".join([said, "", *lines, *more]) + "\n"


def by_person(session: Session, run: Run, keys: Iterable[str]) -> dict[int, list[str]]:
    """Whose each of some tasks is: the id of a person → the keys of theirs."""
    wanted = set(keys)
    found: dict[int, list[str]] = {}
    for row in run.tasks:
        if row.key in wanted and row.person_id is not None:
            found.setdefault(row.person_id, []).append(row.key)
    return found


def tell(
    session: Session, actor: Actor, run: Run, shift: ShiftRow, moved: Mapping[str, Moved], *, back: bool = False
) -> int:
    """Write the messages of a shift, or of its being taken back; gives how many people are told.

    Parameters
    ----------
    moved : mapping
        Task → what is said of it.
    """
    whose = by_person(session, run, moved)
    told = 0
    for person in people_by_id(session, set(whose)).values():
        if person.id == actor.id or not person.active or not person.email:
            continue
        subject, text = message(run.name, actor.name, shift.why, [moved[key] for key in whose[person.id]], back=back)
        key = f"shift:{run.id}:{shift.number}{':back' if back else ''}"
        told += words.tell(session, person, words.Word(key, "shift", subject, text, run.id, run=run.name))
    return told
