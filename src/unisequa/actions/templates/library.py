"""Templates: the library, and writing one down."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from pydantic import ValidationError

from unisequa.actions.access import HIDDEN, may
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.included import included_by, included_now
from unisequa.actions.templates.naming import check_name, free_name
from unisequa.actions.templates.seeing import EditionSeen, edition_of, seen, template_row
from unisequa.core.calendars.words import as_sentence
from unisequa.core.design.outline import outline
from unisequa.core.design.parts import anchors_named
from unisequa.core.documents.includes import laid_open
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, EditError, NotThere, Refused
from unisequa.store.documents import keep_document, template_of
from unisequa.store.meanings import settle, settle_files
from unisequa.store.queries import templates as queries
from unisequa.store.queries.rules import rules_that_start
from unisequa.store.queries.runs import started_by
from unisequa.store.queries.subjects import kinds_there_are
from unisequa.store.store import Session
from unisequa.store.tables import Edition, TemplateRow, now


@dataclass(frozen=True, slots=True)
class LibraryEntry:
    """A template as the library lists it: its newest edition that may be started, or else its draft.

    ``days`` is its length in working days; ``steps`` and ``days`` count what it includes too.
    """

    id: int
    name: str
    category: str
    purpose: str
    owner: str
    owner_id: int
    edition: int
    state: str
    changed_at: dt.datetime
    steps: int
    days: int
    started: int
    has_draft: bool
    startable: bool
    editable: bool
    open_to: str
    tags: tuple[str, ...]
    usual_for: str
    messages: int
    rules: int


@dataclass(frozen=True, slots=True)
class Search:
    """What the library is searched by: words in names, purposes, tags, owners; a category, an owner, a state, a tag."""

    text: str = ""
    category: str = ""
    owner: int = 0
    state: str = ""
    tag: str = ""

    def finds(self, row: TemplateRow, edition: Edition, has_draft: bool) -> bool:
        """Whether a template is among what is searched for."""
        states = {edition.state} | ({"draft"} if has_draft else set())
        if self.category and row.category != self.category:
            return False
        if (self.owner and row.owner_id != self.owner) or (self.state and self.state not in states):
            return False
        if self.tag and self.tag.casefold() not in {tag.casefold() for tag in edition.tags}:
            return False
        haystack = f"{edition.name} {row.category} {edition.purpose} {row.owner.name} {' '.join(edition.tags)}".lower()
        return all(word in haystack for word in self.text.lower().split())


@dataclass(frozen=True, slots=True)
class Library:
    """The templates that somebody may see and that were searched for; ``any_at_all`` whether they may see any."""

    entries: tuple[LibraryEntry, ...]
    categories: tuple[str, ...]
    tags: tuple[str, ...]
    owners: tuple[tuple[int, str], ...]
    any_at_all: bool


def library(session: Session, actor: Actor, search: Search | None = None) -> Library:
    """The templates this person may see, by category and name."""
    search = search or Search()
    rows = [
        (row, edition, may(row, actor, "change a draft") and row.editions[-1].state == "draft")
        for row in queries.templates_open_to(session, actor.id)
        if (edition := _shown(row, actor)) is not None and not _of_nothing(row)
    ]
    chosen = [one for one in rows if search.finds(*one)]
    started = started_by(session, actor.id, templates=[row.id for row, _, _ in chosen])
    rules = rules_that_start(session, {row.id for row, _, _ in chosen})
    entries = tuple(
        _entry(session, row, edition, has_draft, actor, (started.get(row.id, 0), rules.get(row.id, 0)))
        for row, edition, has_draft in chosen
    )
    owners = {row.owner_id: row.owner.name for row, _, _ in rows}
    return Library(
        entries,
        tuple(sorted({row.category for row, _, _ in rows if row.category})),
        tuple(sorted({tag for _, edition, _ in rows for tag in edition.tags})),
        tuple(sorted(owners.items(), key=lambda pair: pair[1])),
        bool(rows),
    )


def _of_nothing(row: TemplateRow) -> bool:
    """Whether it is only what a run from nothing stands on: released without a step, and left so."""
    first = row.editions[0]
    return len(row.editions) == 1 and first.state == "released" and not (first.steps or first.includes)


def _entry(
    session: Session, row: TemplateRow, edition: Edition, has_draft: bool, actor: Actor, counts: tuple[int, int]
) -> LibraryEntry:
    steps, days = edition.steps, edition.days or 0
    if edition.includes:
        template, inside = template_of(edition), included_now(session, edition).library
        days = outline(template, inside).length
        try:
            steps = len(laid_open(template, inside).steps)
        except DocumentError:
            steps = edition.steps
    return LibraryEntry(
        id=row.id,
        name=edition.name,
        category=row.category,
        purpose=edition.purpose,
        owner=row.owner.name,
        owner_id=row.owner_id,
        edition=edition.number,
        state=edition.state,
        changed_at=edition.changed_at,
        steps=steps,
        days=days,
        started=counts[0],
        has_draft=has_draft,
        startable=edition.state == "released" and may(row, actor, "start a run"),
        editable=may(row, actor, "change a draft"),
        open_to=row.open_to,
        tags=tuple(edition.tags),
        usual_for=edition.usual_for,
        messages=edition.messages,
        rules=counts[1],
    )


def _shown(row: TemplateRow, actor: Actor) -> Edition | None:
    """The newest released edition, else the newest retired; a draft only for its editors, when it is the first."""
    for state in ("released", "retired"):
        editions = [edition for edition in row.editions if edition.state == state]
        if editions:
            return editions[-1]
    return row.editions[-1] if row.editions and may(row, actor, "change a draft") else None


def shown_template(session: Session, actor: Actor, template_id: int) -> EditionSeen:
    """The edition of a template that the library lists."""
    row = template_row(session, template_id)
    edition = _shown(row, actor) if may(row, actor, "see the template") else None
    if edition is None:
        raise NotThere(HIDDEN)
    return seen(edition, actor)


def may_edit(session: Session, actor: Actor) -> tuple[tuple[int, str], ...]:
    """The templates that somebody may edit, by name as the library has them."""
    return tuple((one.id, one.name) for one in library(session, actor).entries if one.editable)


def create_template(session: Session, actor: Actor, name: str, category: str = "", anchors: str = "") -> int:
    """A new template with an empty draft and its anchors by their names, the first of them required."""
    try:
        template = Template(name=name, category=category.strip(), anchors=anchors_named(anchors))
    except EditError as error:
        raise Refused({"anchors": as_sentence(str(error))}) from None
    except ValidationError:
        raise Refused({"name": "A template needs a name of up to 200 characters."}) from None
    check_name(session, actor, template.name)
    return keep_template(session, actor, template).template_id


def keep_template(
    session: Session,
    actor: Actor,
    template: Template,
    *,
    released: bool = False,
    said: str = "",
    like: Edition | None = None,
) -> Edition:
    """Keep a document as a new template's first edition, under a name that its author sees no other template have.

    Parameters
    ----------
    said : str
        Where it comes from.
    like : Edition, optional
        What it copies; the names of other templates in it mean what they mean there.
    """
    name = free_name(session, actor, template.name)
    if name != template.name:
        template = template.model_copy(update={"name": name})
    row = TemplateRow(name=template.name, category=template.category, owner_id=actor.id, editions=[], rights=[])
    session.add(row)
    session.flush()
    edition = Edition(
        number=1,
        revision=1,
        changed_by_id=actor.id,
        state="released" if released else "draft",
        released_at=now() if released else None,
    )
    settle(session, edition, template, actor.id, [like] if like else ())
    keep_document(edition, template)
    row.editions.append(edition)
    settle_files(session, row.id, template, actor.id)
    session.flush()
    edition.pins = included_by(session, edition).pins(template) if released else None
    note(session, actor, "template written", said or f"{template.name} begun", template_id=row.id)
    session.flush()
    return edition


def startable_names(session: Session, actor: Actor) -> list[tuple[int, str]]:
    """Id and name of the released templates that somebody may start, by name."""
    return [(number, name) for number, name, _ in queries.startable_templates(session, actor.id)]


def usual_for(session: Session, actor: Actor, kind: str) -> list[tuple[int, str, str]]:
    """The templates that are usual for a kind of subject, or for any where none is said: id, name, the kind."""
    found = queries.usual_templates(session, actor.id)
    return [one for one in found if not kind or one[2].casefold() == kind.casefold()]


def kinds_of_subjects(session: Session, actor: Actor) -> list[str]:
    """The kinds of subjects that templates are usual for, or that records have, as one may choose among them."""
    usual = {kind for _, _, kind in queries.usual_templates(session, actor.id)}
    known = {kind.casefold(): kind for kind in sorted(usual | kinds_there_are(session))}
    return sorted(known.values(), key=str.casefold)


def duplicate(session: Session, actor: Actor, template_id: int, number: int | None = None) -> int:
    """A copy as a draft of one's own."""
    edition = edition_of(session, actor, template_id, number)
    template = template_of(edition)
    name = f"{template.name}, a copy"[:200]
    copy = Template.model_validate({**template.written(), "name": name})
    return keep_template(
        session, actor, copy, said=f"copied from {template.name}, edition {edition.number}", like=edition
    ).template_id
