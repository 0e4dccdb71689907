"""Days across: from a day (or a working day of an outline) to a place in the field, in pixels."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import MONTHS

Zoom = Literal["day", "week", "month"]
PX: dict[str, float] = {"day": 24, "week": 11, "month": 4}
MOST_DAYS = 1500
ROW = 30
HEAD = 58


@dataclass(frozen=True, slots=True)
class Scale:
    """A field of ``days`` columns from ``first`` on, each ``px`` wide."""

    first: int
    days: int
    px: float

    @property
    def width(self) -> float:
        """Of the whole field."""
        return self.days * self.px

    @property
    def first_iso(self) -> str:
        """The first column's date."""
        return dt.date.fromordinal(self.first).isoformat()

    def x(self, boundary: float) -> float:
        """Where a boundary is."""
        return round((boundary - self.first) * self.px, 1)


@dataclass(frozen=True, slots=True)
class Tick:
    """A word in the head."""

    x: float
    text: str
    off: bool = False


@dataclass(frozen=True, slots=True)
class Stripe:
    """A span of days off; ``name`` is the holiday's or closure's."""

    x: float
    width: float
    name: str = ""


@dataclass(frozen=True, slots=True)
class Plumb:
    """A line of full height: an anchor, today or a day with a label; ``text`` is empty where it has no room."""

    kind: Literal["anchor", "today", "label"]
    x: float
    text: str
    full: str
    anchor_end: bool = False


@dataclass(frozen=True, slots=True)
class Head:
    """What stands above the field."""

    months: tuple[Tick, ...]
    days: tuple[Tick, ...]
    letters: tuple[Tick, ...]
    weeks: tuple[float, ...]


def date_scale(days: Iterable[int], zoom: Zoom, *, margin: int = 7) -> Scale:
    """A scale from the Monday before the first day to the Sunday behind the last, margins added."""
    known = sorted(days)
    if not known:
        return Scale(dt.date(2001, 1, 1).toordinal(), 28, PX[zoom])
    first, last = max(known[0] - margin, 1), known[-1] + margin
    first -= (first + 6) % 7
    last += 6 - (last + 6) % 7
    return Scale(first, min(last - first + 1, MOST_DAYS), PX[zoom])


def head_of(scale: Scale, calendar: WorkingCalendar) -> Head:
    """Months, and every day (or every Monday where days are narrow)."""
    months, numbers, letters, weeks = [], [], [], []
    calendar.cover(scale.first, scale.first + scale.days)
    for day in range(scale.first, scale.first + scale.days):
        date = dt.date.fromordinal(day)
        monday = date.weekday() == 0
        if date.day == 1 or day == scale.first or (monday and scale.px >= PX["day"]):
            months.append(Tick(scale.x(day), f"{MONTHS[date.month - 1]} {date.year}", off=date.day != 1))
        if monday:
            weeks.append(scale.x(day))
        if scale.px >= PX["day"]:
            off = not calendar.is_worked(day)
            numbers.append(Tick(scale.x(day + 0.5), str(date.day), off))
            letters.append(Tick(scale.x(day + 0.5), "MTWTFSS"[date.weekday()], off))
        elif monday and (scale.px > PX["month"] or date.day <= 7 or scale.px * 7 > 24):
            numbers.append(Tick(scale.x(day), str(date.day)))
    return Head(_apart(months, 96), tuple(numbers), tuple(letters), tuple(weeks))


def _apart(ticks: list[Tick], least: float) -> tuple[Tick, ...]:
    """Ticks without those that would run into the next one, or into the first of a month."""
    kept: list[Tick] = []
    for tick in ticks:
        while kept and tick.x - kept[-1].x < least and not tick.off:
            kept.pop()
        if not kept or tick.x - kept[-1].x >= (3 * least if tick.off else least):
            kept.append(tick)
    return tuple(kept)


def days_off(scale: Scale, calendar: WorkingCalendar) -> tuple[Stripe, ...]:
    """Days off run together; a named one stands alone so that its name can be told."""
    stripes: list[Stripe] = []
    run: int | None = None
    for day in range(scale.first, scale.first + scale.days + 1):
        inside = day < scale.first + scale.days
        name = calendar.name_of(day) if inside else None
        off = inside and not calendar.is_worked(day)
        if run is not None and (not off or name):
            stripes.append(Stripe(scale.x(run), round((day - run) * scale.px, 1)))
            run = None
        if off and name:
            stripes.append(Stripe(scale.x(day), scale.px, name))
        elif off and run is None:
            run = day
    return tuple(stripes)


CHARACTER = 6.4
"""Width of a character of the head's narrow face, in pixels, rounded up."""


def plumbs(lines: Iterable[tuple[Literal["anchor", "today", "label"], float, str]], width: float) -> tuple[Plumb, ...]:
    """Lines with their words, given in the order in which they get room; who finds none keeps it for its tooltip."""
    taken: list[tuple[float, float]] = []
    placed = []
    for kind, x, text in lines:
        if not 0 <= x <= width:
            continue
        length = len(text) * CHARACTER + 12
        shown, end = "", False
        for a, b, flipped in ((x - 4, x + length, False), (x - length, x + 4, True)):
            if a >= -6 and b <= width + 6 and all(b <= c or a >= d for c, d in taken):
                taken.append((a, b))
                shown, end = text, flipped
                break
        placed.append(Plumb(kind, x, shown, text, end))
    return tuple(placed)
