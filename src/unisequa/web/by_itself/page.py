"""By itself: the rules as sentences, what is due next, what came of what was due."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.clock.hand_offs import HandOffSeen, see_hand_offs
from unisequa.actions.clock.rules import (
    Due,
    RuleSeen,
    coming,
    failing,
    let_be,
    past,
    see_rules,
    templates_to_rule,
    try_again,
)
from unisequa.core.calendars.today import zone_of
from unisequa.core.calendars.words import count_words
from unisequa.core.clock.saying import ROLLS
from unisequa.web.inputs import Id
from unisequa.web.moments import moment_words
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf

router = APIRouter()


@dataclass(frozen=True, slots=True)
class RuleLine:
    """A rule as a sentence, with what it does next."""

    id: int
    name: str
    template_id: int
    template: str
    sentence: str
    state: str
    stopped: str
    next: str
    started: str
    by: str
    since: str


@dataclass(frozen=True, slots=True)
class DueLine:
    """Something due, or done: when, what, and whether it asks for somebody."""

    id: int
    when: str
    what: str
    told: str
    path: str
    state: str
    tries: int
    again: str


@dataclass(frozen=True, slots=True)
class ByItselfPage:
    """The page."""

    section: str
    rules: tuple[RuleLine, ...]
    hand_offs: tuple[HandOffSeen, ...]
    failing: tuple[DueLine, ...]
    coming: tuple[DueLine, ...]
    done: tuple[DueLine, ...]
    templates: tuple[tuple[int, str], ...]
    said: str


@router.get("/by-itself")
def by_itself(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """The page."""
    today = settings.day()
    with store.reading() as session:
        rules = see_rules(session, me, today)
        handed = see_hand_offs(session, me, today)
        trouble, next_, done = failing(session, me), coming(session, me), past(session, me)
        templates = templates_to_rule(session, me)
    states = [rule.state for rule in rules] + [rule.state for rule in handed]
    on, stopped = states.count("on"), states.count("stopped")
    said = f"{count_words(len(states), 'rule')}, {on} on" + (f", {stopped} stopped" if stopped else "")
    page = ByItselfPage(
        "by-itself",
        tuple(rule_line(rule, today) for rule in rules),
        handed,
        tuple(due_line(one, today) for one in trouble),
        tuple(due_line(one, today) for one in next_ if not one.tries),
        tuple(due_line(one, today) for one in done if one.state != "set aside"),
        templates,
        said if states else "",
    )
    return render(request, "by_itself/page.html", page)


def rule_line(rule: RuleSeen, today: dt.date) -> RuleLine:
    """A rule in a list."""
    return RuleLine(
        rule.id, rule.name, rule.template_id, rule.template, sentence(rule), rule.state, rule.stopped,
        moment_words(rule.next, rule.zone, today), count_words(rule.started, "run") if rule.started else "",
        rule.by, moment_words(rule.on_since, rule.zone, today).rsplit(" ", 1)[0],
    )  # fmt: skip


def sentence(rule: RuleSeen) -> str:
    """What a rule does, behind the name of its template."""
    document = rule.document
    roll = document.when.roll
    rolled = "" if document.when.working_day is not None or roll == "skip" else f"; on a day off, {ROLLS[roll]}"
    lead = f", opened {count_words(document.lead, 'working day')} before" if document.lead else ", opened on the day"
    return f"on {rule.when.removeprefix('on ')}{rolled}{lead} at {document.at}, {document.opened}"


def due_line(one: Due, today: dt.date) -> DueLine:
    """Something due in a list."""
    zone = zone_of(today)
    what = {
        "repeat": f"{one.rule} starts a run",
        "hand-off": f"{one.rule}",
        "open": f"{one.run} opens",
        "message": f"A message of {one.run}",
    }.get(one.kind, one.kind)
    path = f"/runs/{one.run_id}" if one.run_id else ""
    if one.rule_id and not path:
        path = f"/by-itself/{'hand-offs' if one.kind == 'hand-off' else 'rules'}/{one.rule_id}"
    when = one.done_at if one.state != "waiting" and one.done_at else one.at
    return DueLine(
        one.id, moment_words(when, zone, today), what, one.error if one.tries and one.error else one.told, path,
        one.state, one.tries, moment_words(one.try_at, zone, today) if one.state == "waiting" else "",
    )  # fmt: skip


@router.post("/by-itself/due/{number}/again")
def again(me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, number: Id) -> Response:
    """Have what failed tried again at once."""
    with store.writing() as session:
        try_again(session, me, number, settings.day())
    return RedirectResponse("/by-itself", status_code=303)


@router.post("/by-itself/due/{number}/be")
def be(me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, number: Id) -> Response:
    """Have what failed not tried any more."""
    with store.writing() as session:
        let_be(session, me, number, settings.day())
    return RedirectResponse("/by-itself", status_code=303)
