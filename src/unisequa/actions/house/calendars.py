"""The house's working calendars: looked at by everybody, changed by administrators."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from unisequa.actions.access import check_administrator
from unisequa.actions.house.leave import typed_span
from unisequa.actions.people.accounts import audit, name_fault
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.words import count_words, names_words, some_names
from unisequa.core.documents.calendar import CalendarDocument, Closure
from unisequa.core.errors import DocumentError, NotThere, Refused
from unisequa.store.queries import people as rows
from unisequa.store.store import Session
from unisequa.store.tables import Calendar, now


@dataclass(frozen=True, slots=True)
class CalendarSeen:
    """A working calendar; ``used_by`` are the templates that name it, ``usual`` whether those without one of their own
    have it."""

    id: int
    document: CalendarDocument
    used_by: tuple[str, ...]
    usual: bool


def calendars(session: Session) -> tuple[CalendarSeen, ...]:
    """All working calendars, the usual one first."""
    uses = rows.names_in_calendars(session)
    seen = []
    for row in rows.calendars(session):
        names = sorted({name for name, named in uses if row.name in named})
        seen.append(CalendarSeen(row.id, CalendarDocument.model_validate(row.document), tuple(names), row.usual))
    return tuple(seen)


def changed_by(session: Session) -> str:
    """Who changes calendars, in words."""
    return some_names(sorted(person.name for person in rows.active_administrators(session)))


def calendar(session: Session, calendar_id: int) -> CalendarSeen:
    """One of them.

    Raises
    ------
    NotThere
    """
    found = next((one for one in calendars(session) if one.id == calendar_id), None)
    if found is None:
        raise NotThere("That calendar does not exist.")
    return found


def is_there(session: Session, name: str) -> bool:
    """Whether there is a calendar of that name."""
    return rows.named(session, Calendar, name) is not None


def number_of(session: Session, name: str) -> int:
    """The id of a calendar by its name.

    Raises
    ------
    NotThere
    """
    number = rows.named(session, Calendar, name)
    if number is None:
        raise NotThere(f'There is no calendar "{name}".')
    return number


def add(session: Session, actor: Actor, name: str, country: str, subdivision: str) -> int:
    """A new calendar, Monday to Friday, with the public holidays of a country, or none."""
    check_administrator(actor)
    holidays = {"country": country, "subdivision": subdivision or None} if country else None
    return put(session, actor, _document({"name": " ".join(name.split()), "holidays": holidays}), new=True)


def put(session: Session, actor: Actor, document: CalendarDocument, *, new: bool = False) -> int:
    """Keep a calendar by its name, in place of one of that name unless it is to be new."""
    check_administrator(actor)
    if fault := name_fault(document.name):
        raise Refused({"name": fault})
    document.working()
    known = rows.named(session, Calendar, document.name)
    if known is not None and new:
        raise Refused({"name": f'There is a calendar "{document.name}" already.'})
    row = session.get(Calendar, known) if known else Calendar(name=document.name, usual=not rows.calendars(session))
    assert row
    row.document, row.changed_at = {**document.written(), "name": row.name}, now()
    session.add(row)
    session.flush()
    audit(session, "calendar", None, f'calendar "{document.name}" {"changed" if known else "added"} by {actor.name}')
    return row.id


def rename(session: Session, actor: Actor, calendar_id: int, name: str) -> None:
    """Another name, unless templates name it by the one it has."""
    check_administrator(actor)
    row, name = _row(session, calendar_id), " ".join(name.split())
    if name == row.name:
        return
    _check_unnamed(session, row, "name")
    if fault := name_fault(name):
        raise Refused({"name": fault})
    if rows.named(session, Calendar, name) not in {None, calendar_id}:
        raise Refused({"name": f'There is a calendar "{name}" already.'})
    audit(session, "calendar", None, f'calendar "{row.name}" is "{name}" now, said by {actor.name}')
    row.name, row.document = name, {**row.document, "name": name}


def make_usual(session: Session, actor: Actor, calendar_id: int) -> None:
    """Have templates that name no calendar use this one."""
    check_administrator(actor)
    row = _row(session, calendar_id)
    for one in rows.calendars(session):
        one.usual = one is row
    audit(session, "calendar", None, f'"{row.name}" made the usual calendar by {actor.name}')


def remove(session: Session, actor: Actor, calendar_id: int) -> None:
    """Take a calendar away that no template names, and that is not the usual one."""
    check_administrator(actor)
    row = _row(session, calendar_id)
    _check_unnamed(session, row, "")
    if row.usual:
        raise Refused({"": "This is the usual calendar; make another one that first."})
    audit(session, "calendar", None, f'calendar "{row.name}" removed by {actor.name}')
    session.delete(row)


def _check_unnamed(session: Session, row: Calendar, where: str) -> None:
    names = sorted({name for name, named in rows.names_in_calendars(session) if row.name in named})
    if names:
        more = [*names[:3], *([count_words(len(names) - 3, "more template")] if len(names) > 3 else [])]
        raise Refused({where: f'The calendar "{row.name}" is named by {names_words(more)}; change that there first.'})


Change = Callable[[dict[str, Any]], dict[str, Any]]
"""What becomes of a calendar's document."""


def with_fields(**fields: Any) -> Change:
    """Other days of the week, other hours, or the public holidays of elsewhere."""
    return lambda written: {**written, **fields}


def closing(first: str, last: str, label: str, today: dt.date, *, month_first: bool = False) -> Change:
    """The house closed from a day to a day, as they are typed."""
    begins, ends = typed_span(first, last, today, month_first=month_first)
    closure = {"from": begins.isoformat(), "to": ends.isoformat(), "label": " ".join(label.split())[:200]}
    return lambda written: {**written, "closures": sorted([*written.get("closures", []), closure], key=_span)}


def opening_again(first: str, last: str) -> Change:
    """A closure taken off, known by its days."""
    return lambda written: {
        **written, "closures": [one for one in written.get("closures", []) if _span(one) != (first, last)],
    }  # fmt: skip


def _span(closure: Any) -> tuple[str, str]:
    return (closure["from"], closure["to"]) if isinstance(closure, dict) else (closure, closure)


def working_on(day: str, today: dt.date, *, month_first: bool = False) -> Change:
    """A day worked although the week, a holiday or a closure says otherwise."""
    try:
        date, _ = typed_span(day, "", today, month_first=month_first)
    except Refused as error:
        raise Refused({"day": error.faults["first"]}) from None
    text = date.isoformat()
    return lambda w: {**w, "extra_working_days": sorted({*w.get("extra_working_days", []), text})}


def resting_on(day: str) -> Change:
    """No longer worked on such a day."""
    return lambda w: {**w, "extra_working_days": [one for one in w.get("extra_working_days", []) if one != day]}


def changed(session: Session, actor: Actor, calendar_id: int, how: Change) -> tuple[CalendarDocument, CalendarDocument]:
    """A calendar's document as it is, and as it would be; nothing is written.

    Raises
    ------
    Refused
        By field: ``week``, ``hours``, ``holidays``, ``first``, ``last``, ``day``.
    """
    check_administrator(actor)
    row = _row(session, calendar_id)
    return CalendarDocument.model_validate(row.document), _document(how(dict(row.document)))


def change(session: Session, actor: Actor, calendar_id: int, how: Change) -> None:
    """Have a calendar be another one; runs under way keep the days that they were started with."""
    _, document = changed(session, actor, calendar_id, how)
    row = _row(session, calendar_id)
    if document.written() != row.document:
        row.document, row.changed_at = document.written(), now()
        audit(session, "calendar", None, f'calendar "{row.name}" changed by {actor.name}')


def _document(written: dict[str, Any]) -> CalendarDocument:
    try:
        document = CalendarDocument.model_validate(written)
        document.working()
    except ValidationError as error:
        first = error.errors()[0]
        raise Refused({str(first["loc"][0]): f"{first['msg']}."}) from None
    except DocumentError as error:
        raise Refused({fault.path.partition("[")[0]: f"{fault.message}." for fault in error.faults}) from None
    return document


def _row(session: Session, calendar_id: int) -> Calendar:
    row = rows.calendar_by_id(session, calendar_id)
    if row is None:
        raise NotThere("That calendar does not exist.")
    return row


def closures_of(document: CalendarDocument, from_day: dt.date) -> tuple[Closure, ...]:
    """The closures of a calendar that are not over, each as from–to."""
    spans = [one if isinstance(one, Closure) else Closure(**{"from": one, "to": one}) for one in document.closures]
    return tuple(one for one in spans if one.to >= from_day)
