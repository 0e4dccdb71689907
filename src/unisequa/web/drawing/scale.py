"""What a sheet needs to know of its days: how far the field reaches, and which of them are off.

Places in pixels are the browser's (``static/drawing``).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.days import WorkingCalendar

Zoom = Literal["day", "week", "month"]
PX: dict[str, float] = {"day": 24, "week": 11, "month": 4}
"""Pixels a day."""
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
