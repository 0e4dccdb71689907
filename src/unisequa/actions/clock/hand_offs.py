"""Hand-offs written: when something happens in runs of a template, or to a subject's record, what then follows."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from unisequa.actions.access import check_may, may
from unisequa.actions.clock.whom import answers_for
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.templates.seeing import newest_released, template_row
from unisequa.core.calendars.today import utc_of, zone_of
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.conditions import condition_words
from unisequa.core.documents.placeholders import condition_fault, text_fault
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.rule import OF_A_RUN, RECORD_FIELDS, HandOff
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, NotThere, Refused, Stale
from unisequa.store.documents import template_of
from unisequa.store.queries import clock as queries
from unisequa.store.queries.people import people_by_id
from unisequa.store.store import Session
from unisequa.store.tables import RuleRow, TemplateRow

HIDDEN = "This hand-off does not exist, or is of a template that is not open to you."
ELSEWHERE = "another template"
"""What one is called that may not be seen."""
STARTS = frozenset({"start", "within", "under"})


@dataclass(frozen=True, slots=True)
class HandOffDraft:
    """A hand-off as somebody writes it: of the runs of which template, starting which, and a :class:`HandOff`."""

    name: str
    of_template_id: int | None
    template_id: int | None
    document: Mapping[str, Any]
    keeper_id: int | None = None


@dataclass(frozen=True, slots=True)
class HandOffSeen:
    """A hand-off as one person sees it; ``sentence`` says what it does."""

    id: int
    name: str
    of_template_id: int | None
    of_template: str
    template_id: int | None
    template: str
    document: HandOff
    sentence: str
    state: str
    on_since: dt.datetime | None
    by: str
    keeper: str
    keeper_id: int | None
    stopped: str
    version: int
    may: bool
    started: int
    zone: dt.tzinfo


def see_hand_offs(session: Session, actor: Actor, today: dt.date) -> tuple[HandOffSeen, ...]:
    """The hand-offs of the templates that somebody may see."""
    rows = [row for row in queries.rules_seen_by(session, actor.id) if row.kind == "hand-off"]
    started = queries.started_by(session, [row.id for row in rows], actor.id)
    return tuple(_seen(row, actor, started.get(row.id, 0), today) for row in rows)


def see_hand_off(session: Session, actor: Actor, number: int, today: dt.date) -> HandOffSeen:
    """One hand-off."""
    row = _row(session, actor, number)
    return _seen(row, actor, queries.started_by(session, [row.id], actor.id).get(row.id, 0), today)


def _seen(row: RuleRow, actor: Actor, started: int, today: dt.date) -> HandOffSeen:
    document = HandOff.model_validate(row.document)
    names = _names(row, actor)
    source = _document_of(row.of_template) if names[0] != ELSEWHERE else None
    return HandOffSeen(
        row.id, row.name, row.of_template_id, names[0], row.template_id, names[1], document,
        sentence(document, source, *names), row.state, row.on_since,
        row.by.name, answers_for(row).name, row.keeper_id, row.stopped, row.version, _may(row, actor), started,
        zone_of(today),
    )  # fmt: skip


def _names(row: RuleRow, actor: Actor) -> tuple[str, str]:
    """What the two templates are called, as far as somebody may see them; nothing where there is none."""
    of, starts = (
        "" if one is None else one.name if may(one, actor, "see the template") else ELSEWHERE
        for one in (row.of_template, row.template)
    )
    return of, starts


def _document_of(row: TemplateRow | None) -> Template | None:
    edition = newest_released(row) if row is not None else None
    return template_of(edition) if edition is not None else None


def sentence(document: HandOff, source: Template | None, of_name: str, starts: str) -> str:
    """What a hand-off does, as a sentence.

    Parameters
    ----------
    source : Template, optional
        The template whose runs it listens to, where that may be seen.
    of_name, starts : str
        What that is called, and the template that it starts.
    """
    steps = {step.key: step.title for step in source.steps} if source else {}
    phases = {phase.key: phase.label for phase in source.phases} if source else {}
    of = f" of {of_name}" if of_name else ""
    event = document.event
    if event.startswith("task "):
        title = steps.get(document.task or "", document.task or "any task")
        what = f"{title} is {event.removeprefix('task ')}{of and f' in a run{of}'}"
    elif event.startswith("phase "):
        label = phases.get(document.phase or "", document.phase or "a phase")
        what = f"{label} {event.removeprefix('phase ')}{of and f' in a run{of}'}"
    elif event.startswith("run "):
        what = f"a run{of} is {event.removeprefix('run ')}"
    elif event == "record changes":
        what = f"{document.field or 'something'} of a record becomes {document.value or 'something else'}"
    elif event == "day":
        side = "before" if document.days < 0 else "after"
        far = f"{count_words(abs(document.days), 'working day')} {side} " if document.days else "the day of "
        what = f"it is {far}{_date_words(document.of, source)}{of and f' of a run{of}'}"
    else:
        what = "another program calls"
    only = ""
    if document.only_if:
        only = f", only if {condition_words(document.only_if, source) if source else document.only_if}"
    return f"When {what}{only}, {_then(document, source, starts)}."


def _date_words(text: str, source: Template | None) -> str:
    kind, _, name = text.rpartition(":")
    if kind == "record":
        return f"{name} of its subject"
    labels = {anchor.key: anchor.label for anchor in source.anchors} if source else {}
    return labels.get(name, name or "an anchor")


def _then(document: HandOff, source: Template | None, starts: str) -> str:
    if document.then == "message":
        roles = {role.key: role.label for role in source.roles} if source else {}
        return f"write to {roles.get(document.to, 'its keeper')}: “{document.subject}”"
    if document.then == "word":
        return "leave a word in it"
    name = starts or "nothing"
    if document.then == "within":
        return f"add {name} to that run"
    if document.then == "under":
        return f"add {name} under that task"
    kind, _, key = document.dated.partition(":")
    dated = {"day": "on that day", "due": "on its due day"}.get(kind) or f"on {_date_words(f'{kind}:{key}', source)}"
    return f"start {name} dated {dated}, {document.opened}"


def _may(row: RuleRow, actor: Actor) -> bool:
    own = row.of_template or row.template
    return may(own, actor, "change a draft") if own is not None else actor.administrator


def _row(session: Session, actor: Actor, number: int) -> RuleRow:
    row = queries.rule_by_id(session, number)
    if row is None or row.kind != "hand-off":
        raise NotThere(HIDDEN)
    seen = [one for one in (row.of_template, row.template) if one is not None]
    if not (any(may(one, actor, "see the template") for one in seen) or (not seen and actor.administrator)):
        raise NotThere(HIDDEN)
    return row


def _to_change(session: Session, actor: Actor, number: int, version: int | None = None) -> RuleRow:
    row = _row(session, actor, number)
    own = row.of_template or row.template
    if own is not None:
        check_may(own, actor, "change a draft")
    elif not actor.administrator:
        raise NotThere(HIDDEN)
    if version is not None and version != row.version:
        raise Stale(row.version)
    return row


def check_may_write_of(session: Session, actor: Actor, template_id: int) -> None:
    """Refuse whoever may not write hand-offs of a template's runs."""
    check_may(template_row(session, template_id), actor, "change a draft")


def save_hand_off(
    session: Session, actor: Actor, draft: HandOffDraft, number: int | None = None, version: int | None = None
) -> int:
    """Write a hand-off, or change one. Gives its id.

    Raises
    ------
    Refused
        A message for each field at fault.
    """
    row = _to_change(session, actor, number, version) if number is not None else None
    if draft.of_template_id is None and draft.template_id is None:
        raise Refused({"template": "Choose the template that it starts."})
    own = template_row(session, draft.of_template_id or draft.template_id or 0)
    check_may(own, actor, "change a draft")
    document = _checked(session, actor, draft)
    if not draft.name.strip():
        raise Refused({"name": "Give the hand-off a name."})
    keeper = people_by_id(session, {draft.keeper_id} if draft.keeper_id else set()).get(draft.keeper_id or 0)
    if draft.keeper_id and (keeper is None or not keeper.active):
        raise Refused({"keeper": "There is nobody with that number, or they have left; choose somebody in the list."})
    if row is None:
        row = RuleRow(kind="hand-off", by_id=actor.id, document={})
        session.add(row)
    row.name, row.keeper_id = draft.name.strip()[:200], keeper.id if keeper else None
    row.of_template_id = draft.of_template_id if document.event in OF_A_RUN else None
    row.template_id = draft.template_id if document.then in STARTS else None
    row.event = document.event
    row.document = {**document.written(), **({"secret": row.document["secret"]} if row.document.get("secret") else {})}
    session.flush()
    session.refresh(row)
    what = "written" if number is None else "changed"
    note(session, actor, f"rule {what}", f"Hand-off {row.name} {what}", template_id=own.id)
    session.flush()
    return row.id


def _checked(session: Session, actor: Actor, draft: HandOffDraft) -> HandOff:
    try:
        document = read_document(HandOff, dict(draft.document))
    except DocumentError as error:
        raise Refused({fault.path: fault.message[:1].upper() + fault.message[1:] for fault in error.faults}) from error
    faults: dict[str, str] = {}
    source = _released(session, actor, draft.of_template_id) if document.event in OF_A_RUN else None
    if document.event in OF_A_RUN and source is None:
        faults["event"] = "Choose of which template's runs it listens."
    if document.then in STARTS and (draft.template_id is None or _released(session, actor, draft.template_id) is None):
        faults["template"] = "Choose a template of which an edition is released."
    if document.event == "record changes" and not document.field.strip():
        faults["field"] = "Say which field: position, unit, manager, or the name of a date."
    if document.event == "day" and not document.of:
        faults["of"] = "Choose which date it counts from."
    if source is not None:
        names = frozenset({"subject", *(f.key for f in source.facts), *(a.key for a in source.anchors),
                           *(r.key for r in source.roles)})  # fmt: skip
        if document.only_if and (fault := condition_fault(document.only_if, names)):
            faults["only_if"] = fault
        for field, text in (("subject_line", document.subject), ("text", document.text)):
            if fault := text_fault(text, names):
                faults[field] = fault
        if document.task and all(step.key != document.task for step in source.steps):
            faults["thing"] = f"{source.name} has no step “{document.task}” any more."
        if document.phase and all(phase.key != document.phase for phase in source.phases):
            faults["thing"] = f"{source.name} has no phase “{document.phase}” any more."
    elif document.only_if and draft.template_id and (found := _released(session, actor, draft.template_id)) is not None:
        known = frozenset({"subject", *(fact.key for fact in found.facts)})
        known |= frozenset(RECORD_FIELDS) if document.event == "record changes" else frozenset()
        if fault := condition_fault(document.only_if, known):
            faults["only_if"] = fault
    if document.then in {"within", "under", "message", "word"} and document.event not in OF_A_RUN:
        faults["then"] = "Nothing of a run happens there; start a run of its own."
    if document.then == "under" and not document.event.startswith("task "):
        faults["then"] = "Only under a task to which something happens."
    if faults:
        raise Refused(faults)
    return document


def _released(session: Session, actor: Actor, template_id: int | None) -> Template | None:
    if template_id is None:
        return None
    row = template_row(session, template_id)
    check_may(row, actor, "see the template")
    edition = newest_released(row)
    return (
        Startable(session, actor, template_id, edition.number, dt.date.today(), edition).template if edition else None
    )


def source_of(session: Session, actor: Actor, template_id: int) -> Template:
    """The edition whose runs a hand-off listens to.

    Raises
    ------
    NotThere
    """
    found = _released(session, actor, template_id)
    if found is None:
        raise NotThere("This template has no released edition yet, so it has no runs; release one first.")
    return found


def switch_hand_off(
    session: Session, actor: Actor, number: int, today: dt.date, *, on: bool, version: int | None = None
) -> str:
    """Switch a hand-off on, so that from now on it acts with the rights of whoever does, or off. For one that waits for
    a call, gives its secret, which is shown this once."""
    row = _to_change(session, actor, number, version)
    secret = ""
    if on:
        if row.template is not None:
            check_may(row.template, actor, "start a run")
        row.on_since, row.by_id, row.stopped = utc_of(today), actor.id, ""
        if row.event == "call" and not row.document.get("secret"):
            secret = secrets.token_urlsafe(24)
            row.document = {**row.document, "secret": hashlib.sha256(secret.encode()).hexdigest()}
    row.state = "on" if on else "off"
    own = row.of_template_id or row.template_id
    note(session, actor, "rule switched", f"Hand-off {row.name} is {row.state}", template_id=own)
    session.flush()
    return secret


def delete_hand_off(session: Session, actor: Actor, number: int) -> str:
    """Delete a hand-off; the runs that it started stay. Gives its name."""
    row = _to_change(session, actor, number)
    name, own = row.name, row.of_template_id or row.template_id
    note(session, actor, "rule deleted", f"Hand-off {name} is deleted", template_id=own)
    queries.forget_rule(session, row)
    return name
