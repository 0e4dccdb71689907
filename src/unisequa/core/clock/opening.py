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


def working_days_from(day: dt.date, n: int, calendar: WorkingCalendar) -> dt.date:
    """The n-th working day after a day, or before it where n is negative; that day itself for 0.

    >>> calendar = WorkingCalendar()
    >>> [working_days_from(dt.date(2026, 11, 28), n, calendar).isoformat() for n in (-3, 0, 1)]  # a Saturday
    ['2026-11-25', '2026-11-28', '2026-11-30']
    """
    if not n:
        return day
    at = day.toordinal()
    index = calendar.day_index(at + 1) - 1 + n if n > 0 else calendar.day_index(at) + n
    return dt.date.fromordinal(calendar.nth_day(index))


def openings(rule: StartRule, calendar: WorkingCalendar, zone: ZoneInfo, until: dt.date) -> Iterator[Opening]:
    """The dates of a rule to a last one, with when each is opened."""
    for one in occurrences(rule.when, calendar, until):
        try:
            on = working_days_from(one.day, -rule.lead, calendar)
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
