"""When a repeat rule starts a run: recurrences of RFC 5545 on a working calendar.

A rule is the RRULE of that standard, read by python-dateutil, and what becomes of each of its dates:

=============  =========================================================================
working day n  the n-th working day of the period that the date lies in, n < 0 from its end
roll           else the date, rolled to a working day by a business-day convention
=============  =========================================================================

The period is the rule's own: a week (from Monday), a month or a year. So "the last working day of each month"
is ``FREQ=MONTHLY`` with working day -1, "every Monday" is ``FREQ=WEEKLY;BYDAY=MO``. A period with fewer working days
than asked for has no date.

Each date knows its **period**, for which nothing is started twice: the week, month or year in which it was written;
where several are written in one, the days from it until the next.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass

from dateutil.rrule import rrule as Recurrence

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import LAST_DAY
from unisequa.core.documents.measures import roll_day
from unisequa.core.documents.rule import FREQUENCIES, RepeatRule, recurrence_of
from unisequa.core.errors import DateRangeError

MOST_DATES = 10_000
FURTHER = dt.timedelta(days=800)
"""How far behind the last date asked for a recurrence is looked at: its roll may bring one back, and what comes next
says where a period ends. A rule that never falls on a day is not followed to the year 9999."""


@dataclass(frozen=True, slots=True)
class Occurrence:
    """One date of a rule.

    Parameters
    ----------
    day : date
        Where it lands.
    written : date
        Where the recurrence puts it, before a roll; the day itself where the n-th working day is asked for.
    counted : date
        The recurrence's own day, by which it is known whatever the calendar says later.
    period : pair of date
        First and last day of its period.
    """

    day: dt.date
    written: dt.date
    counted: dt.date
    period: tuple[dt.date, dt.date]

    @property
    def rolled(self) -> bool:
        """Whether a day off moved it."""
        return self.day != self.written


def dates(rule: RepeatRule, calendar: WorkingCalendar, until: dt.date) -> Iterator[dt.date]:
    """The dates from ``first`` to ``until``, in order, each once.

    >>> rule = RepeatRule(rrule="FREQ=MONTHLY", first=dt.date(2026, 1, 1), working_day=-1)
    >>> [day.isoformat() for day in dates(rule, WorkingCalendar(), dt.date(2026, 3, 31))]
    ['2026-01-30', '2026-02-27', '2026-03-31']
    """
    return (one.day for one in occurrences(rule, calendar, until))


def occurrences(rule: RepeatRule, calendar: WorkingCalendar, until: dt.date) -> Iterator[Occurrence]:
    """The same with where each was written and for which period it stands."""
    given = 0
    latest = dt.date.min
    for before, counted, following, recurrence in _counted(rule, until):
        day = _placed(rule, counted, calendar, recurrence)
        if counted > until and (day is None or day > until):
            return
        if day is None or not rule.first <= day <= until or day <= latest:
            continue
        latest = day
        written = day if rule.working_day is not None else counted
        yield Occurrence(day, written, counted, _stretch(before, counted, following, recurrence))
        given += 1
        if given == MOST_DATES:
            return


_Day = dt.date | None


def _counted(rule: RepeatRule, until: dt.date) -> Iterator[tuple[_Day, dt.date, _Day, Recurrence]]:
    """The recurrence's days with those before and behind them, to some way behind the last that is asked for."""
    recurrence = recurrence_of(rule.rrule, _start(rule))
    if recurrence._count is None:  # type: ignore[attr-defined]
        end = dt.datetime.combine(until + min(FURTHER, dt.date.max - until), dt.time())
        given = recurrence._until  # type: ignore[attr-defined]
        recurrence = recurrence.replace(until=end if given is None else min(end, given))
    days = (moment.date() for moment in recurrence)
    before, day = None, next(days, None)
    while day is not None:
        following = next(days, None)
        yield before, day, following, recurrence
        before, day = day, following


def _stretch(before: _Day, day: dt.date, following: _Day, recurrence: Recurrence) -> tuple[dt.date, dt.date]:
    """The period that a day stands for; a rule of every other week stands for the week, not for both."""
    first, last = _period(day, recurrence)
    if (following is None or following > last) and (before is None or before < first):
        return first, last
    return day, min(last, following - dt.timedelta(days=1)) if following is not None else last


def _start(rule: RepeatRule) -> dt.date:
    """Where the recurrence is counted from: where only the period matters, at its beginning."""
    if rule.working_day is None:
        return rule.first
    period = _period(rule.first, recurrence_of(rule.rrule, rule.first))
    return period[0]


def _placed(rule: RepeatRule, day: dt.date, calendar: WorkingCalendar, recurrence: Recurrence) -> dt.date | None:
    try:
        if rule.working_day is None:
            if rule.roll == "skip":
                return day if calendar.is_working_day(day.toordinal()) else None
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
