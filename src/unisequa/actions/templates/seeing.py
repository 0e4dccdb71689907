"""Editions as they are seen."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.access import HIDDEN, Act, acts_of, check_may, may
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.included import Linked, included_by, included_now
from unisequa.core.documents.template import Template
from unisequa.core.errors import NotThere
from unisequa.store.documents import template_of
from unisequa.store.queries.templates import template_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Edition, TemplateRow


@dataclass(frozen=True, slots=True)
class EditionSeen:
    """An edition as one person sees it.

    Parameters
    ----------
    name : str
        The template's; that of the document is ``template.name``.
    acts : frozenset of str
        What they may do with the template.
    newest : bool
        Whether no later edition is there.
    """

    template_id: int
    number: int
    state: str
    revision: int
    name: str
    owner: str
    template: Template
    acts: frozenset[Act]
    newest: bool

    def may(self, act: Act) -> bool:
        """Whether they may do this with the template."""
        return act in self.acts

    @property
    def changeable(self) -> bool:
        """Whether an edit of theirs would change it: a draft, or the newest edition, which opens a draft."""
        return self.may("change a draft") and self.newest


def template_row(session: Session, template_id: int) -> TemplateRow:
    """A template's row by id."""
    row = template_by_id(session, template_id)
    if row is None:
        raise NotThere(HIDDEN)
    return row


def edition_of(
    session: Session, actor: Actor, template_id: int, number: int | None = None, *, to_start: bool = False
) -> Edition:
    """One edition's row; without a number the draft for who may edit it, or else the newest released. What is to be
    started is the newest released, and the draft only where none is."""
    row = template_row(session, template_id)
    check_may(row, actor, "see the template")
    editor = may(row, actor, "change a draft")
    seen = [edition for edition in row.editions if edition.state != "draft" or editor]
    if number is not None:
        chosen = next((edition for edition in seen if edition.number == number), None)
    elif editor and not to_start:
        chosen = seen[-1] if seen else None
    else:
        released = [edition for edition in seen if edition.state == "released"]
        chosen = (released or seen)[-1] if seen else None
    if chosen is None:
        raise NotThere("This edition does not exist, or is a draft that only its editors see.")
    return chosen


def newest_released(row: TemplateRow) -> Edition | None:
    """The edition that a run is started from, where there is one."""
    return next((edition for edition in reversed(row.editions) if edition.state == "released"), None)


def see_edition(session: Session, actor: Actor, template_id: int, number: int | None = None) -> EditionSeen:
    """One edition, chosen as :func:`edition_of` does."""
    return seen(edition_of(session, actor, template_id, number), actor)


def see_whole(
    session: Session, actor: Actor, template_id: int, number: int | None = None
) -> tuple[EditionSeen, Linked]:
    """The same with the editions that it includes."""
    edition = edition_of(session, actor, template_id, number)
    return seen(edition, actor), included_by(session, edition)


def see_open(session: Session, actor: Actor, template_id: int, number: int | None = None) -> Linked:
    """What an edition includes and waits for as far as that is open to somebody, as it is now."""
    return included_now(session, edition_of(session, actor, template_id, number), actor)


def seen(edition: Edition, actor: Actor) -> EditionSeen:
    """An edition's row as somebody sees it."""
    row = edition.template
    return EditionSeen(
        row.id,
        edition.number,
        edition.state,
        edition.revision,
        row.name,
        row.owner.name,
        template_of(edition),
        acts_of(row, actor),
        edition is row.editions[-1],
    )
