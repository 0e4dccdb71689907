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
from typing import Annotated

from dateutil.rrule import DAILY, MONTHLY, WEEKLY, YEARLY, rrulestr
from dateutil.rrule import rrule as Recurrence
from pydantic import AfterValidator, Field, StrictInt
from pydantic import StringConstraints as Str

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import LAST_DAY
from unisequa.core.documents.measures import roll_day
from unisequa.core.documents.template import Model, Roll
from unisequa.core.errors import DateRangeError

MOST_DATES = 10_000
_FREQUENCIES = {DAILY: "DAILY", WEEKLY: "WEEKLY", MONTHLY: "MONTHLY", YEARLY: "YEARLY"}


def _readable(text: str) -> str:
    try:
        rule = _read(text, dt.date(2026, 1, 1))
    except (ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError) as error:
        raise ValueError(f"is no recurrence rule such as FREQ=MONTHLY;BYMONTHDAY=-1: {error}") from None
    if rule._freq not in _FREQUENCIES:  # type: ignore[attr-defined]
        raise ValueError("repeats within a day; use DAILY, WEEKLY, MONTHLY or YEARLY")
    return text


def _read(text: str, first: dt.date) -> Recurrence:
    if "\n" in text or ":" in text:
        raise ValueError("give the rule alone, without a name or a start")
    found = rrulestr(text, dtstart=dt.datetime.combine(first, dt.time()), ignoretz=True)
    if not isinstance(found, Recurrence):
        raise ValueError("give one rule")
    return found


class RepeatRule(Model):
    """A recurrence: ``rrule`` as in RFC 5545 without a start, from the day ``first``."""

    rrule: Annotated[str, Str(max_length=500), AfterValidator(_readable)]
    first: dt.date
    working_day: Annotated[StrictInt, Field(ge=-260, le=260)] | None = None
    roll: Roll = "following"

    def dates(self, calendar: WorkingCalendar, until: dt.date) -> Iterator[dt.date]:
        """The dates from ``first`` to ``until``, in order, each once.

        >>> rule = RepeatRule(rrule="FREQ=MONTHLY", first=dt.date(2026, 1, 1), working_day=-1)
        >>> [day.isoformat() for day in rule.dates(WorkingCalendar(), dt.date(2026, 3, 31))]
        ['2026-01-30', '2026-02-27', '2026-03-31']
        """
        given = 0
        latest = dt.date.min
        rule = _read(self.rrule, self._start())
        for moment in rule:
            day = self._placed(moment.date(), calendar, rule)
            if moment.date() > until and (day is None or day > until):
                return
            if day is None or not self.first <= day <= until or day <= latest:
                continue
            latest = day
            yield day
            given += 1
            if given == MOST_DATES:
                return

    def _start(self) -> dt.date:
        """Where the recurrence is counted from: where only the period matters, at its beginning."""
        if self.working_day is None:
            return self.first
        period = _period(self.first, _read(self.rrule, self.first))
        return period[0]

    def _placed(self, day: dt.date, calendar: WorkingCalendar, rule: Recurrence) -> dt.date | None:
        try:
            if self.working_day is None:
                return dt.date.fromordinal(roll_day(day.toordinal(), self.roll, calendar))
            first, last = (end.toordinal() for end in _period(day, rule))
            a, b = calendar.day_index(first), calendar.day_index(last + 1)
            k = b + self.working_day if self.working_day < 0 else a + self.working_day - 1
            return dt.date.fromordinal(calendar.nth_day(k)) if a <= k < b else None
        except DateRangeError:
            return None


def _period(day: dt.date, rule: Recurrence) -> tuple[dt.date, dt.date]:
    """The first and the last day of the week, month or year that a day lies in."""
    kind = _FREQUENCIES[rule._freq]  # type: ignore[attr-defined]
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
