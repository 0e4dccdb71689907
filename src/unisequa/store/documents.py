"""The documents that are kept, templates and calendars: each read once."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from functools import lru_cache
from typing import Any

from sqlalchemy.orm import Session, object_session

from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.includes import Library, laid_open
from unisequa.core.documents.template import Template
from unisequa.core.plan.calendars import Calendars
from unisequa.store.tables import Edition, Run


@lru_cache(maxsize=256)
def _calendar(written: str) -> CalendarDocument:
    return CalendarDocument.model_validate_json(written)


@lru_cache(maxsize=64)
def _calendars(written: tuple[str, ...]) -> Calendars:
    return Calendars(_calendar(text) for text in written)


def calendars_of(documents: Iterable[dict[str, Any]]) -> Calendars:
    """The calendars of documents as they are kept, each set made once."""
    return _calendars(tuple(json.dumps(document, sort_keys=True) for document in documents))


@lru_cache(maxsize=256)
def _template(written: str) -> Template:
    return Template.model_validate_json(written)


def template_of(edition: Edition) -> Template:
    """An edition's document; it was checked when it was kept."""
    return _template(json.dumps(edition.document))


def pinned(session: Session, pins: Mapping[str, int]) -> dict[str, Edition]:
    """The editions of included templates by name."""
    found = {name: session.get(Edition, number) for name, number in pins.items()}
    return {name: edition for name, edition in found.items() if edition is not None}


def template_of_run(run: Run) -> Template:
    """The template of a run, with what it includes as its own parts."""
    template, session = template_of(run.edition), object_session(run)
    if not template.includes or session is None:
        return template
    inner = pinned(session, run.pins or {})
    return _laid_open(
        json.dumps(run.edition.document), tuple((name, json.dumps(e.document)) for name, e in sorted(inner.items()))
    )


@lru_cache(maxsize=64)
def _laid_open(written: str, inner: tuple[tuple[str, str], ...]) -> Template:
    return laid_open(_template(written), Library((name, _template(text)) for name, text in inner))
