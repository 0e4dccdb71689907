"""The templates that others include, in the editions that count.

A draft includes the newest released edition of another template. Releasing it settles which editions those are,
and so does starting a run: what is released, and what is under way, does not change when an included template does.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from unisequa.actions.access import may
from unisequa.actions.errors import Refused
from unisequa.core.documents.includes import Library
from unisequa.core.documents.template import Template
from unisequa.store.documents import pinned, template_of
from unisequa.store.tables import Edition, Person, TemplateRow


@dataclass(frozen=True, slots=True)
class Shelf:
    """Released templates as a library; by each one's name its id and that of its edition."""

    library: Library = field(default_factory=Library)
    ids: dict[str, int] = field(default_factory=dict)
    editions: dict[str, int] = field(default_factory=dict)

    def pins(self, template: Template) -> dict[str, int] | None:
        """The editions of what a template includes, at any depth; None where it includes nothing."""
        if not template.includes:
            return None
        return {inner.name: self.editions[inner.name] for inner in self.library.within(template)}


def shelf_of(session: Session, edition: Edition) -> Shelf:
    """What an edition includes: the editions that were settled, or those that a draft would have now."""
    template = template_of(edition)
    if edition.pins is None:
        return newest(session) if template.includes else Shelf()
    found = pinned(session, edition.pins)
    return Shelf(
        Library((name, template_of(row)) for name, row in found.items()),
        {name: row.template_id for name, row in found.items()},
        {name: row.id for name, row in found.items()},
    )


def check_open(session: Session, actor: Person, template: Template, before: Template | None = None) -> None:
    """Refuse a template that names another one which is not open to its author, to include it or to wait for it.

    What it named ``before`` is left alone: it was somebody's choice who may look at both.
    """
    names = _named(template) - (_named(before) if before else set())
    if not names:
        return
    mine, all_ = newest(session, actor).library, newest(session).library
    for name in sorted(names):
        if all_.find(name) and not mine.find(name):
            raise Refused({"": f"{name} is not open to you; ask its owner."})


def _named(template: Template) -> set[str]:
    waits = {wait.template for step in template.steps for wait in step.waits_for}
    return waits | {include.template for include in template.includes}


def newest(session: Session, viewer: Person | None = None) -> Shelf:
    """The newest released edition of every template; of those only that somebody may look at, if one is named."""
    shelf: list[tuple[str, Template]] = []
    ids: dict[str, int] = {}
    editions: dict[str, int] = {}
    for row in session.scalars(
        select(TemplateRow).options(selectinload(TemplateRow.editions)).order_by(TemplateRow.id)
    ):
        if viewer is not None and not may(row, viewer, "look"):
            continue
        released = [edition for edition in row.editions if edition.state == "released"]
        if released:
            inner = template_of(released[-1])
            if inner.name not in ids:
                shelf.append((inner.name, inner))
                ids[inner.name], editions[inner.name] = row.id, released[-1].id
    return Shelf(Library(shelf), ids, editions)
