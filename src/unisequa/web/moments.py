"""Moments in UTC as the clock of the house shows them."""

from __future__ import annotations

import datetime as dt

from unisequa.core.calendars.words import day_words


def utc_words(at: dt.datetime) -> str:
    """A moment in UTC that was, as it is read now."""
    return moment_words(at, dt.UTC, dt.datetime.now(dt.UTC).date())


def moment_words(at: dt.datetime | None, zone: dt.tzinfo, today: dt.date) -> str:
    """``Fri 18 Dec 06:00``, with the year where it is another; nothing for none."""
    if at is None:
        return ""
    shown = at.replace(tzinfo=dt.UTC).astimezone(zone)
    return f"{day_words(shown.date(), year=shown.year != today.year)} {shown:%H:%M}"
