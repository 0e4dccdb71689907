"""The two grids a run can be planned on, and how their boundaries are read and written.

=======  ==========================  =========================================  =======================
grid     a slot                      a boundary                                 what a person reads
=======  ==========================  =========================================  =======================
day      a date                      its number, as in ``date.toordinal()``     both ends included
minute   a minute, local time        1,440 × that number + minute of the day    start and finish as times
=======  ==========================  =========================================  =======================

A boundary ``b`` is the instant before slot ``b`` begins, and every interval is half-open. The minutes of a run are real
ones. With a time zone they are counted in UTC: the hour that comes twice where the clock goes back is there twice, the
one that is left out where it goes forward is not there, and elapsed time is a plain sum. Without a zone every day has
24 hours, and a boundary is what the clock shows.
"""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass, field
from functools import lru_cache
from zoneinfo import ZoneInfo

from unisequa.core.calendars.clock_of_zone import MINUTES, ClockOfZone, clock_of, minute_of, moment_of
from unisequa.core.errors import DateRangeError

__all__ = ["DAYS", "FIRST_DAY", "LAST_DAY", "MINUTES", "Grid", "read_span", "span_text"]

FIRST_DAY = dt.date.min.toordinal()
LAST_DAY = dt.date.max.toordinal()


@dataclass(frozen=True, slots=True)
class Grid:
    """One of the two grids.

    Parameters
    ----------
    per_day : int
        Slots of a day: 1 on the day grid, 1,440 on the minute grid.
    zone : ZoneInfo, optional
        Whose clock the minutes are read from; without one every day has 24 hours.
    """

    per_day: int = 1
    zone: ZoneInfo | None = None
    clock: ClockOfZone | None = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "clock", None if self.zone is None else clock_of(self.zone))

    @property
    def name(self) -> str:
        """``day`` or ``minute``, as the documents call it."""
        return "day" if self.per_day == 1 else "minute"

    @property
    def first(self) -> int:
        """The first boundary there is."""
        return FIRST_DAY * self.per_day

    @property
    def last(self) -> int:
        """The last boundary there is."""
        return (LAST_DAY + 1) * self.per_day

    def day_start(self, day: int) -> int:
        """The boundary at which a day begins."""
        return day * self.per_day if self.clock is None else self.clock.first(day * MINUTES)

    def shown(self, boundary: int) -> int:
        """What the clock shows at a boundary: 1,440 × the day's number + the minute of the day; a day is itself."""
        return boundary if self.clock is None else self.clock.shown(boundary)

    def at(self, shown: int) -> int:
        """The first boundary at which the clock shows that, or more where it leaves that out."""
        return shown if self.clock is None else self.clock.first(shown)

    def day(self, boundary: int) -> int:
        """The day that the slot behind a boundary lies on."""
        return self.shown(boundary) // self.per_day

    def checked(self, boundary: int) -> int:
        """The boundary itself.

        Raises
        ------
        DateRangeError
            Outside the years 1 to 9999.
        """
        if not self.first <= boundary <= self.last:
            raise DateRangeError("a date falls outside the years 1 to 9999")
        return boundary

    def elapse(self, boundary: int, slots: int) -> int:
        """The boundary so many slots of elapsed time later (earlier for a negative number).

        Raises
        ------
        DateRangeError
        """
        return self.checked(boundary + slots)

    def inclusive(self, finish: int) -> int:
        """A finish as a person reads it: the last day itself, or the time at which it ends."""
        return finish - 1 if self.per_day == 1 else finish

    def exclusive(self, read: int) -> int:
        """The inverse of :meth:`inclusive`."""
        return read + 1 if self.per_day == 1 else read

    def twice(self, read: int) -> bool:
        """Whether the clock shows at another instant what it shows at this one."""
        if self.clock is None or not self.clock.changes(read // MINUTES):
            return False
        shown = self.clock.shown(read)
        return self.clock.first(shown) != self.clock.last(shown)

    def offset_words(self, read: int) -> str:
        """``+01:00``: the clock's offset from UTC at an instant."""
        offset = 0 if self.clock is None else self.clock.offset(read)
        return f"{'-' if offset < 0 else '+'}{abs(offset) // 60:02d}:{abs(offset) % 60:02d}"

    def iso(self, read: int) -> str:
        """A date as ``2026-08-31``, a time as ``2026-08-31T17:30``, with its UTC offset where that is there twice."""
        if self.per_day == 1:
            return _iso(read)
        text = moment_of(self.shown(read)).isoformat(timespec="minutes")
        return text + self.offset_words(read) if self.twice(read) else text

    def of(self, moment: dt.date) -> int:
        """The boundary before a date, or on the minute grid the one at a time; a date alone is its midnight.

        Of a time that is there twice it is the first, unless its ``fold`` says the second.
        """
        if self.per_day == 1:
            return moment.toordinal()
        if not isinstance(moment, dt.datetime):
            return self.day_start(moment.toordinal())
        if self.clock is None:
            return minute_of(moment)
        if moment.tzinfo is not None:
            return minute_of(moment.astimezone(dt.UTC))
        shown = minute_of(moment)
        return self.clock.last(shown) if moment.fold else self.clock.first(shown)

    def end_of(self, moment: dt.date) -> int:
        """The boundary by which something is over that should be over by a date, or by an instant."""
        if self.per_day > 1 and isinstance(moment, dt.datetime):
            return self.of(moment)
        return self.day_start(moment.toordinal() + 1)

    def moment(self, boundary: int) -> dt.date:
        """The inverse of :meth:`of`: a date, or on the minute grid a date and time."""
        if self.per_day == 1:
            return dt.date.fromordinal(boundary)
        shown = self.shown(boundary)
        return moment_of(shown).replace(fold=int(self.twice(boundary) and self.at(shown) != boundary))

    def on_day(self, day: int, like: int | None) -> int:
        """A day, on the minute grid at the time of day of another instant, or at its first without one."""
        if self.per_day == 1 or like is None:
            return self.day_start(day)
        return self.at(day * MINUTES + self.shown(like) % MINUTES)

    def utc(self, boundary: int) -> dt.datetime:
        """An instant in UTC, without saying so; without a time zone by the clock of the machine.

        >>> Grid(1440, ZoneInfo("Asia/Tokyo")).utc(Grid(1440, ZoneInfo("Asia/Tokyo")).read("2026-08-07T19:30"))
        datetime.datetime(2026, 8, 7, 10, 30)
        """
        if self.clock is not None:
            return moment_of(boundary)
        moment = dt.datetime.combine(dt.date.fromordinal(self.day(boundary)), dt.time())
        moment += dt.timedelta(minutes=boundary - self.day_start(self.day(boundary)))
        return moment.astimezone(dt.UTC).replace(tzinfo=None)

    def of_utc(self, moment: dt.datetime) -> int:
        """The inverse of :meth:`utc`."""
        at = moment.replace(tzinfo=dt.UTC)
        return self.of(at if self.clock is not None else at.astimezone().replace(tzinfo=None))

    def read(self, text: str) -> int:
        """What :meth:`iso` writes, read back.

        Raises
        ------
        ValueError
            With words for a person.
        """
        text = text.strip()
        try:
            return self.of(dt.date.fromisoformat(text))
        except ValueError:
            pass
        if self.per_day == 1:
            raise ValueError(f'"{text}" is no date; write it as 2026-08-31')
        try:
            moment = dt.datetime.fromisoformat(text)
            read = self.of(moment)
        except ValueError:
            raise ValueError(f'"{text}" is no date or time; write it as 2026-08-31T17:30') from None
        except OverflowError:
            raise ValueError(f'"{text}" falls outside the years 1 to 9999') from None
        if moment.tzinfo is None and self.shown(read) != minute_of(moment):
            zone = self.zone.key if self.zone else ""
            raise ValueError(f'"{text}" is no time of {zone}: the clock is put on over it; give one that is there')
        return read


@lru_cache(maxsize=1 << 14)
def _iso(day: int) -> str:
    return dt.date.fromordinal(day).isoformat()


DAYS = Grid()


_SPAN = re.compile(r"^([+−-]?)(?=\d)(?:(\d{1,9})\s*d)?\s*(?:(\d{1,9})\s*h)?\s*(?:(\d{1,9})\s*m)?$")


def read_span(text: str, day: int) -> int:
    """Minutes in a length of time such as ``1d 4h 30m``; ``day`` is how many a day has.

    25 hours are as good as any, and a day and an hour is 25 hours only where a day has 24.

    Raises
    ------
    ValueError

    >>> read_span("1d 1h", 480), read_span("-25h", 480)
    (540, -1500)
    """
    span = _SPAN.match(" ".join(text.split()))
    if not span:
        raise ValueError(f'"{text}" is no length of time; write it as "1d 4h 30m"')
    sign, days, hours, minutes = span.groups(default="0")
    amount = int(days) * day + int(hours) * 60 + int(minutes)
    return -amount if sign in {"-", "−"} else amount


def span_text(minutes: int, day: int | None = None) -> str:
    """Minutes as :func:`read_span` reads them; with days where ``day`` says how many minutes one has.

    >>> span_text(540, 480), span_text(-90), span_text(0)
    ('1d 1h', '-1h 30m', '0m')
    """
    rest = abs(minutes)
    days, rest = divmod(rest, day) if day else (0, rest)
    parts = [f"{n}{unit}" for n, unit in ((days, "d"), (rest // 60, "h"), (rest % 60, "m")) if n]
    return ("-" if minutes < 0 else "") + (" ".join(parts) or "0m")
