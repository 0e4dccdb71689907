"""All that a template's sheet shows, asked for once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass

from unisequa.actions.access import check_may
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.drafts import TakenBack, edit_draft, edits_since, redo, undo
from unisequa.actions.templates.editions import checks
from unisequa.actions.templates.held import windows_elsewhere
from unisequa.actions.templates.included import all_released, included_by, included_now
from unisequa.actions.templates.rehearsals import Rehearsal, Rehearsed, rehearsed
from unisequa.actions.templates.seeing import EditionSeen, edition_of, seen, template_row
from unisequa.core.design.findings import Finding
from unisequa.core.design.outline import Outline, outline
from unisequa.core.documents.includes import Library
from unisequa.core.documents.template import Template
from unisequa.store.documents import template_of
from unisequa.store.linked import Linked
from unisequa.store.queries.templates import next_edit
from unisequa.store.store import Session
from unisequa.store.tables import Edition


@dataclass(frozen=True, slots=True)
class SheetSeen:
    """An edition as its sheet shows it.

    Parameters
    ----------
    newer : frozenset of str
        Names of included templates that have a newer released edition than the one that is included.
    undo, redo : str, optional
        The edit that each comes to next, in words.
    """

    edition: EditionSeen
    included: Linked
    outline: Outline
    findings: tuple[Finding, ...]
    newer: frozenset[str]
    undo: str | None
    redo: str | None
    rehearsed: Rehearsed | None


def see_sheet(
    session: Session,
    actor: Actor,
    template_id: int,
    today: dt.date,
    number: int | None = None,
    rehearsal: Rehearsal | None = None,
) -> SheetSeen:
    """The sheet of an edition, on dates when a rehearsal is given."""
    return _sheet(session, actor, edition_of(session, actor, template_id, number), today, rehearsal)


def _sheet(session: Session, actor: Actor, edition: Edition, today: dt.date, rehearsal: Rehearsal | None) -> SheetSeen:
    looked = seen(edition, actor)
    template, included = looked.template, included_by(session, edition)
    drawn = outline(template, included.library)
    newer: frozenset[str] = frozenset()
    if edition.pins:
        now = included_now(session, edition).editions
        older = {n for n, one in included.editions.items() if n in now and now[n].number > one.number}
        newer = frozenset(inner.name for inner in included.library.all() if included.id_of(inner.name) in older)
    return SheetSeen(
        looked,
        included,
        drawn,
        tuple(checks(session, edition, drawn)),
        newer,
        *_next(session, actor, edition),
        None if rehearsal is None else rehearsed(session, actor, template, included, rehearsal, today),
    )


def _next(session: Session, actor: Actor, edition: Edition) -> tuple[str | None, str | None]:
    """What undoing and doing again come to next, in words."""
    if edition.state != "draft":
        return None, None
    elsewhere = windows_elsewhere(session, actor, edition.template_id)
    last, again = (next_edit(session, actor.id, edition.id, state, elsewhere) for state in ("done", "undone"))
    return last.text if last else None, again.text if again else None


def edit_sheet(
    session: Session,
    actor: Actor,
    template_id: int,
    edit: Callable[[Library], Callable[[Template], Template]],
    *,
    names_others: bool = False,
) -> None:
    """Make one edit of the draft.

    Parameters
    ----------
    edit : callable
        Gives the edit, with the templates that it may name: those included, or with ``names_others`` all open ones.
    """
    last = template_row(session, template_id).editions[-1]
    library = (all_released(session, actor, last) if names_others else included_by(session, last)).library
    edit_draft(session, actor, template_id, edit(library))


def see_draft(session: Session, actor: Actor, template_id: int) -> Template:
    """What somebody would change: the newest edition.

    Raises
    ------
    NotAllowed
        To those who may not change a draft.
    """
    row = template_row(session, template_id)
    check_may(row, actor, "change a draft")
    return template_of(row.editions[-1])


def take_back(session: Session, actor: Actor, template_id: int, *, again: bool = False) -> TakenBack:
    """Undo, or do ``again``; gives the edit's words, and why it was passed over, if it was."""
    return (redo if again else undo)(session, actor, template_id)


@dataclass(frozen=True, slots=True)
class News:
    """What others have changed since somebody last looked, in words; the sheet, if anything has.

    Parameters
    ----------
    undo, redo : str, optional
        The edit that each comes to next, in words: which it is changes too when another window is closed.
    """

    changes: tuple[str, ...]
    sheet: SheetSeen | None
    undo: str | None
    redo: str | None


def news(
    session: Session,
    actor: Actor,
    template_id: int,
    number: int,
    revision: int,
    today: dt.date,
    rehearsal: Rehearsal | None = None,
) -> News:
    """What has changed since edition ``number`` at its ``revision``."""
    edition = edition_of(session, actor, template_id)
    editor = seen(edition, actor).may("change a draft")
    newer = edition.number > number and editor
    undo, redo = _next(session, actor, edition)
    if not newer and not (edition.number == number and edition.revision != revision):
        return News((), None, undo, redo)
    edits = edits_since(session, edition, revision if edition.number == number else 0)
    told = [one for one in edits if (one.person_id, one.window) != (actor.id, actor.window)]
    you = "you, in another window"
    changes = tuple(f"{you if one.person_id == actor.id else one.who}: {one.text}" for one in told)
    return News(changes, _sheet(session, actor, edition, today, rehearsal), undo, redo)
