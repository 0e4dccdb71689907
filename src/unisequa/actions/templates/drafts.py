"""Drafts: every edit is saved as it is made, and can be taken back by who made it.

An edit is kept as the difference that it made, so undoing takes back that and nothing else: what others have
changed meanwhile stays. Where they have changed the same thing, undoing says so and passes the edit over.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from pydantic import ValidationError

from unisequa.actions.access import check_may
from unisequa.actions.history import LONGEST, Happened, note
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.held import at_work, windows_elsewhere
from unisequa.actions.templates.naming import check_name
from unisequa.actions.templates.seeing import template_row
from unisequa.core.calendars.words import as_sentence
from unisequa.core.design.comparison import Difference, applied, difference, turned
from unisequa.core.design.difference_words import summary, told
from unisequa.core.documents.checks import faults_in, may_wait
from unisequa.core.documents.template import Template
from unisequa.core.errors import Clash, EditError, Refused
from unisequa.store.documents import keep_document, template_of
from unisequa.store.meanings import settle, settle_files
from unisequa.store.queries import templates as queries
from unisequa.store.store import Session
from unisequa.store.tables import Edition, TemplateEdit, TemplateRow, now

MOST_SHOWN = 200


def edit_draft(session: Session, actor: Actor, template_id: int, edit: Callable[[Template], Template]) -> Edition:
    """Change a draft by an edit of its document; on a released template a new draft is opened first.

    Raises
    ------
    Refused
        With the field at fault; the draft stays as it was.
    """
    row = template_row(session, template_id)
    check_may(row, actor, "change a draft")
    last = row.editions[-1]
    before = template_of(last)
    try:
        edited = edit(before)
    except EditError as error:
        raise Refused({error.field: as_sentence(str(error))}) from error
    made = difference(before.written(), edited.written())
    if not made:
        return last
    check_name(session, actor, edited.name, row, before.name)
    draft = _draft(session, actor, row)
    queries.drop_undone(session, actor.id, draft.id, actor.window)
    text = summary(told(made, before, edited))
    _keep(session, actor, draft, edited, text, made)
    return draft


def _keep(
    session: Session,
    actor: Actor,
    draft: Edition,
    template: Template,
    text: str,
    made: Difference | None = None,
) -> None:
    settle(session, draft, template, actor.id, reversed(draft.template.editions))
    settle_files(session, draft.template_id, template, actor.id)
    keep_document(draft, template)
    draft.revision += 1
    draft.changed_at, draft.changed_by_id = now(), actor.id
    draft.template.name, draft.template.category = template.name, template.category
    kept = made.model_dump(mode="json") if made else {}
    session.add(
        TemplateEdit(
            edition_id=draft.id,
            person_id=actor.id,
            revision=draft.revision,
            text=text[:LONGEST],
            difference=kept,
            state="done" if made else "dropped",
            window=actor.window,
        )
    )
    if actor.window:
        at_work(session, actor, draft.template_id)
    session.flush()


def _draft(session: Session, actor: Actor, row: TemplateRow) -> Edition:
    last = row.editions[-1]
    if last.state == "draft":
        return last
    draft = Edition(template_id=row.id, number=last.number + 1, changed_by_id=actor.id, state="draft", revision=1)
    draft.meant, draft.unmet = dict(last.meant), dict(last.unmet)
    keep_document(draft, template_of(last))
    row.editions.append(draft)
    session.flush()
    note(session, actor, "draft opened", f"edition {draft.number} begun from {last.number}", template_id=row.id)
    return draft


@dataclass(frozen=True, slots=True)
class TakenBack:
    """What undoing or redoing came to: the edit's words, or why it was passed over and the draft is as it was."""

    text: str
    passed_over: str = ""


def undo(session: Session, actor: Actor, template_id: int) -> TakenBack:
    """Take back the latest of one's own edits of the draft.

    Where somebody has since changed the same thing, the edit is passed over, so that the one before it is next.

    Raises
    ------
    Refused
        When there is nothing to take back.
    """
    return _back(session, actor, template_id, "done", "undone")


def redo(session: Session, actor: Actor, template_id: int) -> TakenBack:
    """Do again the latest edit that was taken back."""
    return _back(session, actor, template_id, "undone", "done")


def _back(session: Session, actor: Actor, template_id: int, state: str, to: str) -> TakenBack:
    row = template_row(session, template_id)
    check_may(row, actor, "change a draft")
    draft = row.editions[-1]
    elsewhere = windows_elsewhere(session, actor, template_id)
    edit = queries.next_edit(session, actor.id, draft.id, state, elsewhere) if draft.state == "draft" else None
    if edit is None:
        raise Refused({"": "There is nothing to undo." if to == "undone" else "There is nothing to do again."})
    made = Difference.model_validate(edit.difference)
    try:
        document = applied(turned(made) if to == "undone" else made, draft.document)
        template = Template.model_validate(document)
        fits = all(may_wait(fault) for fault in faults_in(template))
    except (Clash, ValidationError):
        fits = False
    if not fits:
        edit.state = "dropped"
        other = queries.edit_by_another(session, actor.id, draft.id, edit.id)
        who = other.person.name if other else "Another edit"
        return TakenBack(edit.text, f"{who} has since changed the same thing, so this is left as it is: {edit.text}")
    edit.state = to
    word = "undone" if to == "undone" else "done again"
    _keep(session, actor, draft, template, f"{word}: {edit.text}")
    return TakenBack(edit.text)


@dataclass(frozen=True, slots=True)
class EditMade:
    """An edit of a draft that somebody made."""

    who: str
    person_id: int
    text: str
    window: str = ""


def edits_since(session: Session, edition: Edition, revision: int) -> tuple[EditMade, ...]:
    """The edits of a draft behind a revision, the earliest first."""
    rows = queries.edits_since(session, edition.id, revision, MOST_SHOWN)
    return tuple(EditMade(row.person.name, row.person_id, row.text, row.window) for row in rows)


def edits_of(session: Session, template_id: int) -> tuple[Happened, ...]:
    """The latest edits of a template's drafts, the latest first."""
    return tuple(
        Happened(row.at, row.person.name, row.text, (1, row.id), row.state == "undone")
        for row in queries.edits_of(session, template_id, MOST_SHOWN)
    )
