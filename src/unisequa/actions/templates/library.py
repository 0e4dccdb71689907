"""Templates: the library, and writing one down."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from unisequa.actions.access import may
from unisequa.actions.errors import Refused
from unisequa.actions.history import note
from unisequa.actions.templates.editions import edition_of
from unisequa.actions.templates.shelf import check_open
from unisequa.core.documents.template import Anchor, Template
from unisequa.store.documents import template_of
from unisequa.store.tables import Edition, Person, Run, TemplateRow, now


@dataclass(frozen=True, slots=True)
class LibraryEntry:
    """A template as the library lists it: its newest edition that may be started, or else its draft."""

    row: TemplateRow
    edition: Edition
    template: Template
    started: int
    has_draft: bool


@dataclass(frozen=True, slots=True)
class Search:
    """What the library is searched by: words in names, purposes and owners; a category, an owner, a state."""

    text: str = ""
    category: str = ""
    owner: int = 0
    state: str = ""


def library(session: Session, actor: Person, search: Search | None = None) -> list[LibraryEntry]:
    """The templates this person may see, by category and name."""
    search = search or Search()
    query = select(TemplateRow).options(
        joinedload(TemplateRow.owner), selectinload(TemplateRow.editions), selectinload(TemplateRow.rights)
    )
    counts = select(Edition.template_id, func.count(Run.id)).join(Run, Run.edition_id == Edition.id)
    rows = session.execute(counts.group_by(Edition.template_id)).all()
    started = {row[0]: row[1] for row in rows}
    found = []
    for row in session.scalars(query.order_by(TemplateRow.category, func.lower(TemplateRow.name))):
        edition = shown_edition(row, actor)
        if edition is None or (search.category and row.category != search.category):
            continue
        editor = may(row, actor, "edit")
        has_draft = editor and row.editions[-1].state == "draft"
        states = {edition.state} | ({"draft"} if has_draft else set())
        if (search.owner and row.owner_id != search.owner) or (search.state and search.state not in states):
            continue
        template = template_of(edition)
        haystack = f"{template.name} {template.category} {template.purpose} {row.owner.name}".lower()
        if all(word in haystack for word in search.text.lower().split()):
            found.append(LibraryEntry(row, edition, template, started.get(row.id, 0), has_draft))
    return found


def shown_edition(row: TemplateRow, actor: Person) -> Edition | None:
    """The newest released edition, else the newest retired; a draft only for its editors, when it is the first."""
    if not may(row, actor, "look"):
        return None
    for state in ("released", "retired"):
        found = [edition for edition in row.editions if edition.state == state]
        if found:
            return found[-1]
    return row.editions[-1] if row.editions and may(row, actor, "edit") else None


def categories(session: Session) -> list[str]:
    """The categories in use."""
    return sorted(set(session.scalars(select(TemplateRow.category).where(TemplateRow.category != ""))))


def create_template(session: Session, actor: Person, name: str, category: str = "") -> Edition:
    """A new template with an empty draft and one required anchor."""
    try:
        template = Template(name=name, category=category.strip(), anchors=(Anchor(key="start", label="Start"),))
    except ValidationError:
        raise Refused({"name": "A template needs a name of up to 200 characters."}) from None
    return keep_template(session, actor, template)


def keep_template(
    session: Session,
    actor: Person,
    template: Template,
    *,
    released: bool = False,
    said: str = "",
    like: Template | None = None,
) -> Edition:
    """Keep a document as a new template's first edition; ``said`` tells where it comes from, ``like`` what it copies.

    Raises
    ------
    Refused
        When it names a template that is not open to its author.
    """
    check_open(session, actor, template, like)
    row = TemplateRow(name=template.name, category=template.category, owner_id=actor.id, editions=[], rights=[])
    session.add(row)
    session.flush()
    edition = Edition(
        number=1,
        document=template.written(),
        changed_by_id=actor.id,
        state="released" if released else "draft",
        released_at=now() if released else None,
    )
    row.editions.append(edition)
    note(session, actor, "template written", said or f"{template.name} begun", template_id=row.id)
    session.flush()
    return edition


def duplicate(session: Session, actor: Person, template_id: int, number: int | None = None) -> Edition:
    """A copy as a draft of one's own."""
    edition = edition_of(session, actor, template_id, number)
    template = template_of(edition)
    name = f"{template.name}, a copy"[:200]
    copy = Template.model_validate({**template.written(), "name": name})
    return keep_template(
        session, actor, copy, said=f"copied from {template.name}, edition {edition.number}", like=template
    )
