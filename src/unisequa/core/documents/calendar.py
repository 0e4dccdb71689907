"""The calendar document: a week, public holidays, closures, working hours."""

from __future__ import annotations

import datetime as dt
import re
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field
from pydantic import StringConstraints as Str

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import DAYS, MINUTES, Grid
from unisequa.core.calendars.holidays import public_holidays
from unisequa.core.calendars.hours import WorkingHours
from unisequa.core.documents.template import WEEK, Label, Model, printable
from unisequa.core.errors import DocumentError, Fault
from unisequa.core.terms import MOST_DAYS


class AlsoHoliday(Model):
    """A public holiday that a country's list misses."""

    name: Annotated[str, Str(min_length=1, max_length=200), AfterValidator(printable)]
    date: dt.date


class Holidays(Model):
    """Public holidays by ISO codes, and ``also`` those by name that the lists miss."""

    country: Annotated[str, Str(pattern=r"^[A-Z]{2}$")]
    subdivision: Annotated[str, Str(max_length=10)] | None = None
    also: Annotated[tuple[AlsoHoliday, ...], Field(max_length=5000)] = ()


class Closure(Model):
    """Days on which nobody works, both ends included."""

    from_: dt.date = Field(alias="from")
    to: dt.date
    label: Annotated[str, Str(max_length=200), AfterValidator(printable)] = ""


class CalendarDocument(Model):
    """A working calendar; ``week`` is Monday to Sunday, 1 for working.

    ``hours`` are those of a working day, in order; one that ends at or before its start goes on after midnight.
    """

    format: Literal["unisequa-calendar/1"] = "unisequa-calendar/1"
    name: Label
    week: Annotated[str, Str(pattern=WEEK)] = "1111100"
    holidays: Holidays | None = None
    closures: Annotated[tuple[dt.date | Closure, ...], Field(max_length=5000)] = ()
    extra_working_days: Annotated[tuple[dt.date, ...], Field(max_length=5000)] = ()
    hours: Annotated[tuple[tuple[str, str], ...], Field(max_length=48)] = ()

    def written(self) -> dict[str, Any]:
        return {"format": self.format, **super().written()}

    def working(self, grid: Grid = DAYS) -> WorkingCalendar:
        """The calendar that computes, on a grid.

        Raises
        ------
        DocumentError
            For an unknown country, a closure that ends before it begins, hours that overlap or a week without a
            working day.
        """
        faults = []
        if "1" not in self.week:
            faults.append(Fault("week", "no day of the week is a working day; set at least one to 1"))
        try:
            minutes = working_minutes(self.hours or (("09:00", "17:00"),))
        except ValueError as error:
            faults.append(Fault("hours", str(error)))
        closed: dict[int, str] = {}
        for position, closure in enumerate(self.closures):
            if isinstance(closure, dt.date):
                closed[closure.toordinal()] = ""
                continue
            days = range(closure.from_.toordinal(), closure.to.toordinal() + 1)
            if not days or len(days) > MOST_DAYS:
                faults.append(Fault(f"closures[{position}]", "ends before it begins, or lasts over a hundred years"))
                continue
            closed.update(dict.fromkeys(days, closure.label))
        holidays = None
        if self.holidays:
            try:
                holidays = public_holidays(
                    self.holidays.country,
                    self.holidays.subdivision,
                    {day.date.toordinal(): day.name for day in self.holidays.also},
                )
            except ValueError as error:
                faults.append(Fault("holidays", f"{error}; use ISO 3166 codes such as GB and ENG"))
        if faults:
            raise DocumentError(faults)
        extra = (day.toordinal() for day in self.extra_working_days)
        made = WorkingCalendar(self.name, self.week, holidays=holidays, closures=closed, extra=extra)
        return made if grid.per_day == 1 else WorkingHours(made, minutes, grid)


_CLOCK = re.compile(r"^([01]\d|2[0-4]):([0-5]\d)$")


def working_minutes(hours: tuple[tuple[str, str], ...]) -> list[tuple[int, int]]:
    """Working hours as minutes of the day; what goes on after midnight ends beyond 1,440.

    Raises
    ------
    ValueError
        For what is no time of day, is out of order, overlaps, or takes longer than a day.

    >>> working_minutes((("09:00", "12:30"), ("22:00", "06:00")))
    [(540, 750), (1320, 1800)]
    """
    stretches: list[tuple[int, int]] = []
    for pair in hours:
        ends = []
        for text in pair:
            clock = _CLOCK.match(text)
            minute = int(clock[1]) * 60 + int(clock[2]) if clock else MINUTES + 1
            if minute > MINUTES:
                raise ValueError(f'"{text}" is no time of day; write it as 09:00')
            ends.append(minute)
        if ends[0] == ends[1]:
            raise ValueError(f'"{pair[0]}" to "{pair[1]}" is no time at all; 24 hours are written 00:00 to 24:00')
        stretches.append((ends[0], ends[1] if ends[1] > ends[0] else ends[1] + MINUTES))
    for (_, end), (start, _) in pairwise([*stretches, (stretches[0][0] + MINUTES, 0)]):
        if start < end:
            raise ValueError("must be in order and must not overlap, the night into the next day included")
    return [(a, b) for a, b in stretches if a < b]


def carried_over(document: CalendarDocument, old: CalendarDocument, new: CalendarDocument) -> CalendarDocument:
    """A copy of a calendar with what has become of the calendar since: its own closures and days stay.

    Parameters
    ----------
    document : CalendarDocument
        The copy, with days of its own perhaps.
    old, new : CalendarDocument
        The calendar before it was changed, and as it is now.

    >>> old, new = CalendarDocument(name="c"), CalendarDocument(name="c", closures=(dt.date(2026, 12, 24),))
    >>> own = CalendarDocument(name="c", closures=(dt.date(2026, 6, 1),))
    >>> [str(day) for day in carried_over(own, old, new).closures]
    ['2026-06-01', '2026-12-24']
    """
    changes: dict[str, Any] = {}
    for name in ("closures", "extra_working_days"):
        was, now, ours = getattr(old, name), getattr(new, name), getattr(document, name)
        kept = [one for one in ours if one in now or one not in was]
        changes[name] = (*kept, *(one for one in now if one not in was and one not in ours))
    for name in ("week", "holidays", "hours"):
        if getattr(document, name) == getattr(old, name):
            changes[name] = getattr(new, name)
    return document.model_copy(update=changes)


def days_changed(old: CalendarDocument, new: CalendarDocument, first: int, last: int) -> dict[int, str]:
    """Day → ``closed``, ``worked`` or ``other hours``, of the days between two, both included, that are other ones."""
    before, after = old.working(), new.working()
    hours = old.hours != new.hours
    found = {}
    for day in range(first, last + 1):
        was, now = before.is_working_day(day), after.is_working_day(day)
        if was != now:
            found[day] = "worked" if now else "closed"
        elif now and hours:
            found[day] = "other hours"
    return found
