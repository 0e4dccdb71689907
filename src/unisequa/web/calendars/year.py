"""A year of a working calendar, drawn: a row a month, a mark a day."""

from __future__ import annotations

import calendar
import datetime as dt
from dataclasses import dataclass

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import MONTHS, day_words
from unisequa.core.documents.calendar import CalendarDocument

CELL = 24
LEFT = 52


@dataclass(frozen=True, slots=True)
class DayMark:
    """A day: where it stands, what kind it is (work, rest, holiday, closed, extra) and what to say of it."""

    x: int
    y: int
    number: int
    kind: str
    words: str


@dataclass(frozen=True, slots=True)
class Year:
    """A year; ``named`` are its public holidays and closures on days that would be worked, in order."""

    year: int
    width: int
    height: int
    months: tuple[tuple[int, str], ...]
    days: tuple[DayMark, ...]
    working: int
    named: tuple[tuple[str, str], ...]


def draw_year(document: CalendarDocument, year: int) -> Year:
    """A year of a calendar."""
    working = document.working()
    closed = frozenset(working.closures)
    marks: list[DayMark] = []
    named: list[tuple[str, str]] = []
    for month in range(1, 13):
        for number in range(1, calendar.monthrange(year, month)[1] + 1):
            date = dt.date(year, month, number)
            day = date.toordinal()
            kind, words = _kind(working, document, closed, day, date)
            marks.append(DayMark(LEFT + (number - 1) * CELL, (month - 1) * CELL, number, kind, words))
            if kind in {"holiday", "closed"} and document.week[date.weekday()] == "1":
                named.append((day_words(date), working.name_of(day) or ""))
    count = sum(mark.kind in {"work", "extra"} for mark in marks)
    months = tuple(((n - 1) * CELL, MONTHS[n - 1][:3]) for n in range(1, 13))
    return Year(year, LEFT + 31 * CELL, 12 * CELL, months, tuple(marks), count, tuple(named))


def _kind(
    working: WorkingCalendar, document: CalendarDocument, closed: frozenset[int], day: int, date: dt.date
) -> tuple[str, str]:
    words, name = day_words(date, year=True), working.name_of(day)
    if day in working.extra:
        return "extra", f"{words}: worked all the same"
    if day in closed:
        return "closed", f"{words}: {name}"
    if name is not None:
        return "holiday", f"{words}: {name}"
    return ("work", words) if document.week[date.weekday()] == "1" else ("rest", f"{words}: no working day")
