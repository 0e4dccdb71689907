"""When a repeat rule starts a run: recurrences of RFC 5545 on a working calendar.

A rule is the RRULE of that standard, read by python-dateutil, and what becomes of each of its dates:

=============  =========================================================================
working day n  the n-th working day of the period that the date lies in, n < 0 from its end
roll           else the date, rolled to a working day by a business-day convention
=============  =========================================================================

The period is the rule's own: a week (from Monday), a month or a year. So "the last working day of each month"
is ``FREQ=MONTHLY`` with working day -1, "every Monday" is ``FREQ=WEEKLY;BYDAY=MO``. A period with fewer working days
than asked for has no date.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from dateutil.rrule import rrule as Recurrence

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import LAST_DAY
from unisequa.core.documents.measures import roll_day
from unisequa.core.documents.rule import FREQUENCIES, RepeatRule, recurrence_of
from unisequa.core.errors import DateRangeError

MOST_DATES = 10_000


def dates(rule: RepeatRule, calendar: WorkingCalendar, until: dt.date) -> Iterator[dt.date]:
    """The dates from ``first`` to ``until``, in order, each once.

    >>> rule = RepeatRule(rrule="FREQ=MONTHLY", first=dt.date(2026, 1, 1), working_day=-1)
    >>> [day.isoformat() for day in dates(rule, WorkingCalendar(), dt.date(2026, 3, 31))]
    ['2026-01-30', '2026-02-27', '2026-03-31']
    """
    given = 0
    latest = dt.date.min
    recurrence = recurrence_of(rule.rrule, _start(rule))
    for moment in recurrence:
        day = _placed(rule, moment.date(), calendar, recurrence)
        if moment.date() > until and (day is None or day > until):
            return
        if day is None or not rule.first <= day <= until or day <= latest:
            continue
        latest = day
        yield day
        given += 1
        if given == MOST_DATES:
            return


def _start(rule: RepeatRule) -> dt.date:
    """Where the recurrence is counted from: where only the period matters, at its beginning."""
    if rule.working_day is None:
        return rule.first
    period = _period(rule.first, recurrence_of(rule.rrule, rule.first))
    return period[0]


def _placed(rule: RepeatRule, day: dt.date, calendar: WorkingCalendar, recurrence: Recurrence) -> dt.date | None:
    try:
        if rule.working_day is None:
            return dt.date.fromordinal(roll_day(day.toordinal(), rule.roll, calendar))
        first, last = (end.toordinal() for end in _period(day, recurrence))
        a, b = calendar.day_index(first), calendar.day_index(last + 1)
        k = b + rule.working_day if rule.working_day < 0 else a + rule.working_day - 1
        return dt.date.fromordinal(calendar.nth_day(k)) if a <= k < b else None
    except DateRangeError:
        return None


def _period(day: dt.date, rule: Recurrence) -> tuple[dt.date, dt.date]:
    """The first and the last day of the week, month or year that a day lies in."""
    kind = FREQUENCIES[rule._freq]  # type: ignore[attr-defined]
    if kind == "WEEKLY":
        monday = day - dt.timedelta(days=day.weekday())
        return monday, monday + dt.timedelta(days=6)
    if kind == "MONTHLY":
        following = (
            (day.replace(day=1) + dt.timedelta(days=31)).replace(day=1) if day.toordinal() < LAST_DAY - 31 else day
        )
        return day.replace(day=1), following - dt.timedelta(days=1)
    if kind == "YEARLY":
        return day.replace(month=1, day=1), day.replace(month=12, day=31)
    return day, day
