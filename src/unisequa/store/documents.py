"""The documents that are kept, templates and calendars: each read once, known by the SHA-256 of what it says."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from threading import Lock
from typing import Any, TypeVar

from unisequa.core.calendars.grid import DAYS, Grid
from unisequa.core.design.outline import outline
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.includes import name_key
from unisequa.core.documents.template import Template
from unisequa.core.plan.calendars import Calendars
from unisequa.store.tables import Edition, Run

T = TypeVar("T")


class Latest(dict[Any, T]):
    """The latest ``most`` of what was put in; losing one costs no more than reading it again."""

    def __init__(self, most: int) -> None:
        super().__init__()
        self.most, self._lock = most, Lock()

    def keep(self, key: Any, value: T) -> T:
        with self._lock:
            self[key] = value
            while len(self) > self.most:
                self.pop(next(iter(self)), None)
        return value


_TEMPLATES: Latest[Template] = Latest(256)
_CALENDARS: Latest[Calendars] = Latest(64)


def digest_of(document: object) -> str:
    """The SHA-256 of a document, whatever the order of its keys."""
    return hashlib.sha256(json.dumps(document, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def keep_document(edition: Edition, template: Template) -> None:
    """Have an edition say what a template says."""
    edition.document = template.written()
    edition.digest = digest_of(edition.document)
    edition.name, edition.name_key, edition.purpose = template.name, name_key(template.name), template.purpose
    edition.steps, edition.days = len(template.steps), outline(template).length
    edition.includes, edition.tags = bool(template.includes), list(template.tags)
    edition.usual_for, edition.messages = template.usual_for or "", sum(len(one.messages) for one in template.steps)
    _TEMPLATES.keep(edition.digest, template)


def template_of(edition: Edition) -> Template:
    """An edition's document; it was checked when it was kept."""
    known = _TEMPLATES.get(edition.digest)
    return known or _TEMPLATES.keep(edition.digest, Template.model_validate(edition.document))


def keep_calendars(run: Run, documents: Sequence[CalendarDocument]) -> None:
    """Have a run work by calendars."""
    written = [document.written() for document in documents]
    digest = digest_of(written)
    if digest != run.calendars_digest:
        run.calendars, run.calendars_digest = written, digest


def calendars_of(run: Run) -> Calendars:
    """The calendars that a run works by, on its grid; what they have worked out is kept with them."""
    grid = grid_of_run(run)
    key = (run.calendars_digest, grid)
    known = _CALENDARS.get(key)
    if known is None:
        documents = [CalendarDocument.model_validate(written) for written in run.calendars]
        known = _CALENDARS.keep(key, Calendars(documents, grid))
    return known


def grid_of_run(run: Run) -> Grid:
    """Whether a run is planned in days or in minutes, and by whose clock."""
    return template_of(run.edition).slots_of_time()


def calendars_in(documents: Sequence[CalendarDocument]) -> Calendars:
    """The same for documents that no run works by yet."""
    key = (digest_of([document.written() for document in documents]), DAYS)
    return _CALENDARS.get(key) or _CALENDARS.keep(key, Calendars(documents))
