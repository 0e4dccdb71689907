"""Templates and their editions: writing one, changing a draft, releasing it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from unisequa.actions.errors import NotAllowed, NotThere, Refused
from unisequa.actions.history import note
from unisequa.actions.runs import not_startable
from unisequa.core.checks import faults_in
from unisequa.core.document import Anchor, Template
from unisequa.core.editing import EditError
from unisequa.core.words import count_words
from unisequa.store.models import Edition, Person, Run, TemplateRow, now
from unisequa.store.plans import template_of


@dataclass(frozen=True, slots=True)
class LibraryEntry:
    """A template as the library lists it: its newest edition that may be started, or else its draft."""

    row: TemplateRow
    edition: Edition
    template: Template
    started: int
    has_draft: bool


def library(session: Session, actor: Person, text: str = "", category: str = "") -> list[LibraryEntry]:
    """The templates this person may see, by category and name; ``text`` is looked for in names and purposes."""
    query = select(TemplateRow).options(joinedload(TemplateRow.owner), selectinload(TemplateRow.editions))
    counts = select(Edition.template_id, func.count(Run.id)).join(Run, Run.edition_id == Edition.id)
    rows = session.execute(counts.group_by(Edition.template_id)).all()
    started = {row[0]: row[1] for row in rows}
    found = []
    for row in session.scalars(query.order_by(TemplateRow.category, TemplateRow.name)):
        edition = shown_edition(row, actor)
        if edition is None or (category and row.category != category):
            continue
        template = template_of(edition)
        haystack = f"{template.name} {template.category} {template.purpose} {row.owner.name}".lower()
        if all(word in haystack for word in text.lower().split()):
            drafts = any(e.state == "draft" for e in row.editions)
            found.append(LibraryEntry(row, edition, template, started.get(row.id, 0), drafts))
    return found


def shown_edition(row: TemplateRow, actor: Person) -> Edition | None:
    """The newest released edition; a draft only for its owner, when nothing is released yet."""
    released = [edition for edition in row.editions if edition.state == "released"]
    if released:
        return released[-1]
    return row.editions[-1] if row.editions and row.owner_id == actor.id else None


def categories(session: Session) -> list[str]:
    """The categories in use."""
    return sorted(set(session.scalars(select(TemplateRow.category).where(TemplateRow.category != ""))))


def template_row(session: Session, template_id: int) -> TemplateRow:
    """A template by id."""
    row = session.get(TemplateRow, template_id)
    if row is None:
        raise NotThere("This template does not exist.")
    return row


def edition_of(session: Session, actor: Person, template_id: int, number: int | None = None) -> Edition:
    """One edition; without a number the owner's draft, or else the newest released."""
    row = template_row(session, template_id)
    drafts = [e for e in row.editions if e.state == "draft"]
    if number is not None:
        chosen = next((e for e in row.editions if e.number == number), None)
    else:
        chosen = drafts[-1] if drafts and row.owner_id == actor.id else shown_edition(row, actor)
    if chosen is None or (chosen.state == "draft" and row.owner_id != actor.id):
        raise NotThere("This edition does not exist, or is a draft that only its owner sees.")
    return chosen


def create_template(session: Session, actor: Person, name: str, category: str = "") -> Edition:
    """A new template with an empty draft and one required anchor."""
    from pydantic import ValidationError

    try:
        template = Template(name=name, category=category.strip(), anchors=(Anchor(key="start", label="Start"),))
    except ValidationError:
        raise Refused({"name": "A template needs a name of up to 200 characters."}) from None
    return keep_template(session, actor, template)


def keep_template(session: Session, actor: Person, template: Template, *, released: bool = False) -> Edition:
    """Keep a document as a new template's first edition."""
    row = TemplateRow(name=template.name, category=template.category, owner_id=actor.id)
    session.add(row)
    session.flush()
    edition = Edition(
        template_id=row.id,
        number=1,
        document=template.written(),
        changed_by_id=actor.id,
        state="released" if released else "draft",
        released_at=now() if released else None,
    )
    session.add(edition)
    note(session, actor, "template written", f"{template.name} begun", template_id=row.id)
    session.flush()
    return edition


def edit_draft(
    session: Session, actor: Person, template_id: int, edit: Callable[[Template], Template], what: str
) -> Edition:
    """Change a draft by an edit of its document; on a released template a new draft is opened first.

    Raises
    ------
    Refused
        With the field at fault; the draft stays as it was.
    """
    row = template_row(session, template_id)
    if row.owner_id != actor.id:
        raise NotAllowed(f"Only {row.owner.name}, who owns this template, changes it.")
    draft = _draft(session, actor, row)
    try:
        edited = edit(template_of(draft))
    except EditError as error:
        raise Refused({error.field: _sentence(str(error))}) from error
    document = edited.written()
    if document == draft.document:
        return draft
    draft.document, draft.revision = document, draft.revision + 1
    draft.changed_at, draft.changed_by_id = now(), actor.id
    row.name, row.category = edited.name, edited.category
    note(session, actor, "template changed", what, template_id=row.id)
    return draft


def _draft(session: Session, actor: Person, row: TemplateRow) -> Edition:
    last = row.editions[-1]
    if last.state == "draft":
        return last
    draft = Edition(
        template_id=row.id, number=last.number + 1, document=dict(last.document), changed_by_id=actor.id, state="draft"
    )
    row.editions.append(draft)
    session.flush()
    note(session, actor, "draft opened", f"edition {draft.number} begun from {last.number}", template_id=row.id)
    return draft


def faults_before_release(template: Template) -> list[str]:
    """What must be mended before others can start it."""
    faults = [str(fault) for fault in (*faults_in(template), *not_startable(template))]
    if not template.steps:
        faults.append("It has no steps yet; add the first one")
    if not template.anchors:
        faults.append("It has no anchor to measure from; add one")
    return faults


def release(session: Session, actor: Person, template_id: int, text: str = "") -> Edition:
    """Release the draft: from now on it never changes, and others can start it."""
    row = template_row(session, template_id)
    if row.owner_id != actor.id:
        raise NotAllowed(f"Only {row.owner.name}, who owns this template, releases it.")
    draft = row.editions[-1]
    if draft.state != "draft":
        raise Refused({"": "There is no draft to release."})
    faults = faults_before_release(template_of(draft))
    if faults:
        raise Refused({"release": _sentence(faults[0])})
    draft.state, draft.released_at, draft.note = "released", now(), text.strip()[:2000]
    steps = count_words(len(draft.document.get("steps", [])), "step")
    note(session, actor, "released", f"edition {draft.number} released with {steps}", template_id=row.id)
    return draft


def discard_draft(session: Session, actor: Person, template_id: int) -> None:
    """Throw a draft away; the released edition before it stays."""
    row = template_row(session, template_id)
    if row.owner_id != actor.id:
        raise NotAllowed(f"Only {row.owner.name}, who owns this template, discards its draft.")
    draft = row.editions[-1]
    if draft.state != "draft" or len(row.editions) == 1:
        raise Refused({"": "There is no draft beside a released edition to discard."})
    if session.scalar(select(func.count(Run.id)).where(Run.edition_id == draft.id)):
        raise Refused({"": "A run was started from this draft; release it or keep it."})
    note(session, actor, "draft discarded", f"edition {draft.number} discarded", template_id=row.id)
    row.editions.remove(draft)
    session.delete(draft)
    before = template_of(row.editions[-1])
    row.name, row.category = before.name, before.category


def _sentence(text: str) -> str:
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "!", "?")) else text + "."
