"""Subjects: who or what runs are about, kept with their record and found again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.happening import record_changed
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.store.queries import subjects as queries
from unisequa.store.queries.people import people_by_id, people_named
from unisequa.store.queries.runs import keeps_any_run
from unisequa.store.queries.templates import may_start_any
from unisequa.store.store import Session
from unisequa.store.tables import Subject

FIRST_DAY, LAST_DAY = "First day", "Last day"
"""What the two dates that everybody's record has are called, here and as anchors."""


@dataclass(frozen=True, slots=True)
class SubjectSeen:
    """A subject with its record. ``dates`` are all dates it has, by what they are called; ``ref`` is how the system
    knows it that owns its record, if one does."""

    id: int
    name: str
    position: str
    unit: str
    manager_id: int | None
    manager: str
    person_id: int | None
    dates: Mapping[str, dt.date]
    kind: str = ""
    ref: str = ""


@dataclass(frozen=True, slots=True)
class Record:
    """What a record is to say: as :class:`SubjectSeen`, the manager by id."""

    name: str
    position: str = ""
    unit: str = ""
    manager_id: int | None = None
    first: dt.date | None = None
    last: dt.date | None = None
    kind: str = ""


def dates_of(row: Subject) -> dict[str, dt.date]:
    """All dates of a record, by what they are called."""
    dates = {FIRST_DAY: row.first_on, LAST_DAY: row.last_on}
    dates |= {name: dt.date.fromisoformat(day) for name, day in row.dates.items()}
    return {name: day for name, day in dates.items() if day is not None}


def date_of(dates: Mapping[str, dt.date], label: str) -> dt.date | None:
    """The date of a record that goes by a label, however it is written."""
    return next((day for name, day in dates.items() if queries.folded(name) == queries.folded(label)), None)


def as_seen(row: Subject) -> SubjectSeen:
    """A subject's row as pages know it."""
    return SubjectSeen(
        row.id, row.name, row.position, row.unit, row.manager_id, row.manager.name if row.manager else "",
        row.person_id, dates_of(row), row.kind, row.ref,
    )  # fmt: skip


def may_add(session: Session, actor: Actor) -> bool:
    """Whether somebody adds subjects, and finds all there are: whoever starts runs, or keeps one."""
    return actor.administrator or may_start_any(session, actor.id) or keeps_any_run(session, actor.id)


def find_subjects(session: Session, actor: Actor, text: str = "", most: int = 200) -> list[SubjectSeen]:
    """The subjects that somebody may choose among, by name."""
    rows = queries.subjects(session, text, most)
    if not may_add(session, actor):
        seen = queries.seen_subjects(session, actor.id, {row.id for row in rows})
        rows = [row for row in rows if row.id in seen]
    return [as_seen(row) for row in rows]


def subject_of(session: Session, actor: Actor, name: str) -> SubjectSeen | None:
    """The subject of a name, if there is one that somebody may choose."""
    row = queries.subject_named(session, name) if name.strip() else None
    return as_seen(row) if row is not None and may_add(session, actor) else None


def subject_row(session: Session, actor: Actor, number: int) -> Subject:
    """A subject's row, for whoever may see it."""
    row = queries.subject_by_id(session, number)
    if row is None or not (may_add(session, actor) or queries.seen_subjects(session, actor.id, {number})):
        raise NotThere("This subject does not exist, or is not open to you.")
    return row


def may_change(session: Session, actor: Actor, row: Subject) -> bool:
    """Whether somebody changes a record: an administrator, or the keeper of a run about it."""
    if actor.administrator:
        return True
    return any(run.keeper_id == actor.id for run in queries.runs_about_some(session, actor.id, {row.id}))


def runs_about(session: Session, actor: Actor, number: int) -> list[queries.RunAbout]:
    """The runs about a subject that somebody may see."""
    return queries.runs_about_some(session, actor.id, {number})


def kept_subject(
    session: Session, actor: Actor, name: str, dates: Mapping[str, dt.date], kind: str = ""
) -> Subject | None:
    """The subject of a name for a run that is started, made where there is none yet, of the kind that its template is
    usual for; its first and last day are taken over where it has none."""
    name = " ".join(name.split())[:200]
    if not name:
        return None
    row = queries.subject_named(session, name)
    if row is None:
        row = _made(session, actor, name)
        row.kind = kind[:40]
    row.first_on = row.first_on or date_of(dates, FIRST_DAY)
    row.last_on = row.last_on or date_of(dates, LAST_DAY)
    session.flush()
    return row


def _made(session: Session, actor: Actor, name: str) -> Subject:
    ours = people_named(session, name)
    person = ours[0] if len(ours) == 1 else None
    row = Subject(
        name=name, folded=queries.folded(name), dates={}, created_by_id=actor.id, person=person,
        position=person.position.name if person and person.position else "", manager=person.manager if person else None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def add_subject(session: Session, actor: Actor, record: Record, today: dt.date) -> int:
    """Keep a new subject.

    Raises
    ------
    Refused
        Fields ``name``, ``manager``, ``last``.
    """
    if not may_add(session, actor):
        raise NotAllowed("Subjects are added by whoever starts runs. Ask an administrator.")
    name = " ".join(record.name.split())
    if not name:
        raise Refused({"name": "Say who or what it is."})
    if (there := queries.subject_named(session, name)) is not None:
        raise Refused({"name": f"{there.name} is there already; add something that tells the two apart."})
    row = _made(session, actor, name[:200])
    _write(session, row, record, today)
    return row.id


def change_subject(session: Session, actor: Actor, number: int, record: Record, today: dt.date) -> None:
    """Have a record say something else. Runs that have a date from it are moved apart from this
    (:mod:`unisequa.actions.runs.together`)."""
    row = subject_row(session, actor, number)
    if not may_change(session, actor, row):
        raise NotAllowed("This record is changed by administrators, and by who keeps a run about it.")
    name = " ".join(record.name.split())
    other = queries.subject_named(session, name) if name else None
    if not name:
        raise Refused({"name": "Say who or what it is."})
    if other is not None and other.id != row.id:
        raise Refused({"name": f"{other.name} is there already; add something that tells the two apart."})
    row.name, row.folded = name[:200], queries.folded(name)
    _write(session, row, record, today)
    note(session, actor, "subject", f"Record of {row.name} changed")


def _write(session: Session, row: Subject, record: Record, today: dt.date) -> None:
    if record.first and record.last and record.last < record.first:
        raise Refused({"last": f"The last day would be before the first, {record.first.isoformat()}."})
    managers = people_by_id(session, {record.manager_id}) if record.manager_id else {}
    if record.manager_id and (record.manager_id not in managers or not managers[record.manager_id].active):
        raise Refused({"manager": "Choose somebody who can sign in."})
    before = said_of(row)
    row.position, row.unit = record.position.strip()[:200], record.unit.strip()[:200]
    row.manager = managers.get(record.manager_id or 0)
    if not row.ref:  # else its kind is part of how its owner knows it
        row.kind = " ".join(record.kind.split())[:40]
    row.first_on, row.last_on = record.first, record.last
    session.flush()
    record_changed(session, row, before, said_of(row), today)


def said_of(row: Subject) -> dict[str, str]:
    """Field → what a record says, as hand-offs listen to it."""
    said = {"position": row.position, "unit": row.unit, "manager": row.manager.name if row.manager else ""}
    return {**said, **{label: day.isoformat() for label, day in dates_of(row).items()}}
