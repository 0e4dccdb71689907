"""A hand-off as a sentence: when something happens, what then follows."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import RedirectResponse, Response

from unisequa.actions.clock.hand_offs import (
    HandOffDraft,
    HandOffSeen,
    check_may_write_of,
    delete_hand_off,
    save_hand_off,
    see_hand_off,
    source_of,
    switch_hand_off,
)
from unisequa.actions.clock.rules import past
from unisequa.actions.people.people import Actor, people
from unisequa.actions.templates.library import startable_names
from unisequa.actions.templates.seeing import see_edition
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.rule import OF_A_TASK
from unisequa.core.documents.template import Template
from unisequa.core.errors import NotAllowed, Refused, Stale
from unisequa.core.terms import number_in
from unisequa.store.store import Session, Store
from unisequa.web.by_itself.page import DueLine, due_line
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.moments import moment_words
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
FIELDS = (
    "name", "event", "thing", "field", "value", "of", "days", "only_if", "then", "template", "dated", "opened", "named",
    "keeper", "to", "subject_line", "text",
)  # fmt: skip
EVENTS = (
    ("run opened", "a run is opened"), ("run finished", "a run is finished"), ("run called off", "a run is called off"),
    ("phase opens", "a phase opens"), ("phase closes", "a phase closes"), ("task ready", "a task becomes ready"),
    ("task begun", "a task is begun"), ("task done", "a task is done"), ("task sent back", "a task is sent back"),
    ("task dropped", "a task is dropped"), ("day", "a day comes"), ("record changes", "a record changes"),
    ("call", "another program calls"),
)  # fmt: skip
THENS = (
    ("start", "start a run of"), ("within", "add to that run"), ("under", "add under that task"),
    ("message", "write a message to"), ("word", "leave a word in the run:"),
)  # fmt: skip
DEFAULTS = {"event": "run finished", "then": "start", "dated": "day", "opened": "prepared", "days": "0"}


@dataclass(frozen=True, slots=True)
class HandOffPage:
    """The page; ``values`` is what its fields say."""

    section: str
    id: int | None
    version: int
    of_id: int
    of_name: str
    values: Mapping[str, str]
    events: tuple[tuple[str, str], ...]
    thens: tuple[tuple[str, str], ...]
    things: tuple[tuple[str, str], ...]
    counted: tuple[tuple[str, str], ...]
    dates: tuple[tuple[str, str], ...]
    roles: tuple[tuple[str, str], ...]
    templates: tuple[tuple[str, str], ...]
    everybody: tuple[tuple[int, str], ...]
    sentence: str
    standing: str
    state: str
    may: bool
    did: tuple[DueLine, ...]
    address: str = ""
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/by-itself/hand-off/{template_id}")
def new(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """A hand-off of a template's runs that is not written yet."""
    with store.reading() as session:
        page = _page(session, me, template_id, None, DEFAULTS, settings.day())
    return render(request, "by_itself/hand_off.html", page)


@router.get("/by-itself/hand-offs/{hand_off_id}")
def one(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, hand_off_id: Id) -> Response:
    """A hand-off."""
    with store.reading() as session:
        seen = see_hand_off(session, me, hand_off_id, settings.day())
        page = _page(session, me, _own(seen), seen, _values(seen), settings.day())
    return render(request, "by_itself/hand_off.html", page)


@router.post("/by-itself/hand-off/{template_id}/preview")
def preview(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """The sentence as its fields have it, so that it asks what belongs to what was chosen; nothing is kept."""
    number = number_in(text_field(form, "id", 12))
    with store.reading() as session:
        seen = see_hand_off(session, me, number, settings.day()) if number else None
        page = _page(session, me, template_id, seen, _typed(form), settings.day())
    return render(request, "by_itself/_hand_off.html", page)


@router.post("/by-itself/hand-off/{template_id}")
def write(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """Write the hand-off, and switch it on where that is asked."""
    return _kept(request, me, form, store, settings.day(), template_id, None)


@router.post("/by-itself/hand-offs/{hand_off_id}")
def change(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, hand_off_id: Id
) -> Response:
    """Change the hand-off, or switch it on or off."""
    with store.reading() as session:
        seen = see_hand_off(session, me, hand_off_id, settings.day())
    return _kept(request, me, form, store, settings.day(), _own(seen), seen)


@router.post("/by-itself/hand-offs/{hand_off_id}/delete")
def delete(me: SignedIn, form: Posted, store: StoreOf, hand_off_id: Id) -> Response:
    """Delete the hand-off."""
    with store.writing() as session:
        delete_hand_off(session, me, hand_off_id)
    return RedirectResponse("/by-itself", status_code=303)


def _kept(
    request: Request,
    me: Actor,
    form: FormData,
    store: Store,
    today: dt.date,
    template_id: int,
    seen: HandOffSeen | None,
) -> Response:
    values, asked, secret = _typed(form), text_field(form, "switch", 5), ""
    with store.reading() as session:
        check_may_write_of(session, me, template_id)
    try:
        with store.writing() as session:
            number = seen.id if seen is not None else 0
            if seen is None or asked != "off":
                version = number_in(text_field(form, "version", 12)) or None
                number = save_hand_off(session, me, _draft(template_id, values), number or None, version)
            if asked:
                secret = switch_hand_off(session, me, number, today, on=asked == "on")
    except (Refused, Stale, NotAllowed) as error:  # what is not allowed is to start that template
        at = "template" if isinstance(error, NotAllowed) else ""
        faults = error.faults if isinstance(error, Refused) else {at: str(error)}
        with store.reading() as session:
            page = _page(session, me, template_id, seen, values, today, faults)
        return form_again(request, "by_itself/hand_off.html", page, faults)
    if secret:
        with store.reading() as session:
            made = see_hand_off(session, me, number, today)
            page = _page(session, me, template_id, made, _values(made), today, address=f"/api/v1/hooks/in/{secret}")
        return render(request, "by_itself/hand_off.html", page)
    return RedirectResponse(f"/by-itself/hand-offs/{number}", status_code=303)


def _own(seen: HandOffSeen) -> int:
    """The template whose owner it is of."""
    return seen.of_template_id or seen.template_id or 0


def _typed(form: FormData) -> dict[str, str]:
    return {name: text_field(form, name, 4000) for name in FIELDS}


def _values(seen: HandOffSeen) -> dict[str, str]:
    document = seen.document
    return {
        "name": seen.name, "event": document.event, "thing": document.task or document.phase or "",
        "field": document.field, "value": document.value, "of": document.of, "days": str(document.days),
        "only_if": document.only_if, "then": document.then, "template": str(seen.template_id or ""),
        "dated": document.dated, "opened": document.opened, "named": document.name,
        "keeper": str(seen.keeper_id or ""), "to": document.to, "subject_line": document.subject, "text": document.text,
    }  # fmt: skip


def _draft(template_id: int, values: Mapping[str, str]) -> HandOffDraft:
    event = values["event"]
    days = values["days"].strip().replace("−", "-") or "0"
    if not days.lstrip("+-").isdigit() or abs(int(days)) > 260:
        raise Refused({"days": "Give a number of working days from -260 to 260."})
    document: dict[str, Any] = {
        "event": event, "only_if": values["only_if"].strip(), "then": values["then"], "dated": values["dated"] or "day",
        "opened": values["opened"] or "prepared", "name": values["named"].strip(),
    }  # fmt: skip
    if values["thing"]:
        document["task" if event in OF_A_TASK else "phase"] = values["thing"]
    if event == "day":
        document |= {"of": values["of"], "days": int(days)}
    if event == "record changes":
        document |= {"field": values["field"].strip(), "value": values["value"].strip()}
    if values["then"] in {"message", "word"}:
        document |= {"to": values["to"], "subject": values["subject_line"].strip(), "text": values["text"]}
    template = number_in(values["template"]) or None
    return HandOffDraft(values["name"], template_id, template, document, number_in(values["keeper"]) or None)


def _page(
    session: Session,
    me: Actor,
    template_id: int,
    seen: HandOffSeen | None,
    values: Mapping[str, str],
    today: dt.date,
    faults: Mapping[str, str] | None = None,
    address: str = "",
) -> HandOffPage:
    source = source_of(session, me, template_id)
    named = {name: values.get(name, "") for name in FIELDS}
    named["name"] = named["name"] or f"After {source.name}"[:200]
    did = past(session, me, 30, seen.id) if seen is not None else []
    templates = tuple((str(number), name) for number, name in startable_names(session, me))
    may = seen.may if seen is not None else _may_write(session, me, template_id)
    return HandOffPage(
        "by-itself", seen.id if seen else None, seen.version if seen else 0, template_id, source.name, named, EVENTS,
        THENS, _things(source, named["event"]), _counted(source), _dates(source, named["event"]),
        (("keeper", "its keeper"), *((role.key, role.label) for role in source.roles)), templates,
        tuple((person.id, person.name) for person in people(session)), seen.sentence if seen else "",
        _standing(seen, today), seen.state if seen else "", may, tuple(due_line(row, today) for row in did), address,
        dict(faults or {}),
    )  # fmt: skip


def _may_write(session: Session, me: Actor, template_id: int) -> bool:
    return see_edition(session, me, template_id).may("change a draft")


def _things(source: Template, event: str) -> tuple[tuple[str, str], ...]:
    """What of the template it may be about alone."""
    if event in OF_A_TASK:
        return (("", "any task"), *((step.key, step.title) for step in source.steps))
    if event.startswith("phase "):
        return (("", "any phase"), *((phase.key, phase.label) for phase in source.phases))
    return ()


def _counted(source: Template) -> tuple[tuple[str, str], ...]:
    anchors = tuple((f"anchor:{anchor.key}", anchor.label) for anchor in source.anchors)
    return (*anchors, ("record:First day", "First day of a record"), ("record:Last day", "Last day of a record"))


def _dates(source: Template, event: str) -> tuple[tuple[str, str], ...]:
    """What the date of the run may be that is started."""
    dates = [("day", "that day")]
    if event in OF_A_TASK:
        dates.append(("due", "the day on which it was due"))
    if event not in {"record changes", "call"}:
        dates += [(f"anchor:{anchor.key}", anchor.label) for anchor in source.anchors]
    dates += [("record:First day", "its subject's first day"), ("record:Last day", "its subject's last day")]
    if event == "call":
        dates.append(("call:date", "the date in the call"))
    return tuple(dates)


def _standing(seen: HandOffSeen | None, today: dt.date) -> str:
    if seen is None:
        return "A new hand-off; it does nothing before it is on."
    did = f"It has started {count_words(seen.started, 'run')}." if seen.started else ""
    by = f"A hand-off of {seen.by}"
    if seen.state == "on":
        return f"{by}, on since {moment_words(seen.on_since, seen.zone, today)}. {did}".strip()
    return f"{by}. It has stopped: {seen.stopped} {did}" if seen.state == "stopped" else f"{by}, off. {did}".strip()
