"""Hand-offs carried out: a template started from what happened, with what is carried over by name."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from unisequa.actions.access import may
from unisequa.actions.clock.step_messages import address_of
from unisequa.actions.clock.whom import answers_for
from unisequa.actions.due import HeldBack
from unisequa.actions.mail import Mail, post_mail
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import as_actor
from unisequa.actions.runs.own import Place
from unisequa.actions.runs.talking import write_comment
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.creating import start_wanted
from unisequa.actions.starting.into_run import add_template
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.subjects import as_seen, date_of
from unisequa.actions.templates.seeing import newest_released
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.placeholders import fill_in, holds
from unisequa.core.documents.rule import RECORD_FIELDS, HandOff
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, Refused
from unisequa.core.plan.facts import read_facts
from unisequa.store.documents import template_of
from unisequa.store.lists import anchor_days
from unisequa.store.of_run import template_of_run
from unisequa.store.queries.clock import rule_by_id
from unisequa.store.queries.people import people_by_id
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.subjects import subject_by_id
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, RuleRow, Run, Subject


@dataclass(frozen=True, slots=True)
class _Cause:
    """What happened: in which run, to which subject, with what was sent."""

    run: Run | None
    subject: Subject | None
    content: Mapping[str, Any]

    @property
    def about(self) -> str:
        """The name of the subject, if there is one; a call may name its own."""
        if self.run is not None:
            return self.run.subject
        return self.subject.name if self.subject is not None else " ".join(str(self.sent.get("subject", "")).split())

    @property
    def sent(self) -> Mapping[str, Any]:
        """What a call brought that is a fact or a date: plain values by their names."""
        found = self.content.get("sent") or {}
        return {key: value for key, value in found.items() if isinstance(value, str | int | float)}

    @property
    def of_run(self) -> str:
        """The name of the run, if it happened in one."""
        return self.run.name if self.run is not None else "no run"

    @property
    def chain(self) -> list[list[Any]]:
        """Which rules brought it about, each with the subject."""
        return list((self.run.origin or {}).get("chain", ())) if self.run is not None else []


def hand_off(session: Session, row: DueRow, today: dt.date) -> str:
    """Carry a hand-off out.

    Raises
    ------
    HeldBack, Refused, DocumentError
    """
    rule = rule_by_id(session, row.rule_id or 0)
    if rule is None or rule.state != "on":
        raise HeldBack("The rule was switched off before.")
    document = HandOff.model_validate(rule.document)
    cause = _cause_of(session, row)
    if not _holds(document, cause, rule):
        raise HeldBack(f"Only if {document.only_if}, which does not hold.")
    if not rule.by.active or (rule.template is not None and not may(rule.template, as_actor(rule.by), "start a run")):
        rule.state, rule.stopped = "stopped", f"{rule.by.name}, who switched it on, may no longer do what it does."
        for person in {one.id: one for one in (rule.by, answers_for(rule))}.values():
            word = Word(f"stopped:{rule.id}:{rule.version}", "keeper", f"{rule.name} has stopped: {rule.stopped}",
                        path=f"/by-itself/hand-offs/{rule.id}")  # fmt: skip
            tell(session, person, word)
        return f"Nothing was done; the rule has stopped: {rule.stopped}"
    if document.then in {"message", "word"}:
        return _said(session, row, rule, document, cause)
    before = sum(1 for one in cause.chain if list(one) == [rule.id, cause.about])
    if before > document.depth:
        word = Word(row.key, "keeper", f"{rule.name} goes in a circle, and was stopped here", "", row.run_id)
        tell(session, answers_for(rule), word)
        raise HeldBack(
            f"It goes in a circle: the same rule has brought this about {count_words(before, 'time')} already."
        )
    if document.then in {"within", "under"}:
        return _within(session, row, rule, document, cause, today)
    return _started(session, row, rule, document, cause, today)


def _cause_of(session: Session, row: DueRow) -> _Cause:
    run = run_by_id(session, row.run_id) if row.run_id is not None else None
    number = row.content.get("subject") or (run.subject_id if run is not None else None)
    return _Cause(run, subject_by_id(session, number) if number else None, row.content)


def _holds(document: HandOff, cause: _Cause, rule: RuleRow) -> bool:
    if not document.only_if.strip():
        return True
    values: dict[str, Any] = {"subject": cause.about}
    if cause.run is not None:
        values |= {**cause.run.facts, **anchor_days(cause.run)}
    else:  # as far as they are known: what was sent, and the record
        edition = newest_released(rule.template) if rule.template is not None else None
        values |= read_facts(template_of(edition), cause.sent)[0] if edition is not None else {}
        values |= {name: getattr(cause.subject, name) for name in RECORD_FIELDS} if cause.subject is not None else {}
    try:
        return holds(document.only_if, values)
    except ValueError as error:
        raise Refused({"only_if": f"Its condition cannot be worked out: {error}."}) from error


def _date(document: HandOff, cause: _Cause) -> dt.date:
    """The date of what happened, as the rule wants it.

    Raises
    ------
    Refused
        Where it is not known.
    """
    kind, _, name = document.dated.partition(":")
    found: object = None
    if kind == "day":
        found = cause.content.get("day")
    elif kind == "due":
        found = cause.content.get("due")
    elif kind == "anchor" and cause.run is not None:
        found = cause.run.anchors.get(name)
    elif kind == "record" and cause.subject is not None:
        found = date_of(as_seen(cause.subject).dates, name)
    elif kind == "call":
        found = cause.sent.get(name)
    if isinstance(found, dt.date):
        return found
    try:
        return dt.date.fromisoformat(str(found)[:10])
    except ValueError:
        what = {"due": "the task's due day", "anchor": f"the date {name}", "record": f"the date {name} of the record"}
        raise Refused({"dated": f"It has no date: {what.get(kind, name or kind)} is not known."}) from None


def _started(session: Session, row: DueRow, rule: RuleRow, document: HandOff, cause: _Cause, today: dt.date) -> str:
    edition = newest_released(rule.template) if rule.template is not None else None
    if edition is None or rule.template is None:
        raise Refused({"template": "Its template has no released edition."})
    by, keeper = as_actor(rule.by), answers_for(rule)
    on = Startable(session, by, rule.template.id, edition.number, today, edition)
    choices = _choices(session, on, document, cause, keeper.id)
    missing = ""
    try:
        on.plan(choices)
    except DocumentError as error:
        missing = "; ".join(fault.message[:1].upper() + fault.message[1:] for fault in error.faults)
        choices = replace(choices, lacking=True, prepared=True)
    created = start_wanted(session, by, Wanted(rule.template.id, edition.number, choices), today)
    run = created.run
    run.rule_id = rule.id
    run.origin = {
        "rule": rule.id, "run": cause.run.id if cause.run is not None else None,
        "chain": [*cause.chain, [rule.id, cause.about]],
    }  # fmt: skip
    said = f"Started {run.name}, {run.state}, {count_words(len(created.keys), 'task')}"
    lacks = f"What is missing: {missing}. It opens once you have filled that in." if missing else ""
    more = "\n".join(
        text for text in (f"The hand-off “{rule.name}” started it, because {_why(document, cause)}.", lacks) if text
    )
    tell(session, keeper, Word(row.key, "keeper", f"{run.name} was started by itself", more, run.id, run=run.name))
    return said + (f"; missing: {missing}" if missing else "")


_CAME = {
    "run opened": "was opened", "run finished": "was finished", "run called off": "was called off",
    "phase opens": "has opened", "phase closes": "has closed", "task ready": "can begin", "task begun": "was begun",
    "task done": "was done", "task sent back": "was sent back", "task dropped": "was dropped",
}  # fmt: skip


def _why(document: HandOff, cause: _Cause) -> str:
    """What happened: ``Walls painted was done in The Glass Reef``."""
    said = str(cause.content.get("said", ""))
    if document.event == "record changes":
        return f"{document.field} of {cause.about} " + (f"is now {said}" if said else "was taken out")
    if cause.run is None or document.event not in _CAME:
        return "another program called" if document.event == "call" else f"its day had come in {cause.of_run}"
    thing, came = str(cause.content.get("thing", "")), _CAME[document.event]
    names = {row.key: row.title for row in cause.run.tasks} | {phase.key: phase.label for phase in cause.run.phases}
    return f"{names.get(thing, thing)} {came} in {cause.of_run}" if thing else f"{cause.of_run} {came}"


def _choices(session: Session, on: Startable, document: HandOff, cause: _Cause, keeper: int) -> Choices:
    """What is chosen: the date, what is carried over by name, and what the rule gives."""
    template = on.template
    anchor = document.anchor or on.opening
    anchors = {anchor: _date(document, cause)} if anchor is not None else {}
    facts: dict[str, str] = {}
    crew: dict[str, str] = {}
    if cause.run is not None:
        source = template_of_run(cause.run)
        facts = _carried(template, source, cause.run.facts)
        anchors = {**_dates_carried(template, source, cause.run), **anchors}
        crew = _crew_carried(session, template, cause.run)
    known = {fact.key for fact in template.facts}
    facts |= {key: str(value) for key, value in cause.sent.items() if key in known}
    return Choices(
        anchors=anchors, facts={**facts, **document.facts}, crew={**crew, **document.crew}, subject=cause.about,
        name=document.name, prepared=document.opened == "prepared", keeper=keeper,
    )  # fmt: skip


def _carried(template: Template, source: Template, facts: Mapping[str, Any]) -> dict[str, str]:
    by_label = {fact.label.casefold(): facts.get(fact.key) for fact in source.facts}
    found = {fact.key: facts.get(fact.key, by_label.get(fact.label.casefold())) for fact in template.facts}
    return {key: _text(value) for key, value in found.items() if value is not None}


def _text(value: object) -> str:
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)


def _dates_carried(template: Template, source: Template, run: Run) -> dict[str, dt.date]:
    days = {anchor.label.casefold(): run.anchors.get(anchor.key) for anchor in source.anchors}
    found = {a.key: run.anchors.get(a.key) or days.get(a.label.casefold()) for a in template.anchors if a.from_ is None}
    return {key: dt.date.fromisoformat(str(day)[:10]) for key, day in found.items() if day}


def _crew_carried(session: Session, template: Template, run: Run) -> dict[str, str]:
    by_label = {member.label.casefold(): member for member in run.crew}
    there = people_by_id(session, {member.person_id for member in run.crew if member.person_id})
    crew = {}
    for role in template.roles:
        member = by_label.get(role.label.casefold())
        if member is None or role.fill.by == "keeper":
            continue
        if member.person_id and there[member.person_id].active:
            crew[role.key] = str(member.person_id)
        elif member.outside:
            crew[role.key] = member.outside
    return crew


def _within(session: Session, row: DueRow, rule: RuleRow, document: HandOff, cause: _Cause, today: dt.date) -> str:
    if cause.run is None or rule.template is None:
        raise Refused({"then": "There is no run to add it to."})
    if cause.run.state != "live":
        raise HeldBack(f"The run is {cause.run.state}.")
    under = str(row.content.get("thing") or "") if document.then == "under" else ""
    actor = as_actor(cause.run.keeper)
    keys = add_template(
        session, actor, cause.run.id, rule.template.id, _date(document, cause), Place(under=under), today
    )
    return f"Added {count_words(len(keys), 'task')} of {rule.template.name} to {cause.run.name}"


def _said(session: Session, row: DueRow, rule: RuleRow, document: HandOff, cause: _Cause) -> str:
    run = cause.run
    if run is None:
        raise Refused({"then": "There is no run whose people could be told."})
    values = {"subject": run.subject, **run.facts, **anchor_days(run), **{m.role: m.name or m.label for m in run.crew}}
    try:
        subject = " ".join(fill_in(document.subject or rule.name, values).split())
        text = fill_in(document.text, values)
    except ValueError as error:
        raise Refused({"text": f"In its words, {error}."}) from error
    if document.then == "word":
        thing = str(row.content.get("thing") or "")
        task = thing if any(one.key == thing for one in run.tasks) else None
        write_comment(session, as_actor(run.keeper), run.id, task, text or subject)
        return f"Left a word in {run.name}"
    member = next((one for one in run.crew if one.role == document.to), None)
    people = [one for one in member.people if one.active] if member is not None else []
    address = address_of(member) if member is not None and not people else ""
    if address:
        post_mail(session, row.key, Mail(address, subject, text), None, run_id=run.id)
        return f"“{subject}” to {address}"
    for person in people or [run.keeper]:
        tell(session, person, Word(row.key, "step", subject, text, run.id, run=run.name))
    return f"“{subject}” to {', '.join(one.name for one in people or [run.keeper])}"
