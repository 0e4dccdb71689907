"""Hand-offs for which a day comes: so many working days before or after an anchor, or a date of a subject's record."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from contextlib import suppress

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.happening import fire
from unisequa.actions.subjects import as_seen, date_of
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.clock.opening import working_days_from
from unisequa.core.documents.rule import HandOff
from unisequa.core.errors import DateRangeError
from unisequa.core.plan.calendars import Calendars
from unisequa.store.queries.clock import live_runs_of, rules_on
from unisequa.store.queries.subjects import subjects
from unisequa.store.store import Session
from unisequa.store.tables import RuleRow

MISSED = 7
"""Days back that a sleep is made up for."""


def listen_to_days(session: Session, today: dt.date) -> int:
    """Write down the hand-offs whose day it is, or was while nobody looked; gives how many are new."""
    rules = [rule for rule in rules_on(session, "hand-off") if rule.event == "day"]
    if not rules:
        return 0
    calendar = Calendars(calendar_documents(session, None))[None]
    new = 0
    for rule in rules:
        document = HandOff.model_validate(rule.document)
        for thing, day, content in _days(session, rule, document, calendar):
            since = rule.on_since.date() if rule.on_since is not None else today
            if max(since, today - dt.timedelta(days=MISSED)) <= day <= today:
                new += fire(session, rule, f"{thing}:{day.isoformat()}", today, {**content, "day": day.isoformat()},
                            content.get("run"))  # fmt: skip
    return new


def _days(
    session: Session, rule: RuleRow, document: HandOff, calendar: WorkingCalendar
) -> Iterator[tuple[str, dt.date, dict[str, int]]]:
    kind, _, name = document.of.partition(":")
    if kind == "record" and rule.of_template_id is None:
        for subject in subjects(session, "", 10_000):
            if (day := date_of(as_seen(subject).dates, name)) is not None:
                yield from _on(f"subject:{subject.id}", day, {"subject": subject.id}, document.days, calendar)
        return
    for run in live_runs_of(session, rule.of_template_id or 0):
        value = run.anchors.get(name or kind)
        if value:
            yield from _on(f"{run.id}", dt.date.fromisoformat(value[:10]), {"run": run.id}, document.days, calendar)


def _on(
    thing: str, day: dt.date, content: dict[str, int], days: int, calendar: WorkingCalendar
) -> Iterator[tuple[str, dt.date, dict[str, int]]]:
    with suppress(DateRangeError):
        yield thing, working_days_from(day, days, calendar), content
