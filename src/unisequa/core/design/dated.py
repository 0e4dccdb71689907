"""Days where an offset is typed: read against the day of an anchor, where one is known."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.design.offsets import typed_when
from unisequa.core.documents.template import Template
from unisequa.core.errors import DateRangeError, TypedError

_TIME = re.compile(r"[ T]\d{1,2}:\d{2}(:\d{2})?$")
SOME_DAY = dt.date(2000, 1, 1)


def day_near(text: str, base: dt.date, *, month_first: bool) -> dt.date | None:
    """The day that a text says, of the year in which it lies nearest to another; None where it says none."""
    found: list[dt.date] = []
    for today in (base, base - dt.timedelta(days=270)):
        try:
            found.append(
                typed_date(
                    _TIME.sub("", text), today=today, base=base, calendar=WorkingCalendar(), month_first=month_first
                )
            )
        except (TypedError, DateRangeError):
            return None
    return min(found, key=lambda day: abs(day - base))


def from_day(zero: dt.date, day: dt.date, calendar: WorkingCalendar) -> str:
    """How far a day lies from another, as an offset is typed: in working days where work is done on both.

    >>> from_day(dt.date(2027, 3, 12), dt.date(2027, 3, 5), WorkingCalendar())
    '-5 wd'
    """
    a, b = zero.toordinal(), day.toordinal()
    if not (calendar.is_working_day(a) and calendar.is_working_day(b)):
        return f"{b - a:+d} d" if a != b else "0"
    n = calendar.count(a, b) if b > a else -calendar.count(b, a)
    return f"{n:+d} wd" if n else "0"


def offset_said(
    text: str,
    template: Template,
    days: Mapping[str, dt.date],
    calendar: WorkingCalendar | None = None,
    *,
    month_first: bool = False,
) -> str:
    """What was typed as an offset; of a day, its distance from the first anchor whose day is known.

    Raises
    ------
    TypedError
        For a day where no anchor's is known.
    """
    word = " ".join(text.split())
    try:
        typed_when(word, template.anchors, hours=template.grid == "minute")
    except TypedError:
        pass
    else:
        return text
    known = next((anchor for anchor in template.anchors if anchor.key in days), None)
    day = day_near(word, days[known.key] if known else SOME_DAY, month_first=month_first)
    if day is None or not template.anchors:
        return text
    if known is None:
        label = template.anchors[0].label
        raise TypedError(
            f'"{word}" is a day; rehearse on a date of {label}, and days are read against it, '
            f"or type how many days before or after {label}"
        )
    words = from_day(days[known.key], day, calendar or WorkingCalendar())
    return f"{words} {known.label}" if known is not template.anchors[0] else words
