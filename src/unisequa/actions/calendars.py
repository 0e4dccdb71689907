"""The working calendars there are."""

from __future__ import annotations

from unisequa.core.documents.calendar import CalendarDocument
from unisequa.store.queries.people import calendars
from unisequa.store.store import Session


def calendar_documents(session: Session, first: str | None) -> tuple[CalendarDocument, ...]:
    """All working calendars, the named one first; without a name the usual one."""
    documents = [CalendarDocument.model_validate(row.document) for row in calendars(session)]
    return tuple(sorted(documents, key=lambda document: document.name != first))
