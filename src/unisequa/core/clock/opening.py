"""When a repeat rule opens what it starts."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.clock.due import moment
from unisequa.core.clock.repeat import Occurrence, occurrences
from unisequa.core.documents.rule import StartRule
from unisequa.core.errors import DateRangeError


@dataclass(frozen=True, slots=True)
class Opening:
    """One date of a rule with the day and the moment, in UTC, at which it is opened."""

    date: Occurrence
    on: dt.date
    at: dt.datetime


def opened_on(day: dt.date, lead: int, calendar: WorkingCalendar) -> dt.date:
    """The day so many working days before another; that day itself for 0.

    >>> opened_on(dt.date(2026, 11, 30), 3, WorkingCalendar()).isoformat()
    '2026-11-25'
    """
    if not lead:
        return day
    return dt.date.fromordinal(calendar.nth_day(calendar.day_index(day.toordinal()) - lead))


def openings(rule: StartRule, calendar: WorkingCalendar, zone: ZoneInfo, until: dt.date) -> Iterator[Opening]:
    """The dates of a rule to a last one, with when each is opened."""
    for one in occurrences(rule.when, calendar, until):
        try:
            on = opened_on(one.day, rule.lead, calendar)
        except DateRangeError:
            continue
        yield Opening(one, on, moment(on, rule.at, zone))


def owed(
    rule: StartRule, calendar: WorkingCalendar, zone: ZoneInfo, since: dt.datetime, now: dt.datetime
) -> tuple[list[Opening], Opening | None]:
    """What a rule owes by now, oldest first, and what comes next; nothing that opened before it was switched on.

    Parameters
    ----------
    since, now : datetime
        In UTC, without a zone.
    """
    due: list[Opening] = []
    horizon = now.date() + dt.timedelta(days=AHEAD + 2 * rule.lead)
    for one in openings(rule, calendar, zone, horizon):
        if one.at <= since:
            continue
        if one.at > now:
            return due, one
        due.append(one)
    return due, None


AHEAD = 800
"""Days ahead in which the next date of a rule is looked for."""
