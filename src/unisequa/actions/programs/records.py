"""Records of subjects that another system owns, by its own name for them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from unisequa.actions.happening import record_changed
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.subjects import (
    FIRST_DAY,
    LAST_DAY,
    SubjectSeen,
    as_seen,
    find_subjects,
    may_add,
    may_change,
    said_of,
)
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.store.queries import programs as queries
from unisequa.store.queries.people import people_by_address
from unisequa.store.queries.subjects import folded, subject_named
from unisequa.store.store import Session
from unisequa.store.tables import Subject

MOST_DATES = 50


@dataclass(frozen=True, slots=True)
class Told:
    """What another system says of a subject; the manager by address, dates by what they are called."""

    name: str
    position: str = ""
    unit: str = ""
    manager: str = ""
    dates: Mapping[str, dt.date] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RecordSeen:
    """A record with the name that its system has for it."""

    kind: str
    ref: str
    subject: SubjectSeen


def record(session: Session, actor: Actor, kind: str, ref: str) -> RecordSeen:
    """One record."""
    row = queries.subject_by_ref(session, kind, ref)
    if row is None or not may_add(session, actor):
        raise NotThere("There is no such record, or it is not open to you.")
    return RecordSeen(kind, ref, as_seen(row))


def records(session: Session, actor: Actor, text: str = "", most: int = 200) -> list[SubjectSeen]:
    """The subjects that somebody may choose among."""
    return find_subjects(session, actor, text, most)


def keep_record(
    session: Session, actor: Actor, kind: str, ref: str, told: Told, today: dt.date
) -> tuple[RecordSeen, bool]:
    """Keep what another system says of a subject; gives the record, and whether it is new.

    A subject of that name that no system owns yet becomes that system's.

    Raises
    ------
    Refused
        Fields ``name``, ``manager``, ``dates``.
    """
    if not may_add(session, actor):
        raise NotAllowed("Subjects are added by whoever starts runs. Ask an administrator.")
    name = " ".join(told.name.split())[:200]
    if not name:
        raise Refused({"name": "Say who or what it is."})
    row, there = queries.subject_by_ref(session, kind, ref), subject_named(session, name)
    if row is None and there is not None and not there.ref:
        row = there
    if there is not None and there is not row:
        raise Refused({"name": f"{there.name} is there already; add something that tells the two apart."})
    new = row is None
    if row is None:
        row = Subject(name=name, folded=folded(name), dates={}, created_by_id=actor.id)
        session.add(row)
    elif not may_change(session, actor, row):
        raise NotAllowed("This record is changed by administrators, and by who keeps a run about it.")
    _write(session, row, kind, ref, name, told, today)
    note(session, actor, "subject", f"Record of {row.name} {'made' if new else 'changed'}")
    return RecordSeen(kind, ref, as_seen(row)), new


def _write(session: Session, row: Subject, kind: str, ref: str, name: str, told: Told, today: dt.date) -> None:
    managers = people_by_address(session, {told.manager.strip().lower()}) if told.manager.strip() else {}
    manager = next((one for one in managers.values() if one.active), None)
    if told.manager.strip() and manager is None:
        raise Refused({"manager": "Nobody here has that address."})
    if len(told.dates) > MOST_DATES:
        raise Refused({"dates": f"A record has at most {MOST_DATES} dates."})
    dates = {" ".join(label.split())[:200]: day for label, day in told.dates.items()}
    first, last = dates.pop(FIRST_DAY, None), dates.pop(LAST_DAY, None)
    if first and last and last < first:
        raise Refused({"dates": f"The last day would be before the first, {first.isoformat()}."})
    before = said_of(row) if row.name else {}
    row.kind, row.ref, row.name, row.folded = kind, ref, name, folded(name)
    row.position, row.unit, row.manager = told.position.strip()[:200], told.unit.strip()[:200], manager
    row.first_on, row.last_on = first, last
    row.dates = {label: day.isoformat() for label, day in dates.items() if label}
    session.flush()
    record_changed(session, row, before, said_of(row), today)
