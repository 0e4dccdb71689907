"""The template of a run, with what it includes, and what its steps wait for."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy.orm import object_session

from unisequa.core.documents.includes import Library, laid_open
from unisequa.core.documents.template import Template
from unisequa.store.documents import Latest, template_of
from unisequa.store.linked import Linked, linked_from, settled
from unisequa.store.meanings import named_by
from unisequa.store.tables import Run

_LAID_OPEN: Latest[tuple[Template, Mapping[str, int]]] = Latest(64)


def _linked(run: Run) -> Linked:
    session = object_session(run)
    if session is None or not named_by(template_of(run.edition)):
        return Linked()
    return linked_from(session, run.edition, settled(session, run.pins or {}))


def library_of(run: Run) -> Library:
    """The templates that a run's one includes, as they were settled."""
    return _linked(run).library if run.pins else Library()


def template_of_run(run: Run) -> Template:
    """The template of a run, with what it includes as its own parts."""
    return _opened(run)[0] if run.pins else template_of(run.edition)


def awaited_by(run: Run) -> Mapping[str, int]:
    """Name as it is compared → id of the template that a run's steps wait for by that name."""
    return _opened(run)[1]


def _opened(run: Run) -> tuple[Template, Mapping[str, int]]:
    edition = run.edition
    meant = tuple(sorted(edition.meant.items()))
    key = (edition.digest, meant, tuple(sorted((run.pins or {}).items())))
    known = None if edition.unmet else _LAID_OPEN.get(key)
    if known is None:
        inside = _linked(run)
        template = template_of(edition)
        known = (laid_open(template, inside.library) if run.pins else template, inside.ids)
        _LAID_OPEN.keep(key, known)
    return known
