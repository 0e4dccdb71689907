"""What a sheet needs to know of its days: how far the field reaches, and which of them are off.

Places in pixels are the browser's (``static/drawing``).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.days import WorkingCalendar

Zoom = Literal["day", "week", "month", "hour", "half", "whole"]
PX: dict[str, float] = {"day": 24, "week": 11, "month": 4, "hour": 1440, "half": 288, "whole": 96}
"""Pixels a day."""
ZOOMS: dict[str, tuple[tuple[Zoom, str], ...]] = {
    "day": (("day", "days"), ("week", "weeks"), ("month", "months")),
    "minute": (("hour", "hours"), ("half", "half days"), ("whole", "days")),
}
"""The zooms of a grid, the closest first, with their words."""
MOST_DAYS = 1500

DaysOff = tuple[int, int, str]
"""The first day off, how many there are, and what they are called."""


@dataclass(frozen=True, slots=True)
class Field:
    """A field of ``days`` columns from the day ``first`` on."""

    first: int
    days: int


def field_of(days: Iterable[int], *, margin: int = 7) -> Field:
    """From the Monday before the first day to the Sunday behind the last, margins added."""
    known = sorted(days)
    if not known:
        return Field(dt.date(2001, 1, 1).toordinal(), 28)
    first, last = max(known[0] - margin, 1), known[-1] + margin
    first -= (first + 6) % 7
    last += 6 - (last + 6) % 7
    return Field(first, min(last - first + 1, MOST_DAYS))


def field_of_hours(days: Iterable[int]) -> Field:
    """From the first day to the last, without any beside them: days are wide there."""
    known = sorted(days) or [dt.date(2001, 1, 1).toordinal()]
    return Field(known[0], min(known[-1] - known[0] + 1, MOST_DAYS))


def zoom_on(grid: str, zoom: Zoom) -> Zoom:
    """A zoom where a grid has it, or its closest."""
    return zoom if any(zoom == key for key, _ in ZOOMS[grid]) else ZOOMS[grid][0][0]


def days_off(field: Field, calendar: WorkingCalendar) -> tuple[DaysOff, ...]:
    """Days off run together; a named one stands alone so that its name can be told."""
    spans: list[DaysOff] = []
    run: int | None = None
    end = field.first + field.days
    calendar.cover(field.first, end)
    for day in range(field.first, end + 1):
        inside = day < end
        name = calendar.name_of(day) if inside else None
        off = inside and not calendar.is_working_day(day)
        if run is not None and (not off or name):
            spans.append((run, day - run, ""))
            run = None
        if off and name:
            spans.append((day, 1, name))
        elif off and run is None:
            run = day
    return tuple(spans)


def month_starts(first: int, last: int, apart: float) -> list[tuple[int, bool]]:
    """The first of some days, and of each month in them; whether there is room for its name, ``apart`` days each.

    The first, which is no whole month, gives way, and so does the last where little of it is there.

    >>> [(dt.date.fromordinal(day).isoformat(), named) for day, named in month_starts(738000, 738060, 20)]
    [('2021-07-29', False), ('2021-08-01', True), ('2021-09-01', True)]
    """
    days = [day for day in range(first, last) if day == first or dt.date.fromordinal(day).day == 1]
    found, before = [], float(last)
    for day in reversed(days):
        named = before - day >= apart
        before = day if named else before
        found.append((day, named))
    return found[::-1]
