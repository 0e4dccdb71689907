"""A repeat rule as a sentence, its next twelve dates, what it will start and what it did."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from starlette.datastructures import FormData
from starlette.responses import RedirectResponse, Response

from unisequa.actions.clock.rules import (
    RuleDraft,
    RuleSeen,
    Writing,
    check_may_write,
    delete_rule,
    past,
    save_rule,
    see_rule,
    switch,
)
from unisequa.actions.people.people import Actor, people
from unisequa.core.calendars.today import zone_of
from unisequa.core.calendars.words import count_words
from unisequa.core.clock.saying import EXAMPLES, ROLLS, typed_when, when_words
from unisequa.core.documents.rule import RepeatRule
from unisequa.core.errors import DateRangeError, DocumentError, NotAllowed, Refused, Stale, TypedError
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import number_in
from unisequa.store.store import Session, Store
from unisequa.web.by_itself.page import DueLine, due_line
from unisequa.web.by_itself.twelve import DateSeen, drawn
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.moments import moment_words
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
MOST_TASKS = 60
FIELDS = (
    "name", "when", "roll", "lead", "at", "opened", "anchor", "named", "keeper", "crew_as", "about", "calendar",
    "catch_up",
)  # fmt: skip
DEFAULTS = {
    "when": "the last working day of each month", "roll": "preceding", "lead": "0", "at": "06:00",
    "opened": "prepared", "crew_as": "last", "catch_up": "all",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class WouldStart:
    """A task of the run that the rule would start next."""

    title: str
    who: str
    due: str


@dataclass(frozen=True, slots=True)
class RulePage:
    """The page; ``values`` is what its fields say."""

    section: str
    id: int | None
    version: int
    template_id: int
    template: str
    values: Mapping[str, str]
    facts: tuple[tuple[str, str, str, tuple[str, ...]], ...]
    anchors: tuple[tuple[str, str], ...]
    rolls: Mapping[str, str]
    examples: tuple[str, ...]
    everybody: tuple[tuple[int, str], ...]
    owner: str
    read_as: str
    dates: tuple[DateSeen, ...]
    tasks: tuple[WouldStart, ...]
    more: int
    run: str
    missing: str
    did: tuple[DueLine, ...]
    state: str
    standing: str
    may: bool
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/by-itself/repeat/{template_id}")
def new(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """A rule that is not written yet."""
    with store.reading() as session:
        page = _page(session, me, template_id, None, DEFAULTS, {}, settings.day())
    return render(request, "by_itself/rule.html", page)


@router.get("/by-itself/rules/{rule_id}")
def rule(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, rule_id: Id) -> Response:
    """A rule."""
    with store.reading() as session:
        seen = see_rule(session, me, rule_id, settings.day())
        values, facts = _values(seen)
        page = _page(session, me, seen.template_id, seen, values, facts, settings.day())
    return render(request, "by_itself/rule.html", page)


@router.post("/by-itself/repeat/{template_id}/preview")
def preview(
    request: Request,
    me: SignedIn,
    form: Posted,
    store: StoreOf,
    settings: SettingsOf,
    template_id: Id,
    of: Annotated[int | None, Query(ge=1, lt=2**31)] = None,
) -> Response:
    """The rule as its fields have it; nothing is kept."""
    values, facts = _typed(form)
    with store.reading() as session:
        seen = see_rule(session, me, of, settings.day()) if of else None
        page = _page(session, me, template_id, seen, values, facts, settings.day())
    return render(request, "by_itself/_rule.html", page)


@router.post("/by-itself/repeat/{template_id}")
def write(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """Write the rule, and switch it on where that is asked."""
    values, facts = _typed(form)
    today = settings.day()
    with store.reading() as session:
        check_may_write(session, me, template_id)
    try:
        draft = _draft(template_id, values, facts, today)
        with store.writing() as session:
            number = save_rule(session, me, draft, today)
            if text_field(form, "switch", 5) == "on":
                switch(session, me, number, today, on=True)
    except (Refused, NotAllowed) as error:
        faults = error.faults if isinstance(error, Refused) else {"": str(error)}
        return _again(request, me, store, template_id, None, values, facts, today, faults)
    return RedirectResponse(f"/by-itself/rules/{number}", status_code=303)


@router.post("/by-itself/rules/{rule_id}")
def change(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, rule_id: Id) -> Response:
    """Change the rule, or switch it on or off."""
    values, facts = _typed(form)
    today, asked = settings.day(), text_field(form, "switch", 5)
    version = number_in(text_field(form, "version", 12)) or None
    with store.reading() as session:
        seen = see_rule(session, me, rule_id, today)
        check_may_write(session, me, seen.template_id)
    try:
        with store.writing() as session:
            if asked != "off":
                draft = _draft(seen.template_id, values, facts, today, seen)
                save_rule(session, me, draft, today, rule_id, version)
            if asked:
                switch(session, me, rule_id, today, on=asked == "on")
    except (Refused, Stale, NotAllowed) as error:
        faults = error.faults if isinstance(error, Refused) else {"": str(error)}
        return _again(request, me, store, seen.template_id, seen, values, facts, today, faults)
    return RedirectResponse(f"/by-itself/rules/{rule_id}", status_code=303)


@router.post("/by-itself/rules/{rule_id}/delete")
def delete(me: SignedIn, form: Posted, store: StoreOf, rule_id: Id) -> Response:
    """Delete the rule."""
    with store.writing() as session:
        delete_rule(session, me, rule_id)
    return RedirectResponse("/by-itself", status_code=303)


def _again(
    request: Request,
    me: Actor,
    store: Store,
    template_id: int,
    seen: RuleSeen | None,
    values: Mapping[str, str],
    facts: Mapping[str, str],
    today: dt.date,
    faults: Mapping[str, str],
) -> Response:
    with store.reading() as session:
        page = _page(session, me, template_id, seen, values, facts, today, faults)
    return form_again(request, "by_itself/rule.html", page, faults)


def _typed(form: FormData) -> tuple[dict[str, str], dict[str, str]]:
    """The fields of the form, and the facts in it."""
    values = {name: text_field(form, name, 500) for name in FIELDS}
    facts = {name.removeprefix("fact."): text_field(form, name, 2000) for name in form if name.startswith("fact.")}
    return values, facts


def _values(rule: RuleSeen) -> tuple[dict[str, str], dict[str, str]]:
    """A rule as its fields say it."""
    document = rule.document
    values = {
        "name": rule.name, "when": rule.when, "roll": document.when.roll, "lead": str(document.lead),
        "at": document.at, "opened": document.opened, "anchor": document.anchor or "", "named": document.name,
        "keeper": str(rule.keeper_id or ""), "crew_as": document.crew_as, "about": document.subject,
        "calendar": document.calendar, "catch_up": document.catch_up,
    }  # fmt: skip
    return values, dict(document.facts)


def _draft(
    template_id: int, values: Mapping[str, str], facts: Mapping[str, str], today: dt.date, seen: RuleSeen | None = None
) -> RuleDraft:
    """The rule that the fields say.

    Raises
    ------
    Refused
        By field.
    """
    try:
        first = seen.document.when.first if seen is not None else today.replace(day=1)
        if seen is not None and values["when"].strip() == seen.when:
            when: dict[str, Any] = seen.document.when.model_dump()
        else:
            when = typed_when(values["when"], first)
        if when.get("working_day") is None and ("roll" not in when or seen is not None) and when.get("roll") != "skip":
            when["roll"] = values["roll"] or "preceding"
    except TypedError as error:
        raise Refused({"when": str(error)}) from None
    lead = values["lead"].strip() or "0"
    if not (lead.isascii() and lead.isdigit() and int(lead) <= 260):
        raise Refused({"lead": "Give a number of working days from 0 to 260."})
    document = {
        "when": when, "anchor": values["anchor"] or None, "lead": int(lead), "at": values["at"] or "06:00",
        "opened": values["opened"] or "prepared", "name": values["named"].strip(), "subject": values["about"].strip(),
        "calendar": values["calendar"].strip(), "crew_as": values["crew_as"] or "last",
        "facts": {key: text for key, text in facts.items() if text.strip()}, "catch_up": values["catch_up"] or "all",
    }  # fmt: skip
    if seen is not None and seen.document.crew:
        document["crew"] = dict(seen.document.crew)
    return RuleDraft(values["name"], template_id, document, number_in(values["keeper"]) or None)


def _page(
    session: Session,
    me: Actor,
    template_id: int,
    seen: RuleSeen | None,
    values: Mapping[str, str],
    facts: Mapping[str, str],
    today: dt.date,
    faults: Mapping[str, str] | None = None,
) -> RulePage:
    told = dict(faults or {})
    found = Writing(session, me, template_id, today)
    template, named = found.template, {name: values.get(name, "") for name in FIELDS}
    named["name"] = named["name"] or template.name
    named["at"] = named["at"] or "06:00"
    dates: tuple[DateSeen, ...] = ()
    tasks: tuple[WouldStart, ...] = ()
    run = missing = read_as = ""
    try:
        draft = _draft(template_id, named, facts, today, seen)
        coming = found.dates(draft)
        dates = drawn(coming, today)
        read_as = _read_as(draft, named["when"])
        if coming.openings:
            day = coming.openings[0].date.day
            plan = found.rehearse(draft, day)
            run, tasks = plan.name.rstrip(" ,;:–-"), _tasks(plan)
    except Refused as error:
        told = {**{_field(path): message for path, message in error.faults.items()}, **told}
    except (DocumentError, DateRangeError) as error:
        missing = str(error)
    lacks = [fact.label for fact in template.facts if fact.required and not facts.get(fact.key, "").strip()]
    if lacks:
        missing = f"Still needed: {', '.join(lacks)}"
    zone = zone_of(today)
    did = past(session, me, 30, seen.id) if seen is not None else []
    return RulePage(
        "by-itself", seen.id if seen else None, seen.version if seen else 0, template_id, found.name, named,
        tuple((fact.key, fact.label, facts.get(fact.key, ""), tuple(fact.choices)) for fact in template.facts),
        tuple((anchor.key, anchor.label) for anchor in template.anchors if anchor.from_ is None),
        {key: words for key, words in ROLLS.items() if not key.startswith("modified") or key == named["roll"]},
        EXAMPLES, tuple((one.id, one.name) for one in people(session)), found.owner, read_as, dates,
        tasks[:MOST_TASKS], max(0, len(tasks) - MOST_TASKS), run, missing,
        tuple(due_line(one, today) for one in did), seen.state if seen else "", _standing(seen, zone, today),
        found.may, told,
    )  # fmt: skip


def _field(path: str) -> str:
    """The field beside which a fault of the document stands."""
    return {"when.rrule": "when", "when.roll": "roll", "name": "named", "subject": "about"}.get(path, path)


def _read_as(draft: RuleDraft, typed: str) -> str:
    """What was understood, where it is not what was typed."""
    words = when_words(RepeatRule.model_validate(draft.document["when"]))
    return "" if words == " ".join(typed.split()) else words


def _standing(seen: RuleSeen | None, zone: dt.tzinfo, today: dt.date) -> str:
    if seen is None:
        return "A new repeat rule; it does nothing before it is on."
    by = f"A repeat rule of {seen.by}"
    did = f"It has started {count_words(seen.started, 'run')}." if seen.started else "It has started nothing yet."
    if seen.state == "on":
        return f"{by}, on since {moment_words(seen.on_since, zone, today)}. {did}"
    if seen.state == "stopped":
        return f"{by}. It has stopped: {seen.stopped} {did}"
    return f"{by}, off. {did}"


def _tasks(plan: Plan) -> tuple[WouldStart, ...]:
    lines, said = [], plan.dates_in_words().of_days
    for i, task in enumerate(plan.tasks):
        if plan.is_parent(i):
            continue
        days = plan.days(i)
        due = said[days[1]] if days else "undated"
        lines.append((days[1] if days else 10**9, WouldStart(task.title, plan.crew.get(task.role or "", ""), due)))
    return tuple(line for _, line in sorted(lines, key=lambda one: one[0]))
