"""When something is due, as a moment; how often what failed is tried again."""

from __future__ import annotations

import datetime as dt
from zoneinfo import ZoneInfo

from unisequa.core.calendars.clock_of_zone import MINUTES, clock_of, moment_of

PAUSES = tuple(dt.timedelta(minutes=n) for n in (1, 5, 25, 120, 600))
"""How long after each failure something is tried again; behind the last it is set aside."""
TOO_LATE = dt.timedelta(days=1)
"""So long past its moment a message says nothing any more."""


def moment(day: dt.date, at: str, zone: ZoneInfo) -> dt.datetime:
    """The moment at which the clock of a zone shows a time on a day, in UTC without a zone: the first of two where it
    is shown twice, the next there is where it is not shown at all.

    >>> oslo = ZoneInfo("Europe/Oslo")
    >>> moment(dt.date(2026, 3, 29), "02:30", oslo).isoformat()  # the clock goes from 02:00 to 03:00
    '2026-03-29T01:00:00'
    >>> moment(dt.date(2026, 10, 25), "02:30", oslo).isoformat()  # and from 03:00 back to 02:00
    '2026-10-25T00:30:00'
    """
    hours, minutes = at.split(":")
    shown = day.toordinal() * MINUTES + int(hours) * 60 + int(minutes)
    return moment_of(clock_of(zone).first(shown))


def next_try(tries: int, now: dt.datetime) -> dt.datetime | None:
    """When something is tried again that has failed so often; None where it is set aside.

    >>> now = dt.datetime(2026, 11, 2, 8)
    >>> [str(next_try(n, now) - now) for n in (1, 2, 5)], next_try(6, now)
    (['0:01:00', '0:05:00', '10:00:00'], None)
    """
    return now + PAUSES[tries - 1] if tries <= len(PAUSES) else None
