"""The next dates of a rule, drawn: some days each, days off tinted, dotted where it is written, full where it lands."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.clock.rules import Dates
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import day_words
from unisequa.core.clock.opening import Opening

DAY = 9.0
"""Width of a day, in units of the drawing."""
SHOWN = 10
LONGEST = 24


@dataclass(frozen=True, slots=True)
class DateSeen:
    """One date.

    Parameters
    ----------
    width : float
        Of the drawing.
    off : tuple of float
        Where the days off begin, each :data:`DAY` wide.
    written, lands : float
        The middle of the day where it is written, and of that where it lands.
    """

    month: str
    day: str
    why: str
    opens: str
    width: float
    off: tuple[float, ...]
    written: float
    lands: float

    @property
    def rolled(self) -> bool:
        """Whether it was moved."""
        return self.written != self.lands


def drawn(dates: Dates, today: dt.date) -> tuple[DateSeen, ...]:
    """The dates as they are drawn."""
    return tuple(_date(one, dates.calendar, today) for one in dates.openings)


def _date(one: Opening, calendar: WorkingCalendar, today: dt.date) -> DateSeen:
    date = one.date
    last = max(date.day, date.written).toordinal() + 1
    first = min(last - SHOWN + 1, min(date.day, date.written).toordinal() - 1)
    first = max(first, last - LONGEST)
    days = range(first, last + 1)
    off = tuple((day - first) * DAY for day in days if not calendar.is_working_day(day))
    opens = f"opens {day_words(one.on)}"
    return DateSeen(
        f"{date.counted:%B}" + (f" {date.counted.year}" if date.counted.year != today.year else ""),
        day_words(date.day), _why(one, calendar), opens, len(days) * DAY, off,
        (date.written.toordinal() - first + 0.5) * DAY, (date.day.toordinal() - first + 0.5) * DAY,
    )  # fmt: skip


def _why(one: Opening, calendar: WorkingCalendar) -> str:
    date = one.date
    if not date.rolled:
        return "as written"
    name = calendar.name_of(date.written.toordinal())
    return f"not {date.written.day}, {name or f'a {date.written:%A}'}"
