"""A date measured from an anchor.

======================  =====================================================
unit                    D, for an anchor A and an offset n
======================  =====================================================
working days, n > 0     the n-th working day strictly after A
working days, n < 0     the \\|n\\|-th working day strictly before A
working days, n = 0     A, rolled
days, weeks             A + n, A + 7n days, rolled
months                  the same day n months on, clipped to the month's end, rolled
hours, minutes          A + n of elapsed time, rolled
working hours, minutes  A ⊕ n on the calendar: ``advance`` or ``retreat``
======================  =====================================================

The rolls are the business-day conventions of the trade, as the ISDA Definitions name them. On the day grid
D is a day. On the minute grid it is an instant: units of days keep the anchor's time of day, a start is rolled
to a minute that is worked, a finish to one right behind a minute that is.
"""

from __future__ import annotations

import datetime as dt

from dateutil.relativedelta import relativedelta

from unisequa.core.calendars.days import WithInterval, WorkingCalendar
from unisequa.core.calendars.grid import MINUTES, Grid, read_span
from unisequa.core.calendars.words import count_words
from unisequa.core.documents.template import Measure
from unisequa.core.errors import DateRangeError
from unisequa.core.terms import DAY_UNITS, Edge, Roll


def roll_day(day: int, roll: Roll, calendar: WorkingCalendar) -> int:
    """The worked slot that ``day`` is moved to; ``day`` itself where it is worked or the roll is none.

    On the minute grid a slot is a minute.
    """
    if roll == "none":
        return day
    following = calendar.roll_forward(day)
    if following == day:
        return day
    preceding = calendar.roll_back(day) - 1
    first, other = (following, preceding) if roll.endswith("following") else (preceding, following)
    if roll.startswith("modified") and _month(first, calendar.grid) != _month(day, calendar.grid):
        return other
    return first


def _month(slot: int, grid: Grid) -> int:
    return dt.date.fromordinal(grid.day(slot)).month


def offset_slots(measure: Measure, calendar: WorkingCalendar) -> int:
    """An offset in hours and minutes as minutes; a day of it is a working day's hours, or 24 of elapsed time."""
    working = measure.unit.startswith("working")
    if isinstance(measure.offset, str):
        return read_span(measure.offset, calendar.per_day if working else MINUTES)
    return measure.offset * (60 if measure.unit.endswith("hours") else 1)


def unrolled(anchor: int, measure: Measure, calendar: WorkingCalendar) -> int:
    """Where the offset itself falls, before any roll: a day, or on the minute grid an instant.

    Raises
    ------
    DateRangeError
        Outside the years 1 to 9999.
    """
    grid, unit, offset = calendar.grid, measure.unit, measure.offset
    if isinstance(offset, str) or unit not in DAY_UNITS:
        slots = offset_slots(measure, calendar)
        return calendar.advance(anchor, slots) if unit.startswith("working") else grid.elapse(anchor, slots)
    if grid.per_day == 1:
        return _unrolled_day(anchor, offset, unit, calendar)
    if not offset:
        return anchor
    day, minute = divmod(grid.shown(anchor), MINUTES)
    return grid.at(_unrolled_day(day, offset, unit, calendar) * MINUTES + minute)


def _unrolled_day(anchor: int, offset: int, unit: str, calendar: WorkingCalendar) -> int:
    if unit == "working days":
        if offset == 0:
            return anchor
        if offset > 0:
            return calendar.nth_day(calendar.day_index(anchor + 1) + offset - 1)
        return calendar.nth_day(calendar.day_index(anchor) + offset)
    try:
        date = dt.date.fromordinal(anchor)
        if unit == "months":
            return (date + relativedelta(months=offset)).toordinal()
        return (date + dt.timedelta(days=offset * (7 if unit == "weeks" else 1))).toordinal()
    except (ValueError, OverflowError) as error:
        raise DateRangeError(f"{offset} {unit} from the anchor falls outside the years 1 to 9999") from error


def measured(anchor: int, measure: Measure, calendar: WorkingCalendar, edge: Edge = "start") -> int:
    """The date D that a measure gives, rolled; on the minute grid as the boundary for that end.

    >>> friday = dt.date(2026, 7, 31).toordinal()
    >>> dt.date.fromordinal(measured(friday, Measure(anchor="a", offset=1), WorkingCalendar()))
    datetime.date(2026, 8, 3)
    """
    raw = unrolled(anchor, measure, calendar)
    minute = calendar.grid.per_day > 1
    if minute and measure.unit in {"working hours", "working minutes"}:
        return raw
    if minute and measure.unit == "working days" and isinstance(measure.offset, str):
        return raw
    ends = minute and edge == "finish"
    return roll_day(raw - ends, measure.roll, calendar) + ends


def standing_calendar(measure: Measure, day: int, edge: Edge, calendar: WorkingCalendar) -> WorkingCalendar:
    """The calendar of a task whose date is not rolled: what it falls on counts as worked for it alone.

    On the minute grid that is the whole day.
    """
    grid = calendar.grid
    slot = day - (edge == "finish" and grid.per_day > 1)
    if measure.roll != "none" or calendar.is_worked(slot):
        return calendar
    day_off = grid.day(slot)
    return WithInterval(calendar, grid.day_start(day_off), grid.day_start(day_off + 1))


def offset_words(measure: Measure, label: str) -> str:
    """How a date is measured.

    >>> offset_words(Measure(anchor="a", offset=-2), "Period end")
    '2 working days before Period end'
    """
    offset = measure.offset
    if offset == 0:
        return f"on {label}"
    side = "after"
    if isinstance(offset, str):
        back = offset.lstrip()[:1] in {"-", "−"}
        amount = offset.strip().lstrip("+-−").strip() + (" of work" if measure.unit.startswith("working") else "")
        return f"{amount} {'before' if back else 'after'} {label}"
    side = "after" if offset > 0 else "before"
    return f"{count_words(abs(offset), measure.unit.removesuffix('s'))} {side} {label}"
