"""A time zone's clock in whole minutes: from real minutes to what the clock shows, and back.

Real minutes are counted in UTC, 1,440 a day from day 0. The clock's minutes are counted the same way from its own
dates, so that ``divmod(minute, 1440)`` gives a day and a minute of it. Where the clock goes back, an hour of its
minutes is there twice; where it goes forward, one is not there.
"""

from __future__ import annotations

import datetime as dt
from functools import cache
from zoneinfo import ZoneInfo

from unisequa.core.errors import DateRangeError

MINUTES = 24 * 60
_EDGE = 3
"""Days at either end of what a date can be, in which a zone's offset is that of the day further in."""
_LONGEST = 180
"""More minutes than a clock was ever put on or back at once."""


class ClockOfZone:
    """The clock of one zone. Offsets are kept by days of UTC, a day with a change apart."""

    def __init__(self, zone: ZoneInfo) -> None:
        self.zone = zone
        self._starts: dict[int, int] = {}

    def _at_midnight(self, day: int) -> int:
        """The offset at the beginning of a day of UTC, in minutes."""
        offset = self._starts.get(day)
        if offset is None:
            offset = self._starts[day] = self._offset(day * MINUTES)
        return offset

    def _offset(self, minute: int) -> int:
        day, rest = divmod(minute, MINUTES)
        day = min(max(day, 1 + _EDGE), dt.date.max.toordinal() - _EDGE)
        moment = dt.datetime.combine(dt.date.fromordinal(day), dt.time(rest // 60, rest % 60), dt.UTC)
        offset = moment.astimezone(self.zone).utcoffset()
        assert offset is not None
        return offset // dt.timedelta(minutes=1)

    def offset(self, minute: int) -> int:
        """By how many minutes the clock is ahead of UTC at a real minute."""
        day = minute // MINUTES
        before = self._at_midnight(day)
        return before if before == self._at_midnight(day + 1) else self._offset(minute)

    def shown(self, minute: int) -> int:
        """What the clock shows at a real minute."""
        return minute + self.offset(minute)

    def first(self, shown: int) -> int:
        """The first real minute at which the clock shows a minute, or a later one where that is not there."""
        near = shown // MINUTES
        offset = self._at_midnight(near)
        if self._at_midnight(near - 1) == offset == self._at_midnight(near + 1) == self._at_midnight(near + 2):
            return shown - offset
        low, high = shown - self._highest(near) - 1, shown - self._lowest(near)  # shown(low) < shown ≤ shown(high)
        reached = [low + n for n in range(1, high - low + 1) if self.shown(low + n) >= shown]
        return reached[0]

    def last(self, shown: int) -> int:
        """The last real minute at which the clock shows a minute; :meth:`first` where that is there once or never."""
        first = self.first(shown)
        if not self.changes(shown // MINUTES):
            return first
        again = [first + n for n in range(1, _LONGEST + 1) if self.shown(first + n) == shown]
        return again[-1] if again and self.shown(first) == shown else first

    def _highest(self, day: int) -> int:
        return max(self._at_midnight(day + n) for n in (-1, 0, 1, 2))

    def _lowest(self, day: int) -> int:
        return min(self._at_midnight(day + n) for n in (-1, 0, 1, 2))

    def changes(self, day: int) -> bool:
        """Whether the clock is put on or back around a day."""
        return self._highest(day) != self._lowest(day)

    def changing_days(self, first: int, last: int) -> list[int]:
        """The days from first to last around which the clock is put on or back; changes are more than a week apart."""
        found: list[int] = []
        at = first - 2
        while at < last + 2:
            ahead = at + 7
            if self._at_midnight(at) != self._at_midnight(ahead):
                found += [day for day in range(at, ahead) if self._at_midnight(day) != self._at_midnight(day + 1)]
            at = ahead
        return [day for change in found for day in (change - 1, change, change + 1) if first <= day <= last]


@cache
def clock_of(zone: ZoneInfo) -> ClockOfZone:
    """The clock of a zone, made once."""
    return ClockOfZone(zone)


def moment_of(minute: int) -> dt.datetime:
    """A minute of some clock as a date and time without a zone.

    Raises
    ------
    DateRangeError
    """
    day, rest = divmod(minute, MINUTES)
    try:
        return dt.datetime.combine(dt.date.fromordinal(day), dt.time(rest // 60, rest % 60))
    except (ValueError, OverflowError) as error:
        raise DateRangeError("a date falls outside the years 1 to 9999") from error


def minute_of(moment: dt.datetime) -> int:
    """The inverse of :func:`moment_of`."""
    return moment.toordinal() * MINUTES + moment.hour * 60 + moment.minute
