"""What happened by itself in the demo: rules that started its closes and rounds, and messages of some weeks."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from unisequa.actions.clock.hand_offs import HandOffDraft, save_hand_off, switch_hand_off
from unisequa.actions.clock.handing_off import hand_off
from unisequa.actions.clock.repeating import calendar_of, key_of, plan_ahead
from unisequa.actions.clock.rules import RuleDraft, save_rule
from unisequa.actions.messages.bundling import letter_of
from unisequa.actions.messages.texts import TextDraft, keep_text
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.today import utc_of, zone_of
from unisequa.core.calendars.words import count_words
from unisequa.core.clock.opening import openings
from unisequa.core.documents.rule import StartRule
from unisequa.demo.working import on_day
from unisequa.store.queries.clock import (
    count_in_bell,
    empty_bell,
    rule_by_id,
    runs_in_period,
    waiting_of_run,
    words_of_everybody,
)
from unisequa.store.queries.runs import all_run_ids
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, OutboxRow, Person, RuleRow

FRESH = dt.timedelta(days=10)
"""What is not older is new in a bell."""
CLOSE = {
    "when": {"rrule": "FREQ=MONTHLY;BYMONTHDAY=-1", "first": "2020-01-01", "roll": "preceding"},
    "lead": 5, "at": "06:00", "opened": "prepared", "facts": {"entity": "Harbour House"}, "subject": "Harbour House",
}  # fmt: skip
ROUND = {
    "when": {"rrule": "FREQ=MONTHLY;INTERVAL=3;BYDAY=1MO", "first": "2020-02-01"},
    "lead": 3, "at": "07:00", "opened": "live", "facts": {"site": "Seed Store"}, "subject": "Seed Store",
}  # fmt: skip


TEXTS = (
    (
        "Maud Ferreira",
        TextDraft(
            "A show closes: to the lender",
            "{{ title }} closes {{ closing | date }}",
            "Dear colleagues,\n\nthe show closes on {{ closing | date }}. We plan to send your objects home from "
            "{{ collection | date }}.\n\nQuillhaven Museums, the registrars",
        ),
    ),
    (
        "Ines Okafor",
        TextDraft(
            "Soon due: a word before",
            "{{ task }} is due {{ due | date }}",
            "Dear {{ person }},\n\n{{ task }} is due on {{ due | date }} ({{ run }}). If that can't be, say so now "
            "rather than then.",
        ),
    ),
)


@dataclass(frozen=True, slots=True)
class Jobs:
    """The templates that rules start and listen to."""

    close: int
    rounds: int
    exhibition: int
    loan: int
    leaver: int


def fill_by_itself(session: Session, jobs: Jobs, people: dict[str, Actor], today: dt.date, address: str) -> None:
    """Rules that are on, with what they have started; hand-offs; what people were told, sent or waiting."""
    close, rounds = jobs.close, jobs.rounds
    _rule(session, people["Dunstan Vale"], RuleDraft("Close of Harbour House", close, CLOSE), today, since=450)
    _rule(session, people["Mina Osei"], RuleDraft("Round of the Seed Store", rounds, ROUND), today, since=20)
    old_mill = {**ROUND, "facts": {"site": "Old Mill"}, "subject": "Old Mill"}
    _rule(
        session, people["Mina Osei"], RuleDraft("Round of the Old Mill, from spring", rounds, old_mill), today, since=0
    )
    _hand_offs(session, jobs, people, today)
    for who, draft in TEXTS:
        keep_text(session, people[who], None, draft)
    session.flush()
    _messages(session, today, address)


def loan_goes_back(session: Session, exhibition: int, loan: int, people: dict[str, Actor], since: dt.date) -> None:
    """From a day on an exhibition that is over hands its loan off."""
    lead = people["Ines Okafor"]
    back = {"event": "run finished", "then": "start", "anchor": "closing", "dated": "anchor:closing"}
    draft = HandOffDraft("The loan goes back", exhibition, loan, back, people["Maud Ferreira"].id)
    with on_day(since):
        switch_hand_off(session, lead, save_hand_off(session, lead, draft), since, on=True)


def handed_off(session: Session, run_id: int, day: dt.date) -> list[int]:
    """Carry out what a run hands off on a day; gives the runs that were started."""
    before = set(all_run_ids(session))
    for row in waiting_of_run(session, run_id, "hand-off"):
        row.told, row.state, row.done_at = hand_off(session, row, day)[:1000], "done", utc_of(day)
    session.flush()
    return sorted(set(all_run_ids(session)) - before)


def _hand_offs(session: Session, jobs: Jobs, people: dict[str, Actor], today: dt.date) -> None:
    """A colleague's leaving begins, a word when the walls are painted."""
    lead = people["Ines Okafor"]
    farewell = {"event": "record changes", "field": "Last day", "then": "start", "dated": "record:Last day"}
    noor = people["Noor Castellan"]
    draft = HandOffDraft("Somebody gives notice", None, jobs.leaver, farewell, noor.id)
    leaving = save_hand_off(session, noor, draft)
    switch_hand_off(session, noor, leaving, today, on=True)
    word = {"event": "task done", "task": "walls", "then": "message", "to": "press", "subject": "The walls are painted",
            "text": "Pictures can be taken from today on."}  # fmt: skip
    save_hand_off(session, lead, HandOffDraft("Pictures once the walls are painted", jobs.exhibition, None, word))


def _rule(session: Session, owner: Actor, draft: RuleDraft, today: dt.date, *, since: int) -> None:
    """A rule that has been on for so many days; 0 for one that is off."""
    number = save_rule(session, owner, draft, today)
    row = rule_by_id(session, number)
    assert row is not None
    if not since:
        return
    day = dt.date(today.year, today.month, today.day) - dt.timedelta(days=since)
    while day.weekday() > 4:
        day -= dt.timedelta(days=1)
    row.on_since, row.state = dt.datetime.combine(day, dt.time(9, 10)), "on"
    session.flush()
    session.refresh(row)
    _what_it_did(session, row, draft.document, today)
    plan_ahead(session, row, today)


def _what_it_did(session: Session, row: RuleRow, document: Mapping[str, Any], today: dt.date) -> None:
    """The runs of its periods are those that it started."""
    rule = StartRule.model_validate(document)
    assert row.on_since is not None
    for one in openings(rule, calendar_of(session, row, rule), zone_of(today), today + dt.timedelta(days=20)):
        if not row.on_since < one.at <= utc_of(today):
            continue
        told = "Started nothing."
        for run, _ in runs_in_period(session, row.template_id or 0, rule.subject, *one.date.period):
            run.rule_id, run.origin = (
                row.id,
                {"rule": row.id, "counted": one.date.counted.isoformat(), "chain": [row.id]},
            )
            told = f"Started {run.name}, {rule.opened}, {count_words(len(run.tasks), 'task')}"
        session.add(
            DueRow(
                key=key_of(row, one), kind="repeat", at=one.at, try_at=one.at, state="done", told=told, rule_id=row.id,
                done_at=one.at, content={"counted": one.date.counted.isoformat(), "day": one.date.day.isoformat()},
            )
        )  # fmt: skip
    session.flush()


def _messages(session: Session, today: dt.date, address: str) -> None:
    """What people were told before today has left, put together by day; what is old they have seen."""
    by_day: dict[tuple[int, dt.date], list[OutboxRow]] = {}
    for row in words_of_everybody(session):
        if row.person_id is not None:
            by_day.setdefault((row.person_id, row.made_at.date()), []).append(row)
    fresh: dict[int, int] = {}
    for (person_id, day), words in by_day.items():
        person = session.get(Person, person_id)
        assert person is not None
        fresh[person.id] = fresh.get(person.id, 0) + (len(words) if today - day <= FRESH else 0)
        at_once = [word for word in words if word.how == "at once" and word.state == "waiting"]
        if day >= today or not at_once:
            continue
        key = f"mail:{at_once[0].key}"[:200]
        subject, text = letter_of(at_once, address)
        left = at_once[0].made_at + dt.timedelta(minutes=5)
        with on_day(day):
            content = {"to": person.email, "subject": subject, "text": text, "secret": False}
            run = at_once[0].run_id if len({word.run_id for word in at_once}) == 1 else None
            session.add(OutboxRow(key=key, kind="mail", content=content, state="sent", person_id=person.id, run_id=run,
                                  due_at=left, left_at=left, tries=1))  # fmt: skip
        for word in words:
            if word in at_once or word.how == "digest":
                word.state, word.sent_in = "sent", key
    for person_id, count in fresh.items():
        empty_bell(session, person_id)
        for _ in range(count):
            count_in_bell(session, person_id)
