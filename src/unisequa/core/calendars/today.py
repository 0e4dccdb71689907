"""Today, and the moment in it: jobs of days ask for the one, jobs of hours for the other."""

from __future__ import annotations

import datetime as dt
from zoneinfo import ZoneInfo

from unisequa.core.calendars.grid import Grid


class Today(dt.date):
    """A day with the moment in it at which something is looked at or done; as good as any day otherwise.

    >>> noon = dt.datetime(2026, 8, 5, 12, tzinfo=dt.UTC)
    >>> Today.of(noon) == dt.date(2026, 8, 5), Today.of(noon).at == noon
    (True, True)
    """

    at: dt.datetime | None = None

    @classmethod
    def of(cls, moment: dt.datetime) -> Today:
        """The day of a moment, by the clock that its time zone shows."""
        day = cls(moment.year, moment.month, moment.day)
        day.at = moment
        return day


def moment_of(today: dt.date) -> dt.datetime | None:
    """The moment of a day, where it is known."""
    return today.at if isinstance(today, Today) else None


def utc_of(today: dt.date) -> dt.datetime:
    """The moment of a day in UTC, without a zone; the day's beginning there where none is known."""
    at = moment_of(today)
    if at is None:
        return dt.datetime.combine(today, dt.time())
    return at.astimezone(dt.UTC).replace(tzinfo=None)


def zone_of(today: dt.date) -> ZoneInfo:
    """The zone whose clock the moment of a day is read on; UTC where none is known."""
    at = moment_of(today)
    return at.tzinfo if at is not None and isinstance(at.tzinfo, ZoneInfo) else ZoneInfo("UTC")


def now_on(grid: Grid, today: dt.date) -> int:
    """Now, as people read it on a grid: the day, or the minute; the day's first where no moment is known.

    >>> from zoneinfo import ZoneInfo
    >>> grid = Grid(1440, ZoneInfo("Europe/Oslo"))
    >>> grid.iso(now_on(grid, Today.of(dt.datetime(2026, 8, 5, 12, tzinfo=dt.UTC))))
    '2026-08-05T14:00'
    """
    if isinstance(today, dt.datetime):
        return grid.of(today)
    at = moment_of(today)
    if grid.per_day == 1 or at is None:
        return grid.of(dt.date(today.year, today.month, today.day))
    return grid.of(at.replace(tzinfo=None) if grid.clock is None else at)
