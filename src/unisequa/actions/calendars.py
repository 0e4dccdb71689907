"""The working calendars there are."""

from __future__ import annotations

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.plan.calendars import Calendars
from unisequa.store.queries.people import calendars
from unisequa.store.store import Session


def working_days_of(session: Session) -> dict[int | None, WorkingCalendar]:
    """The calendars that people work by, by their ids; the usual one for None."""
    found = calendars(session)
    documents = {row.id: CalendarDocument.model_validate(row.document) for row in found}
    usual = Calendars(list(documents.values()))[None]
    return {None: usual, **{number: document.working() for number, document in documents.items()}}


def calendar_documents(session: Session, first: str | None) -> tuple[CalendarDocument, ...]:
    """All working calendars, the named one first; without a name the usual one."""
    documents = [CalendarDocument.model_validate(row.document) for row in calendars(session)]
    return tuple(sorted(documents, key=lambda document: document.name != first))
