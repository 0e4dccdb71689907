"""Drafts: every edit is saved as it is made, and can be taken back by who made it.

An edit is kept as the difference that it made, so undoing takes back that and nothing else: what others have
changed meanwhile stays. Where they have changed the same thing, undoing says so and passes the edit over.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select, update
from sqlalchemy.orm import Session, joinedload

from unisequa.actions.access import check_may
from unisequa.actions.errors import NotThere, Refused, sentence
from unisequa.actions.history import LONGEST, note
from unisequa.actions.templates.shelf import check_open
from unisequa.core.design.comparison import Difference, applied, difference, turned
from unisequa.core.design.difference_words import summary, told
from unisequa.core.documents.checks import faults_in, may_wait
from unisequa.core.documents.template import Template
from unisequa.core.errors import Clash, EditError
from unisequa.store.documents import template_of
from unisequa.store.tables import Edition, Person, TemplateEdit, TemplateRow, now

MOST_SHOWN = 200


def template_row(session: Session, template_id: int) -> TemplateRow:
    """A template by id."""
    row = session.get(TemplateRow, template_id)
    if row is None:
        raise NotThere("This template does not exist, or is not open to you.")
    return row


def edit_draft(session: Session, actor: Person, template_id: int, edit: Callable[[Template], Template]) -> Edition:
    """Change a draft by an edit of its document; on a released template a new draft is opened first.

    Raises
    ------
    Refused
        With the field at fault; the draft stays as it was.
    """
    row = template_row(session, template_id)
    check_may(row, actor, "edit")
    last = row.editions[-1]
    before = template_of(last)
    try:
        edited = edit(before)
    except EditError as error:
        raise Refused({error.field: sentence(str(error))}) from error
    found = difference(before.written(), edited.written())
    if not found:
        return last
    check_open(session, actor, edited, before)
    draft = _draft(session, actor, row)
    session.execute(
        update(TemplateEdit)
        .where(TemplateEdit.edition_id == draft.id, TemplateEdit.person_id == actor.id, TemplateEdit.state == "undone")
        .values(state="dropped")
    )
    text = summary(told(found, before, edited))
    _keep(session, actor, draft, edited.written(), text, found)
    return draft


def _keep(
    session: Session,
    actor: Person,
    draft: Edition,
    document: dict[str, Any],
    text: str,
    found: Difference | None = None,
) -> None:
    draft.document, draft.revision = document, draft.revision + 1
    draft.changed_at, draft.changed_by_id = now(), actor.id
    draft.template.name, draft.template.category = document["name"], document.get("category", "")
    kept = found.model_dump(mode="json") if found else {}
    session.add(
        TemplateEdit(
            edition_id=draft.id,
            person_id=actor.id,
            revision=draft.revision,
            text=text[:LONGEST],
            difference=kept,
            state="done" if found else "dropped",
        )
    )
    session.flush()


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


@dataclass(frozen=True, slots=True)
class TakenBack:
    """What undoing or redoing came to: the edit's words, or why it was passed over and the draft is as it was."""

    text: str
    passed_over: str = ""


def undo(session: Session, actor: Person, template_id: int) -> TakenBack:
    """Take back the latest of one's own edits of the draft.

    Where somebody has since changed the same thing, the edit is passed over, so that the one before it is next.

    Raises
    ------
    Refused
        When there is nothing to take back.
    """
    return _back(session, actor, template_id, "done", "undone")


def redo(session: Session, actor: Person, template_id: int) -> TakenBack:
    """Do again the latest edit that was taken back."""
    return _back(session, actor, template_id, "undone", "done")


def _back(session: Session, actor: Person, template_id: int, state: str, to: str) -> TakenBack:
    row = template_row(session, template_id)
    check_may(row, actor, "edit")
    draft = row.editions[-1]
    edit = next_edit(session, actor, draft, state) if draft.state == "draft" else None
    if edit is None:
        raise Refused({"": "There is nothing to undo." if to == "undone" else "There is nothing to do again."})
    found = Difference.model_validate(edit.difference)
    try:
        document = applied(turned(found) if to == "undone" else found, draft.document)
        template = Template.model_validate(document)
        fits = all(may_wait(fault) for fault in faults_in(template))
    except (Clash, ValidationError):
        fits = False
    if not fits:
        edit.state = "dropped"
        others = select(TemplateEdit).where(TemplateEdit.edition_id == draft.id, TemplateEdit.id > edit.id)
        other = next((e for e in session.scalars(others.order_by(TemplateEdit.id)) if e.person_id != actor.id), None)
        who = other.person.name if other else "Another edit"
        return TakenBack(edit.text, f"{who} has since changed the same thing, so this is left as it is: {edit.text}")
    edit.state = to
    word = "undone" if to == "undone" else "done again"
    _keep(session, actor, draft, template.written(), f"{word}: {edit.text}")
    return TakenBack(edit.text)


def next_edit(session: Session, actor: Person, draft: Edition, state: str) -> TemplateEdit | None:
    """The edit of one's own that undoing (state ``done``) or redoing (``undone``) comes to next."""
    query = select(TemplateEdit).where(
        TemplateEdit.edition_id == draft.id, TemplateEdit.person_id == actor.id, TemplateEdit.state == state
    )
    order = TemplateEdit.id.desc() if state == "done" else TemplateEdit.id.asc()
    return session.scalars(query.order_by(order).limit(1)).first()


def edits_since(session: Session, draft: Edition, revision: int, most: int = MOST_SHOWN) -> list[TemplateEdit]:
    """The edits of a draft behind a revision, the earliest first."""
    query = select(TemplateEdit).where(TemplateEdit.edition_id == draft.id, TemplateEdit.revision > revision)
    return list(session.scalars(query.options(joinedload(TemplateEdit.person)).order_by(TemplateEdit.id).limit(most)))


def edits_of(session: Session, template_id: int, most: int = MOST_SHOWN) -> list[TemplateEdit]:
    """The latest edits of a template's drafts, the latest first."""
    query = select(TemplateEdit).join(Edition).where(Edition.template_id == template_id)
    return list(
        session.scalars(query.options(joinedload(TemplateEdit.person)).order_by(TemplateEdit.id.desc()).limit(most))
    )
