"""Dates as people type them: ``fri``, ``12 mar``, ``wd+2``; and times, ``fri 19:40``."""

from __future__ import annotations

import datetime as dt
import re
from calendar import monthrange

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import FIRST_DAY, LAST_DAY, MINUTES, Grid, read_span
from unisequa.core.calendars.words import MONTHS, day_words
from unisequa.core.errors import TypedError

_RELATIVE = re.compile(
    r"^(?P<wd>wd\s*)?(?P<sign>[+−–-])\s*(?P<n>\d{1,5})\s*"
    r"(?P<unit>wd|working days?|d|days?|w|wk|weeks?|mo|months?)?$"
)


_WEEKDAYS = {name: i for i, name in enumerate(("mon", "tue", "wed", "thu", "fri", "sat", "sun"))}


_WEEKDAY = re.compile(
    r"^(mon|tue|wed|thu|fri|sat|sun)(?:day|sday|nesday|rsday|urday)?[.,]?(?:\s+(\d.*|[a-z]{3,}\.?\s*\d.*))?$"
)


_DAY_MONTH = re.compile(r"^(\d{1,2})(?:st|nd|rd|th)?\.?[\s-]*([a-z]{3,})\.?,?(?:[\s-]+(\d{4}|\d{2}))?$")


_MONTH_DAY = re.compile(r"^([a-z]{3,})\.?\s*(\d{1,2})(?:st|nd|rd|th)?,?(?:\s+(\d{4}|\d{2}))?$")


_DOTTED = re.compile(r"^(\d{1,2})\.\s*(\d{1,2})\.?(?:\s*(\d{4}|\d{2}))?$")


_SLASHED = re.compile(r"^(\d{1,2})/(\d{1,2})(?:/(\d{4}|\d{2}))?$")


_DASHED = re.compile(r"^(\d{1,2})-(\d{1,2})-(\d{4})$")


_YEAR_FIRST = re.compile(r"^(\d{4})[/.-](\d{1,2})[/.-](\d{1,2})$")


_CLOCKED = re.compile(r"^([+−–-]?)\s*(\d{1,4}):([0-5]\d)$")


_PART_OF_HOUR = re.compile(r"(\d+)[.,](\d{1,3})\s*h(?:(?:ou)?rs?)?(?![a-z])")


_UNIT_OF_TIME = re.compile(r"(?<=\d)\s*(?:(d)(?:ays?)?|(h)(?:(?:ou)?rs?)?|(m)(?:in(?:ute)?s?)?)(?![a-z])")


_END_OF_MONTH = {"eom", "end of month", "end of the month"}


_NEAR = {"yesterday": -1, "today": 0, "tomorrow": 1}


class UnreadError(TypedError):
    """What was typed is no date at all."""


def typed_date(
    text: str, *, today: dt.date, base: dt.date | None, calendar: WorkingCalendar, month_first: bool = False
) -> dt.date:
    """The date somebody typed.

    ``2026-08-31`` · ``12 mar`` (the nearest one to today that lies ahead, or up to three months back), ``12 mar 27``,
    ``12.3.``, ``12.3.2027`` · ``12/3/2027`` and ``12-3-2027``, the day before the month unless ``month_first``, but
    ``2027/3/12`` · ``fri`` (the next one from today, today included) · ``Fri 5 Jun 2026``, ``Friday, June 5, 2026`` ·
    ``yesterday``, ``today``, ``tomorrow`` · ``eom``, the last day of this month · ``+3``, ``-3`` days, ``+1w`` weeks,
    ``+1mo`` months and ``wd+2``, ``+2 wd`` working days from ``base``, or from today without one.

    Raises
    ------
    TypedError

    >>> friday = dt.date(2026, 8, 7)
    >>> typed_date("wd+2", today=friday, base=friday, calendar=WorkingCalendar())
    datetime.date(2026, 8, 11)
    """
    word = " ".join(text.lower().split())
    if word in _NEAR:
        return today + dt.timedelta(days=_NEAR[word])
    if word in _END_OF_MONTH:
        return today.replace(day=monthrange(today.year, today.month)[1])
    if relative := _RELATIVE.match(word):
        return _counted(text, relative, (base or today).toordinal(), calendar)
    if (relative := _RELATIVE.match(f"+{word}")) and relative["unit"]:
        raise TypedError(f'"{text}" may be later or earlier; type +{word} or -{word}')
    named = _WEEKDAY.match(word)
    if named and not named[2]:
        return today + dt.timedelta(days=(_WEEKDAYS[named[1][:3]] - today.weekday()) % 7)
    if named:
        date = typed_date(named[2], today=today, base=base, calendar=calendar, month_first=month_first)
        if date.weekday() != _WEEKDAYS[named[1][:3]]:
            raise TypedError(f'"{text}": {named[2]} is another day of the week, {day_words(date, year=True)}')
        return date
    if parts := _DAY_MONTH.match(word):
        return _named(text, int(parts[1]), _month(text, parts[2]), parts[3], today)
    if parts := _MONTH_DAY.match(word):
        return _named(text, int(parts[2]), _month(text, parts[1]), parts[3], today)
    if parts := _DOTTED.match(word):
        return _named(text, int(parts[1]), int(parts[2]), parts[3], today)
    if parts := _YEAR_FIRST.match(word):
        word = f"{parts[1]}-{parts[2]:0>2}-{parts[3]:0>2}"
    if parts := _SLASHED.match(word) or _DASHED.match(word):
        day, month = (parts[2], parts[1]) if month_first else (parts[1], parts[2])
        return _named(text, int(day), int(month), parts[3], today, month_first=month_first)
    try:
        return dt.date.fromisoformat(word)
    except ValueError:
        message = f'"{text}" is no date; type 2026-08-31, 12 mar, 12.3., fri, +3 (days), +1w or wd+2 (working days)'
        raise UnreadError(message) from None


def _counted(text: str, relative: re.Match[str], start: int, calendar: WorkingCalendar) -> dt.date:
    """So many days, working days, weeks or months from a day."""
    n = int(relative["n"]) * (1 if relative["sign"] == "+" else -1)
    unit = "wd" if relative["wd"] else (relative["unit"] or "d")
    if unit.startswith("w") and unit not in {"wd", "working day", "working days"}:
        day = start + 7 * n
    elif unit.startswith("mo"):
        return _months_on(text, dt.date.fromordinal(start), n)
    elif unit.startswith("d"):
        day = start + n
    else:
        day = calendar.advance(start + 1, n) - 1 if n > 0 else calendar.retreat(start, -n)
    if not FIRST_DAY <= day <= LAST_DAY:
        raise TypedError(f'"{text}" falls outside the years 1 to 9999')
    return dt.date.fromordinal(day)


def _months_on(text: str, day: dt.date, n: int) -> dt.date:
    year, month = divmod(day.year * 12 + day.month - 1 + n, 12)
    if not 1 <= year <= 9999:
        raise TypedError(f'"{text}" falls outside the years 1 to 9999')
    return dt.date(year, month + 1, min(day.day, monthrange(year, month + 1)[1]))


def _month(text: str, name: str) -> int:
    months = [i for i, month in enumerate(MONTHS, 1) if month.lower().startswith(name) or (name == "sept" and i == 9)]
    if len(months) != 1:
        raise TypedError(f'"{text}": no month "{name}"')
    return months[0]


def _named(text: str, day: int, month: int, year: str | None, today: dt.date, *, month_first: bool = False) -> dt.date:
    """A day and month, in a year or in the nearest; of two digits a year is of this century."""
    if not 1 <= month <= 12:
        habit = "the month is read first, as your account says" if month_first else "the day is read before the month"
        raise TypedError(f'"{text}": there is no month {month}; {habit}')
    years = [int(year) + (2000 if len(year) == 2 else 0)] if year else list(range(today.year, today.year + 9))
    for candidate in years:
        try:
            date = dt.date(candidate, month, day)
        except ValueError:
            continue
        if year or date >= today - dt.timedelta(days=92):
            return date
    raise TypedError(f'"{text}": there is no such day')


_TIME = re.compile(r"^(?:(.*?)\s+)?(\d{1,2})(?:[:.h](\d{2}))?(?:\s*([ap])\.?m\.?)?$", re.IGNORECASE)


_ISO = re.compile(r"(?<=\d)T(?=\d)")


_LATER = re.compile(r"^([+−-])\s*((?:\d{1,3}\s*h)?\s*(?:\d{1,4}\s*m(?:in)?)?)$")


def typed_moment(
    text: str,
    *,
    today: dt.date,
    base: dt.datetime | None,
    calendar: WorkingCalendar,
    grid: Grid,
    month_first: bool = False,
) -> dt.date:
    """What somebody typed for a date of a job: on the day grid a date; on the minute grid a time, or a date alone.

    ``19:40``, ``7:40 pm``, ``7pm`` (on the day of ``base``, or today) · ``fri 19:40`` · ``2026-08-31T19:40`` ·
    ``+20m``, ``-1h 30m`` from ``base`` · a date as :func:`typed_date` reads it, at the time of ``base`` where there
    is one.

    Raises
    ------
    TypedError

    >>> at = dt.datetime(2026, 8, 7, 19, 30)
    >>> typed_moment("+20m", today=at.date(), base=at, calendar=WorkingCalendar(), grid=Grid(1440))
    datetime.datetime(2026, 8, 7, 19, 50)
    """
    base_day = base.date() if base else None
    if grid.per_day == 1:
        return typed_date(text, today=today, base=base_day, calendar=calendar, month_first=month_first)
    word = " ".join(text.split())
    if base is not None and (later := _LATER.match(word)) and later[2].strip():
        minutes = read_span(later[2].replace("min", "m"), MINUTES)
        return base + dt.timedelta(minutes=minutes if later[1] == "+" else -minutes)
    try:
        found = dt.datetime.fromisoformat(word) if _ISO.search(word) else None
        return found or _at_time(word, today, base, calendar, month_first)
    except (ValueError, UnreadError):
        message = f'"{text}" is no time; type 19:40, fri 7:40 pm, 2026-08-31 19:40 or +20m'
        raise TypedError(message) from None


def counted_from(grid: Grid, at: int | None) -> dt.datetime | None:
    """What a relative date, or time, is counted from: where something stands, as people read it."""
    if at is None:
        return None
    moment = grid.moment(at)
    return moment if isinstance(moment, dt.datetime) else dt.datetime.combine(moment, dt.time())


def _at_time(
    word: str, today: dt.date, base: dt.datetime | None, calendar: WorkingCalendar, month_first: bool
) -> dt.date:
    by_day = WorkingCalendar(
        calendar.name, calendar.week, holidays=calendar.holidays, closures=calendar.closures, extra=calendar.extra
    )
    timed = _timed(word)
    day = timed[0] if timed else word
    on = base.date() if base else dt.date(today.year, today.month, today.day)
    if day:
        from_day = base.date() if base else None
        on = typed_date(day, today=today, base=from_day, calendar=by_day, month_first=month_first)
    if timed:
        return dt.datetime.combine(on, timed[1])
    return on if base is None else dt.datetime.combine(on, base.time())


def _timed(word: str) -> tuple[str, dt.time] | None:
    """The day before a time of day, as it was typed, and that time; of one with am or pm the twelve hours of that half.

    Raises
    ------
    ValueError
        Where there is no such time.

    >>> _timed("fri 7:40 pm"), _timed("12am"), _timed("2026-08-31T19.40"), _timed("tue")
    (('fri', datetime.time(19, 40)), ('', datetime.time(0, 0)), ('2026-08-31', datetime.time(19, 40)), None)
    """
    found = _TIME.match(_ISO.sub(" ", word))
    if not found or not (found[3] or found[4]):
        return None
    hour, minute, half = int(found[2]), int(found[3] or 0), (found[4] or "").lower()
    if half and not 1 <= hour <= 12:
        raise ValueError(word)
    return found[1] or "", dt.time(hour % 12 + 12 * (half == "p") if half else hour, minute)


def typed_past(text: str, *, today: dt.date, month_first: bool = False) -> dt.date | None:
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
    day = typed_date(text, today=today, base=None, calendar=WorkingCalendar(), month_first=month_first)
    if day > today and text.strip().lower()[:3] in _WEEKDAYS and day - today < dt.timedelta(days=7):
        day -= dt.timedelta(days=7)
    if day > today:
        raise TypedError(f"{day_words(day)} has not come yet; give today or an earlier day")
    return day


def typed_when(text: str, *, today: dt.date, month_first: bool = False) -> dt.date | None:
    """When something was done, as typed: a day as :func:`typed_past` reads it, or a time, of today or of such a day.

    Raises
    ------
    TypedError

    >>> typed_when("fri 19:40", today=dt.date(2026, 8, 10))
    datetime.datetime(2026, 8, 7, 19, 40)
    """
    try:
        timed = _timed(" ".join(text.split()))
    except ValueError:
        raise TypedError(f'"{text}" is no time; type 19:40, or fri 7:40 pm') from None
    if timed is None:
        return typed_past(text, today=today, month_first=month_first)
    day = typed_past(timed[0] or "today", today=today, month_first=month_first)
    return dt.datetime.combine(day or today, timed[1])


_WORKING_DAYS = re.compile(r"^(\d{1,5})\s*(?:(d|days?)|wd|working days?|(w|wk|weeks?))?$", re.IGNORECASE | re.ASCII)


def typed_days(text: str, *, plain: bool = True) -> int | None:
    """A number of working days as people type it, a week being five; None for what is none.

    Days alone are taken for working ones where that is ``plain``.

    >>> typed_days("3"), typed_days("3 days"), typed_days("2 w"), typed_days("-1")
    (3, 3, 10, None)
    """
    found = _WORKING_DAYS.match(" ".join(text.split()))
    return int(found[1]) * (5 if found[3] else 1) if found and (plain or not found[2]) else None


def typed_span(text: str) -> str:
    """A length of time as people write it, as :func:`~unisequa.core.calendars.grid.read_span` reads it.

    What is understood by neither stays as it was typed, for that to refuse.

    >>> typed_span("1.5 hours"), typed_span("90 min"), typed_span("1:05"), typed_span("0"), typed_span("soon")
    ('1h 30m', '90m', '1h 5m', '0m', 'soon')
    """
    word = " ".join(text.split()).casefold()
    if word in {"0", "milestone", "ms"}:
        return "0m"
    if clocked := _CLOCKED.match(word):
        return f"{clocked[1]}{int(clocked[2])}h {int(clocked[3])}m"
    word = _PART_OF_HOUR.sub(lambda part: f"{part[1]}h {round(float(f'0.{part[2]}') * 60)}m", word)
    word = _UNIT_OF_TIME.sub(lambda unit: unit[1] or unit[2] or unit[3], word)
    try:
        read_span(word, MINUTES)
    except ValueError:
        return text
    return word
