"""Leave: the days on which somebody is away, said by themselves or by an administrator."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.errors import NotAllowed, NotThere, Refused, TypedError
from unisequa.store.queries import people as rows
from unisequa.store.store import Session
from unisequa.store.tables import Leave

LONGEST = 731
"""Days of one leave."""


@dataclass(frozen=True, slots=True)
class LeaveSeen:
    """One leave, both days included."""

    id: int
    first: dt.date
    last: dt.date
    label: str


def leave_of(session: Session, person_id: int, today: dt.date) -> tuple[LeaveSeen, ...]:
    """Somebody's leave that is not over, the next first."""
    found = [one for one in rows.leave_of(session, {person_id}) if one.last_on >= today]
    found.sort(key=lambda one: (one.first_on, one.id))
    return tuple(LeaveSeen(one.id, one.first_on, one.last_on, one.label) for one in found)


def typed_span(first: str, last: str, today: dt.date, *, month_first: bool) -> tuple[dt.date, dt.date]:
    """The first and the last day as somebody typed them; one day where only one is given.

    Raises
    ------
    Refused
        By field, ``first`` and ``last``.
    """
    days: dict[str, dt.date] = {}
    faults: dict[str, str] = {}
    for name, text in (("first", first), ("last", last or first)):
        try:
            base = days.get("first")
            days[name] = typed_date(text, today=today, base=base, calendar=WorkingCalendar(), month_first=month_first)
        except TypedError as error:
            faults[name] = str(error)
    if faults:
        raise Refused(faults if last else {"first": faults["first"]})
    if days["last"] < days["first"]:
        raise Refused({"last": "The last day lies before the first."})
    if (days["last"] - days["first"]).days >= LONGEST:
        raise Refused({"last": "That is longer than two years; is the year right?"})
    return days["first"], days["last"]


def add(
    session: Session, actor: Actor, person_id: int, first: str, last: str, label: str, today: dt.date
) -> tuple[dt.date, dt.date]:
    """Be away, or have somebody be away, from a day to a day as they are typed; gives the two days.

    Raises
    ------
    Refused
        For what is no date, ends before it begins, or meets leave that is there.
    """
    begins, ends = checked(session, actor, person_id, first, last, today)
    session.add(Leave(person_id=person_id, first_on=begins, last_on=ends, label=" ".join(label.split())[:200]))
    return begins, ends


def checked(
    session: Session, actor: Actor, person_id: int, first: str, last: str, today: dt.date
) -> tuple[dt.date, dt.date]:
    """The days of leave as they are typed, if somebody may be away on them; the same errors."""
    _check_own(actor, person_id)
    if rows.person_by_id(session, person_id) is None:
        raise NotThere("There is nobody with that number.")
    begins, ends = typed_span(first, last, today, month_first=actor.month_first)
    if ends < today:
        raise Refused({"last" if last else "first": "These days are over."})
    for one in rows.leave_of(session, {person_id}):
        if one.first_on <= ends and begins <= one.last_on:
            raise Refused(
                {"first": f"There is leave from {one.first_on} to {one.last_on} already; take that off first."}
            )
    return begins, ends


def remove(session: Session, actor: Actor, person_id: int, leave_id: int) -> None:
    """Be there after all."""
    _check_own(actor, person_id)
    row = rows.leave_by_id(session, leave_id)
    if row is None or row.person_id != person_id:
        raise NotThere("That leave does not exist.")
    session.delete(row)


def _check_own(actor: Actor, person_id: int) -> None:
    if person_id != actor.id and not actor.administrator:
        raise NotAllowed("Leave is one's own; administrators look after that of others.")
