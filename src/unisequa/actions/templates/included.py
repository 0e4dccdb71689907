"""The templates that others include, in the editions that count.

A draft includes the newest released edition of another template. Releasing it settles which editions those are,
and so does starting a run: what is released, and what is under way, does not change when an included template does.
Which template is meant was settled when its name was written (:mod:`unisequa.store.meanings`).
"""

from __future__ import annotations

from unisequa.actions.people.people import Actor
from unisequa.core.documents.includes import name_key
from unisequa.store.documents import template_of
from unisequa.store.linked import Linked, linked, linked_from, newest
from unisequa.store.meanings import meanings, named_by, shown_names
from unisequa.store.queries.templates import named_templates, seen_among
from unisequa.store.store import Session
from unisequa.store.tables import Edition

__all__ = ["Linked", "all_released", "closed", "included_by", "included_now", "names_open_to"]


def included_by(session: Session, edition: Edition) -> Linked:
    """What an edition includes and waits for: in the editions that were settled, or that a draft would have now."""
    return linked_from(session, edition)


def included_now(session: Session, edition: Edition, viewer: Actor | None = None) -> Linked:
    """The same in the newest released editions, whatever was settled; of those open to a viewer, if one is named."""
    others = names_open_to(session, viewer) if viewer else ()
    return linked_from(session, edition, newest(session, viewer.id if viewer else None), others=others)


def all_released(session: Session, viewer: Actor, edition: Edition | None = None) -> Linked:
    """The newest released edition of every template open to somebody, and what an edition of theirs names already."""
    names = names_open_to(session, viewer)
    meant = {name_key(name): number for name, number in names.items()}
    kept = named_by(template_of(edition)) if edition else set()
    if edition:
        meant |= meanings(session, edition)
    return linked(session, {*names, *kept}, meant, newest(session), waits=True)


def names_open_to(session: Session, viewer: Actor) -> dict[str, int]:
    """The names of released templates that somebody may include, with the ids of their templates."""
    return shown_names(named_templates(session, viewer.id))


def closed(session: Session, actor: Actor, edition: Edition, *, waits: bool) -> set[str]:
    """The names in an edition of templates that are open neither to somebody nor to the owner of its template."""
    meant = meanings(session, edition)
    named = {
        name: number for name in named_by(template_of(edition), waits=waits) if (number := meant.get(name_key(name)))
    }
    open_ids = seen_among(session, set(named.values()), {actor.id, edition.template.owner_id})
    return {name for name, number in named.items() if number not in open_ids}
