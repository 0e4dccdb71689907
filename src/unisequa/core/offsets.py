"""A date measured from an anchor.

======================  =====================================================
unit                    D, for an anchor A and an offset n
======================  =====================================================
working days, n > 0     the n-th working day strictly after A
working days, n < 0     the \\|n\\|-th working day strictly before A
working days, n = 0     A, rolled
days, weeks             A + n, A + 7n days, rolled
months                  the same day n months on, clipped to the month's end, rolled
======================  =====================================================

The rolls are the business-day conventions of the trade, as the ISDA Definitions name them.
"""

from __future__ import annotations

import datetime as dt
from typing import Literal

from dateutil.relativedelta import relativedelta

from unisequa.core.calendar import FIRST_DAY, LAST_DAY, WorkingCalendar
from unisequa.core.errors import DateRangeError

DayUnit = Literal["working days", "days", "weeks", "months"]
Roll = Literal["following", "preceding", "modified following", "modified preceding", "none"]


def roll_day(day: int, roll: Roll, calendar: WorkingCalendar) -> int:
    """The working day that ``day`` is moved to; ``day`` itself where it is worked or the roll is none."""
    if roll == "none":
        return day
    following = calendar.roll_forward(day)
    if following == day:
        return day
    preceding = calendar.roll_back(day) - 1
    first, other = (following, preceding) if roll.endswith("following") else (preceding, following)
    if roll.startswith("modified") and dt.date.fromordinal(first).month != dt.date.fromordinal(day).month:
        return other
    return first


def unrolled_day(anchor: int, offset: int, unit: DayUnit, calendar: WorkingCalendar) -> int:
    """Where the offset itself falls, before any roll.

    Raises
    ------
    DateRangeError
        Outside the years 1 to 9999.
    """
    if unit == "working days":
        if offset == 0:
            return anchor
        return calendar.advance(anchor + 1, offset) - 1 if offset > 0 else calendar.retreat(anchor, -offset)
    if unit == "months":
        try:
            return (dt.date.fromordinal(anchor) + relativedelta(months=offset)).toordinal()
        except (ValueError, OverflowError) as error:
            raise DateRangeError(f"{offset} months from the anchor falls outside the years 1 to 9999") from error
    day = anchor + offset * (7 if unit == "weeks" else 1)
    if not FIRST_DAY <= day <= LAST_DAY:
        raise DateRangeError(f"{offset} {unit} from the anchor falls outside the years 1 to 9999")
    return day


def target_day(anchor: int, offset: int, unit: DayUnit, roll: Roll, calendar: WorkingCalendar) -> int:
    """The day D that is ``offset`` ``unit`` from ``anchor``, rolled.

    >>> friday = dt.date(2026, 7, 31).toordinal()
    >>> dt.date.fromordinal(target_day(friday, 1, "working days", "following", WorkingCalendar()))
    datetime.date(2026, 8, 3)
    """
    return roll_day(unrolled_day(anchor, offset, unit, calendar), roll, calendar)
