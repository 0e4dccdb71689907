"""The templates that others include, in the editions that count.

A draft includes the newest released edition of another template. Releasing it settles which editions those are,
and so does starting a run: what is released, and what is under way, does not change when an included template does.
Only what is named is asked for: the templates included, what those include, and what steps wait for.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from unisequa.actions.people.people import Actor
from unisequa.core.documents.includes import Library, name_key
from unisequa.core.documents.template import Template
from unisequa.core.errors import Refused
from unisequa.store.documents import pinned, template_of
from unisequa.store.queries.templates import newest_released, released_names
from unisequa.store.store import Session
from unisequa.store.tables import Edition


@dataclass(frozen=True, slots=True)
class IncludedEditions:
    """Released templates as a library; by each one's name its id and that of its edition."""

    library: Library = field(default_factory=Library)
    ids: dict[str, int] = field(default_factory=dict)
    editions: dict[str, int] = field(default_factory=dict)

    def pins(self, template: Template) -> dict[str, int] | None:
        """The editions of what a template includes, at any depth; None where it includes nothing, or what is not
        there."""
        if not template.includes or any(self.library.find(include.template) is None for include in template.includes):
            return None
        return {inner.name: self.editions[inner.name] for inner in self.library.within(template)}


def included_by(session: Session, edition: Edition) -> IncludedEditions:
    """What an edition includes: the editions that were settled, or those that a draft would have now."""
    if edition.pins is None:
        return included_in(session, [template_of(edition)])
    editions = pinned(edition)
    return IncludedEditions(
        Library((name, template_of(row)) for name, row in editions.items()),
        {name: row.template_id for name, row in editions.items()},
        {name: row.id for name, row in editions.items()},
    )


def included_in(
    session: Session, templates: Iterable[Template], viewer: Actor | None = None, *, waits: bool = False
) -> IncludedEditions:
    """The newest released editions of all that templates include, at any depth; with ``waits`` also of what their
    steps wait for. Of those open to a viewer, if one is named."""
    asked: set[str] = set()
    wanted = {name_key(name) for template in templates for name in named_by(template, waits=waits)}
    editions: list[Edition] = []
    while wanted - asked:
        level = newest_released(session, names=wanted - asked, person_id=viewer.id if viewer else None)
        asked |= wanted
        editions += level
        wanted = {name_key(name) for row in level for name in named_by(template_of(row), waits=waits)}
    missing = asked - {row.name_key for row in editions}
    return _by_name(editions, released_names(session, viewer.id if viewer else None) if missing else ())


def all_released(session: Session, viewer: Actor) -> IncludedEditions:
    """The newest released edition of every template open to somebody."""
    return _by_name(newest_released(session, person_id=viewer.id))


def names_open_to(session: Session, viewer: Actor) -> dict[str, int]:
    """The names of released templates that somebody may include, with the ids of their templates."""
    return released_names(session, viewer.id)


def _by_name(editions: Iterable[Edition], others: Iterable[str] = ()) -> IncludedEditions:
    first: dict[str, Edition] = {}
    for row in sorted(editions, key=lambda row: row.template_id):
        first.setdefault(row.name, row)
    return IncludedEditions(
        Library(((name, template_of(row)) for name, row in first.items()), others),
        {name: row.template_id for name, row in first.items()},
        {name: row.id for name, row in first.items()},
    )


def check_open(session: Session, actor: Actor, template: Template, before: Template | None = None) -> None:
    """Refuse a template that names another one which is not open to its author, to include it or to wait for it.

    What it named ``before`` is left alone: it was somebody's choice who may look at both.
    """
    names = named_by(template) - (named_by(before) if before else set())
    if not names:
        return
    keys = {name_key(name) for name in names}
    there = {row.name_key for row in newest_released(session, names=keys)}
    mine = {row.name_key for row in newest_released(session, names=keys, person_id=actor.id)}
    for name in sorted(names):
        if name_key(name) in there - mine:
            raise Refused({"": f"{name} is not open to you; ask its owner."})


def named_by(template: Template, *, waits: bool = True) -> set[str]:
    """The names of templates that one includes, and of those that its steps wait for."""
    awaited = {wait.template for step in template.steps for wait in step.waits_for} if waits else set()
    return awaited | {include.template for include in template.includes}
