"""Dates as people type them: ``fri``, ``12 mar``, ``wd+2``; and times, ``fri 19:40``."""

from __future__ import annotations

import datetime as dt
import re

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import FIRST_DAY, LAST_DAY, MINUTES, Grid, read_span
from unisequa.core.calendars.words import MONTHS, day_words
from unisequa.core.errors import TypedError

_RELATIVE = re.compile(r"^(wd\s*)?([+−-])\s*(\d{1,5})$")


_WEEKDAYS = {name: i for i, name in enumerate(("mon", "tue", "wed", "thu", "fri", "sat", "sun"))}


_WEEKDAY = re.compile(r"^(mon|tue|wed|thu|fri|sat|sun)(?:day|sday|nesday|rsday|urday)?(?:\s+(\d.*))?$")


_DAY_MONTH = re.compile(r"^(\d{1,2})\.?\s*([a-z]{3,})\.?,?(?:\s+(\d{4}))?$")


_MONTH_DAY = re.compile(r"^([a-z]{3,})\.?\s*(\d{1,2}),?(?:\s+(\d{4}))?$")


_NEAR = {"yesterday": -1, "today": 0, "tomorrow": 1}


def typed_date(text: str, *, today: dt.date, base: dt.date | None, calendar: WorkingCalendar) -> dt.date:
    """The date somebody typed.

    ``2026-08-31`` · ``12 mar`` (the nearest one to today that lies ahead, or up to three months back) ·
    ``fri`` (the next one, today included) · ``Fri 5 Jun 2026`` · ``yesterday``, ``today``, ``tomorrow`` ·
    ``+3``, ``-3`` days and ``wd+2``, ``wd-2`` working days from ``base``, or from today without one.

    Raises
    ------
    TypedError

    >>> friday = dt.date(2026, 8, 7)
    >>> typed_date("wd+2", today=friday, base=friday, calendar=WorkingCalendar())
    datetime.date(2026, 8, 11)
    """
    word = " ".join(text.lower().split())
    start = (base or today).toordinal()
    if word in _NEAR:
        return today + dt.timedelta(days=_NEAR[word])
    if relative := _RELATIVE.match(word):
        n = int(relative[3]) * (1 if relative[2] == "+" else -1)
        day = start + n
        if relative[1]:
            day = calendar.advance(start + 1, n) - 1 if n > 0 else calendar.retreat(start, -n)
        if not FIRST_DAY <= day <= LAST_DAY:
            raise TypedError(f'"{text}" falls outside the years 1 to 9999')
        return dt.date.fromordinal(day)
    named = _WEEKDAY.match(word)
    if named and not named[2]:
        return today + dt.timedelta(days=(_WEEKDAYS[named[1][:3]] - today.weekday()) % 7)
    if named:
        date = typed_date(named[2], today=today, base=base, calendar=calendar)
        if date.weekday() != _WEEKDAYS[named[1][:3]]:
            raise TypedError(f'"{text}": {named[2]} is another day of the week, {day_words(date, year=True)}')
        return date
    if relative := _DAY_MONTH.match(word):
        return _named(text, int(relative[1]), relative[2], relative[3], today)
    if relative := _MONTH_DAY.match(word):
        return _named(text, int(relative[2]), relative[1], relative[3], today)
    try:
        return dt.date.fromisoformat(word)
    except ValueError:
        message = f'"{text}" is no date; type 2026-08-31, 12 mar, fri, +3 (days) or wd+2 (working days)'
        raise TypedError(message) from None


def _named(text: str, day: int, month: str, year: str | None, today: dt.date) -> dt.date:
    months = [i for i, name in enumerate(MONTHS, 1) if name.lower().startswith(month)]
    if len(months) != 1:
        raise TypedError(f'"{text}": no month "{month}"')
    years = [int(year)] if year else [today.year, today.year + 1, *range(today.year + 2, today.year + 9)]
    for candidate in years:
        try:
            date = dt.date(candidate, months[0], day)
        except ValueError:
            continue
        if year or date >= today - dt.timedelta(days=92):
            return date
    raise TypedError(f'"{text}": there is no such day')


_TIME = re.compile(r"^(?:(.*?)\s+)?(\d{1,2})(?::|\.|h)(\d{2})$")


_LATER = re.compile(r"^([+−-])\s*((?:\d{1,3}\s*h)?\s*(?:\d{1,4}\s*m(?:in)?)?)$")


def typed_moment(
    text: str, *, today: dt.date, base: dt.datetime | None, calendar: WorkingCalendar, grid: Grid
) -> dt.date:
    """What somebody typed for a date of a job: on the day grid a date; on the minute grid a time, or a date alone.

    ``19:40`` (on the day of ``base``, or today) · ``fri 19:40`` · ``2026-08-31T19:40`` · ``+20m``, ``-1h 30m`` from
    ``base`` · a date as :func:`typed_date` reads it, at the time of ``base`` where there is one.

    Raises
    ------
    TypedError

    >>> at = dt.datetime(2026, 8, 7, 19, 30)
    >>> typed_moment("+20m", today=at.date(), base=at, calendar=WorkingCalendar(), grid=Grid(1440))
    datetime.datetime(2026, 8, 7, 19, 50)
    """
    base_day = base.date() if base else None
    if grid.per_day == 1:
        return typed_date(text, today=today, base=base_day, calendar=calendar)
    word = " ".join(text.split())
    if base is not None and (later := _LATER.match(word)) and later[2].strip():
        minutes = read_span(later[2].replace("min", "m"), MINUTES)
        return base + dt.timedelta(minutes=minutes if later[1] == "+" else -minutes)
    try:
        return dt.datetime.fromisoformat(word) if "T" in word else _at_time(word, today, base, calendar)
    except ValueError:
        message = f'"{text}" is no time; type 19:40, fri 19:40, 2026-08-31 19:40 or +20m'
        raise TypedError(message) from None


def counted_from(grid: Grid, at: int | None) -> dt.datetime | None:
    """What a relative date, or time, is counted from: where something stands, as people read it."""
    if at is None:
        return None
    moment = grid.moment(at)
    return moment if isinstance(moment, dt.datetime) else dt.datetime.combine(moment, dt.time())


def _at_time(word: str, today: dt.date, base: dt.datetime | None, calendar: WorkingCalendar) -> dt.date:
    by_day = WorkingCalendar(
        calendar.name, calendar.week, holidays=calendar.holidays, closures=calendar.closures, extra=calendar.extra
    )
    timed = _TIME.match(word)
    day = (timed[1] or "") if timed else word
    on = base.date() if base else dt.date(today.year, today.month, today.day)
    if day:
        on = typed_date(day, today=today, base=base.date() if base else None, calendar=by_day)
    if timed:
        return dt.datetime.combine(on, dt.time(int(timed[2]), int(timed[3])))
    return on if base is None else dt.datetime.combine(on, base.time())


def typed_past(text: str, *, today: dt.date) -> dt.date | None:
    """The day on which something was done, as typed: a weekday is the last one, today included; nothing is None.

    Raises
    ------
    TypedError
        Also for a day that has not come yet.

    >>> typed_past("fri", today=dt.date(2026, 8, 10))
    datetime.date(2026, 8, 7)
    """
    if not text.strip():
        return None
    day = typed_date(text, today=today, base=None, calendar=WorkingCalendar())
    if day > today and text.strip().lower()[:3] in _WEEKDAYS and day - today < dt.timedelta(days=7):
        day -= dt.timedelta(days=7)
    if day > today:
        raise TypedError(f"{day_words(day)} has not come yet; give today or an earlier day")
    return day


def typed_when(text: str, *, today: dt.date) -> dt.date | None:
    """When something was done, as typed: a day as :func:`typed_past` reads it, or a time, of today or of such a day.

    Raises
    ------
    TypedError

    >>> typed_when("fri 19:40", today=dt.date(2026, 8, 10))
    datetime.datetime(2026, 8, 7, 19, 40)
    """
    timed = _TIME.match(" ".join(text.replace("T", " ").split()))
    if not timed:
        return typed_past(text, today=today)
    try:
        time = dt.time(int(timed[2]), int(timed[3]))
    except ValueError:
        raise TypedError(f'"{text}" is no time; type 19:40, or fri 19:40') from None
    return dt.datetime.combine(typed_past(timed[1] or "today", today=today) or today, time)
