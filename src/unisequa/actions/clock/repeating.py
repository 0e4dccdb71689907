"""Runs started by repeat rules, never twice for a period."""

from __future__ import annotations

import datetime as dt

from unisequa.actions.access import may
from unisequa.actions.calendars import calendar_documents
from unisequa.actions.clock.whom import answers_for
from unisequa.actions.due import HeldBack, appoint
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import as_actor
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.creating import start_wanted
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.starting.results import crew_of_last
from unisequa.actions.templates.seeing import newest_released
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.today import utc_of, zone_of
from unisequa.core.calendars.words import count_words, day_words
from unisequa.core.clock.opening import Opening, openings, owed
from unisequa.core.documents.rule import StartRule
from unisequa.core.errors import Refused
from unisequa.core.plan.calendars import Calendars
from unisequa.store.documents import template_of
from unisequa.store.queries.clock import due_of_rule, rule_by_id, runs_in_period
from unisequa.store.store import Session
from unisequa.store.tables import DueRow, RuleRow, Run


def calendar_of(session: Session, rule: RuleRow, document: StartRule) -> WorkingCalendar:
    """The working calendar that a rule's dates are rolled on: its own, else its template's, else the usual one."""
    name = document.calendar
    if not name and rule.template is not None and (edition := newest_released(rule.template)) is not None:
        name = template_of(edition).calendar or ""
    return Calendars(calendar_documents(session, name or None))[None]


def plan_ahead(session: Session, rule: RuleRow, today: dt.date) -> None:
    """Write down what a rule owes and its next date; what it would no longer do is struck out, what has moved with its
    calendar gets its new moment."""
    waiting = {row.key: row for row in due_of_rule(session, rule.id)}
    if rule.state == "on" and rule.on_since is not None:
        document = StartRule.model_validate(rule.document)
        calendar, zone = calendar_of(session, rule, document), zone_of(today)
        due, coming = owed(document, calendar, zone, rule.on_since, utc_of(today))
        for one in [*due, *([coming] if coming else [])]:
            key = key_of(rule, one)
            content = {"counted": one.date.counted.isoformat(), "day": one.date.day.isoformat()}
            row = waiting.pop(key, None)
            if row is None:
                appoint(session, key, "repeat", one.at, content=content, rule_id=rule.id)
            elif not row.tries:
                row.at, row.try_at, row.content = one.at, one.at, content
    for row in waiting.values():
        if not row.tries or rule.state != "on":
            session.delete(row)


def key_of(rule: RuleRow, one: Opening) -> str:
    """The key of a rule's date: its period, by the recurrence before any roll."""
    return f"repeat:{rule.id}:{one.date.counted.isoformat()}"


def start_by_rule(session: Session, row: DueRow, today: dt.date) -> str:
    """Start what a rule starts on one of its dates, unless a run of that period is there.

    Raises
    ------
    HeldBack, Refused
    """
    rule = rule_by_id(session, row.rule_id or 0)
    if rule is None or rule.state != "on":
        raise HeldBack("The rule was switched off before.")
    document = StartRule.model_validate(rule.document)
    one = _opening(session, rule, document, row, today)
    plan_ahead(session, rule, today)
    if one is None:
        raise HeldBack("The rule has no such date any more.")
    if document.catch_up == "latest" and _later_is_due(session, rule, row, today):
        raise HeldBack("Passed over: of what it owed it starts only the latest.")
    if (refused := _stopped(rule)) is not None:
        rule.state, rule.stopped = "stopped", refused
        for person in {p.id: p for p in (rule.by, answers_for(rule))}.values():
            word = Word(f"stopped:{rule.id}:{rule.version}", "keeper", f"The rule {rule.name} has stopped: {refused}",
                        path=f"/by-itself/rules/{rule.id}")  # fmt: skip
            tell(session, person, word)
        session.flush()
        plan_ahead(session, rule, today)
        return f"Started nothing; the rule has stopped: {refused}"
    if (there := _there(session, rule, document, one)) is not None:
        by = f"{there.keeper.name} had" if there.rule_id is None else "a rule had"
        return f"Started nothing: {by} begun {there.name} already."
    return _started(session, rule, document, one, row, today)


def _started(session: Session, rule: RuleRow, document: StartRule, one: Opening, row: DueRow, today: dt.date) -> str:
    keeper = answers_for(rule)
    number, choices = choices_of(session, rule, document, one.date.day, today)
    created = start_wanted(session, as_actor(rule.by), Wanted(rule.template_id or 0, number, choices), today)
    run = created.run
    run.rule_id = rule.id
    run.origin = {"rule": rule.id, "counted": one.date.counted.isoformat(), "chain": [rule.id]}
    late = "" if utc_of(today) - one.at < dt.timedelta(hours=1) else f", due {day_words(one.on)}"
    said = f"Started {run.name}, {run.state}, {count_words(len(created.keys), 'task')}{late}"
    text = f"The rule {rule.name} started it for {day_words(one.date.day)}."
    tell(session, keeper, Word(row.key, "keeper", f"{run.name} was started by itself", text, run.id, run=run.name))
    return said


def choices_of(
    session: Session, rule: RuleRow, document: StartRule, day: dt.date, today: dt.date, on: Startable | None = None
) -> tuple[int, Choices]:
    """The edition, and what is chosen, for a run that a rule starts for a day.

    Raises
    ------
    Refused
        Where there is no released edition, or it has no anchor to be dated.
    """
    edition = newest_released(rule.template) if rule.template is not None else None
    if edition is None:
        raise Refused({"template": "Its template has no released edition."})
    on = on or Startable(session, as_actor(rule.by), rule.template_id or 0, edition.number, today, edition)
    anchor = document.anchor or on.opening
    if anchor is None or all(one.key != anchor for one in on.template.anchors):
        raise Refused({"anchor": f"{on.template.name} has no such anchor any more; choose another in the rule."})
    crew = dict(document.crew)
    if document.crew_as == "last" and (last := crew_of_last(session, as_actor(rule.by), rule.template_id or 0)):
        roles = {role.key: role.fill.by for role in on.template.roles}
        before = {role: value for role, (value, _) in last[1].items() if roles.get(role) not in {"keeper", None}}
        crew = {**before, **crew}
    return edition.number, Choices(
        keeper=answers_for(rule).id,
        anchors={anchor: day},
        facts=dict(document.facts),
        crew=crew,
        subject=document.subject,
        name=document.name,
        calendar=document.calendar,
        prepared=document.opened == "prepared",
    )


def _opening(session: Session, rule: RuleRow, document: StartRule, row: DueRow, today: dt.date) -> Opening | None:
    """The date that a row is about, as the calendar has it now."""
    calendar, zone = calendar_of(session, rule, document), zone_of(today)
    last = dt.date.fromisoformat(row.content["counted"]) + dt.timedelta(days=400)
    return next((one for one in openings(document, calendar, zone, last) if key_of(rule, one) == row.key), None)


def _later_is_due(session: Session, rule: RuleRow, row: DueRow, today: dt.date) -> bool:
    return any(one.at > row.at and one.at <= utc_of(today) for one in due_of_rule(session, rule.id) if one.id != row.id)


def _stopped(rule: RuleRow) -> str | None:
    """Why a rule can no longer act, if it cannot."""
    by = as_actor(rule.by)
    if rule.template is None or newest_released(rule.template) is None:
        return "there is no released edition of its template."
    if not rule.by.active:
        return f"{by.name}, who switched it on, has left."
    if not may(rule.template, by, "start a run"):
        return f"{by.name}, who switched it on, may no longer start {rule.template.name}."
    if not answers_for(rule).active:
        return f"{answers_for(rule).name}, who would keep its runs, has left."
    return None


def _there(session: Session, rule: RuleRow, document: StartRule, one: Opening) -> Run | None:
    """A run of the period that a date stands for, whoever started it; not what this rule started for another."""
    first, last = one.date.period
    first, last = min(first, one.date.day), max(last, one.date.day)
    for run, day in runs_in_period(session, rule.template_id or 0, document.subject, first, last):
        if run.rule_id == rule.id and run.origin and run.origin.get("counted") != one.date.counted.isoformat():
            continue
        inside = one.date.period[0].isoformat() <= day <= one.date.period[1].isoformat()
        if inside or day == one.date.day.isoformat():
            return run
    return None
