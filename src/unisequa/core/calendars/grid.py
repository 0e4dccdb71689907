"""The two grids a run can be planned on, and how their boundaries are read and written.

=======  ==========================  =========================================  =======================
grid     a slot                      a boundary                                 what a person reads
=======  ==========================  =========================================  =======================
day      a date                      its number, as in ``date.toordinal()``     both ends included
minute   a minute, local time        1,440 × that number + minute of the day    start and finish as times
=======  ==========================  =========================================  =======================

A boundary ``b`` is the instant before slot ``b`` begins, and every interval is half-open. The minutes of a
run are those of its wall clock. With a time zone, *elapsed* time passes through the zone, so that a day
with a clock change has 23 or 25 hours of it, while its working time is the usual one.
"""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from unisequa.core.errors import DateRangeError

FIRST_DAY = dt.date.min.toordinal()
LAST_DAY = dt.date.max.toordinal()
MINUTES = 24 * 60
"""Minutes of a day on the wall clock."""


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
        return day * self.per_day

    def day(self, boundary: int) -> int:
        """The day that the slot behind a boundary lies on."""
        return boundary // self.per_day

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
        if self.zone is None or not slots:
            return self.checked(boundary + slots)
        try:
            instant = _moment(boundary).replace(tzinfo=self.zone).astimezone(dt.UTC) + dt.timedelta(minutes=slots)
            return _minute(instant.astimezone(self.zone))
        except OverflowError as error:
            raise DateRangeError("a date falls outside the years 1 to 9999") from error

    def inclusive(self, finish: int) -> int:
        """A finish as a person reads it: the last day itself, or the time at which it ends."""
        return finish - 1 if self.per_day == 1 else finish

    def exclusive(self, read: int) -> int:
        """The inverse of :meth:`inclusive`."""
        return read + 1 if self.per_day == 1 else read

    def iso(self, read: int) -> str:
        """A date as ``2026-08-31``, a time as ``2026-08-31T17:30``."""
        if self.per_day == 1:
            return dt.date.fromordinal(read).isoformat()
        return _moment(read).isoformat(timespec="minutes")

    def of(self, moment: dt.date) -> int:
        """The boundary before a date, or on the minute grid the one at a time; a date alone is its midnight."""
        if self.per_day == 1 or not isinstance(moment, dt.datetime):
            return moment.toordinal() * self.per_day
        if self.zone is not None and moment.tzinfo is not None:
            moment = moment.astimezone(self.zone)
        return _minute(moment)

    def end_of(self, moment: dt.date) -> int:
        """The boundary by which something is over that should be over by a date, or by an instant."""
        if self.per_day > 1 and isinstance(moment, dt.datetime):
            return self.of(moment)
        return self.day_start(moment.toordinal() + 1)

    def moment(self, boundary: int) -> dt.date:
        """The inverse of :meth:`of`: a date, or on the minute grid a date and time."""
        return dt.date.fromordinal(boundary) if self.per_day == 1 else _moment(boundary)

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
            return self.of(dt.datetime.fromisoformat(text))
        except ValueError:
            raise ValueError(f'"{text}" is no date or time; write it as 2026-08-31T17:30') from None
        except OverflowError:
            raise ValueError(f'"{text}" falls outside the years 1 to 9999') from None


DAYS = Grid()


def _moment(boundary: int) -> dt.datetime:
    day, minute = divmod(boundary, MINUTES)
    try:
        return dt.datetime.combine(dt.date.fromordinal(day), dt.time(minute // 60, minute % 60))
    except (ValueError, OverflowError) as error:
        raise DateRangeError("a date falls outside the years 1 to 9999") from error


def _minute(moment: dt.datetime) -> int:
    return moment.toordinal() * MINUTES + moment.hour * 60 + moment.minute


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
