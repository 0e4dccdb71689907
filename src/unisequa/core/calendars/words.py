"""Dates, offsets and counts in plain words, the same on every page, in every export and message."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from functools import lru_cache

from unisequa.core.calendars.grid import MINUTES, Grid, span_text

_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
MONTHS = (
    "January", "February", "March", "April", "May", "June",
    "July", "August", "September", "October", "November", "December",
)  # fmt: skip


@lru_cache(maxsize=1 << 14)
def day_words(day: int | dt.date, *, year: bool = False) -> str:
    """A day with its weekday; independent of the machine's locale.

    >>> day_words(dt.date(2026, 8, 5)), day_words(dt.date(2026, 8, 5), year=True)
    ('Wed 5 Aug', 'Wed 5 Aug 2026')
    """
    date = dt.date.fromordinal(day) if isinstance(day, int) else day
    text = f"{_DAYS[date.weekday()]} {date.day} {MONTHS[date.month - 1][:3]}"
    return f"{text} {date.year}" if year else text


def weekday(day: int) -> str:
    """``Mon`` … ``Sun``."""
    return _DAYS[(day + 6) % 7]


_YEAR = 365


def span_words(first: int, last: int, *, year: bool = False) -> str:
    """Two days, both included, as short as they can be said; with their years where they are a
    year or more apart.

    >>> a = dt.date(2026, 8, 5).toordinal()
    >>> span_words(a, a), span_words(a, a + 1)
    ('Wed 5 Aug', 'Wed 5 – Thu 6 Aug')
    """
    if first == last:
        return day_words(first, year=year)
    a, b = dt.date.fromordinal(first), dt.date.fromordinal(last)
    if last - first >= _YEAR or (year and a.year != b.year):
        return f"{day_words(a, year=True)} – {day_words(b, year=True)}"
    start = f"{_DAYS[a.weekday()]} {a.day}" if (a.year, a.month) == (b.year, b.month) else day_words(a)
    return f"{start} – {day_words(b, year=year)}"


def slot_words(read: int, grid: Grid, *, year: bool = False) -> str:
    """A date as people read it on a grid: a day, or a day and a time.

    >>> slot_words(dt.date(2026, 8, 5).toordinal() * 1440 + 870, Grid(1440))
    'Wed 5 Aug 14:30'
    """
    day, minute = divmod(grid.shown(read), grid.per_day)
    text = day_words(day, year=year)
    if grid.per_day == 1:
        return text
    offset = f" {grid.offset_words(read)}" if grid.twice(read) else ""
    return f"{text} {minute // 60:02d}:{minute % 60:02d}{offset}"


def slots_words(n: int, grid: Grid, day: int = MINUTES, *, working: bool = True) -> str:
    """So many slots: ``2 working days``, or on the minute grid ``1d 4h``, a day having ``day`` minutes.

    >>> slots_words(2, Grid()), slots_words(90, Grid(1440))
    ('2 working days', '1h 30m')
    """
    if grid.per_day == 1:
        return count_words(n, "working day" if working else "day")
    return span_text(n, day)


def read_words(first: int, last: int, grid: Grid, *, year: bool = False) -> str:
    """Two dates as people read them, as short as they can be said."""
    if grid.per_day == 1:
        return span_words(first, last, year=year)
    if first == last:
        return slot_words(first, grid, year=year)
    same = grid.day(first) == grid.day(last)
    end = slot_words(last, grid, year=year and not same)
    start = slot_words(first, grid, year=year)
    return f"{start} – {end.removeprefix(day_words(grid.day(last))).strip() if same else end}"


_HALF_A_YEAR = 183


class DateWords(dict[int, str]):
    """Dates of a plan in words, each worked out once: those more than half a year from today carry their year.

    Parameters
    ----------
    today : int, optional
        The day on which they are read.
    years : bool
        Whether all of them carry it.

    >>> said = DateWords(Grid(), dt.date(2026, 12, 1).toordinal())
    >>> near, far = dt.date(2027, 1, 4).toordinal(), dt.date(2027, 7, 5).toordinal()
    >>> said[near], said[far], said.span(far, far + 1)
    ('Mon 4 Jan', 'Mon 5 Jul 2027', 'Mon 5 – Tue 6 Jul 2027')
    >>> said.both(near - 10, near)
    ('Fri 25 Dec 2026', 'Mon 4 Jan 2027')
    """

    def __init__(self, grid: Grid, today: int | None = None, *, years: bool = False) -> None:
        self.grid, self.today, self.years = grid, today, years

    @classmethod
    def seen_on(cls, today: int | dt.date) -> DateWords:
        """Of whole days, as they are read on a day."""
        return cls(Grid(), today if isinstance(today, int) else today.toordinal())

    def __missing__(self, read: int) -> str:
        words = self[read] = slot_words(read, self.grid, year=self.far(read))
        return words

    def far(self, read: int) -> bool:
        """Whether a date carries its year."""
        return self.years or (self.today is not None and abs(self.grid.day(read) - self.today) > _HALF_A_YEAR)

    def span(self, first: int, last: int) -> str:
        """Two dates, as short as they can be said."""
        return read_words(first, last, self.grid, year=self.far(first) or self.far(last))

    @property
    def of_days(self) -> DateWords:
        """The same of whole days, whatever the grid."""
        return DateWords(Grid(), self.today, years=self.years)

    def both(self, a: int, b: int) -> tuple[str, str]:
        """Two dates of one sentence, with their years where these are two or one of them carries it."""
        one, other = (dt.date.fromordinal(self.grid.day(at)).year for at in (a, b))
        year = one != other or self.far(a) or self.far(b)
        return slot_words(a, self.grid, year=year), slot_words(b, self.grid, year=year)


def count_words(n: int, noun: str, plural: str | None = None) -> str:
    """``1 task``, ``2 tasks``, ``1,200 tasks``."""
    return f"{n:,} {noun if n == 1 else plural or noun + 's'}"


def names_words(names: list[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""


def some_names(names: Sequence[str], most: int = 3) -> str:
    """Names as a list, and how many more there are.

    >>> some_names(["Ada", "Bela"]), some_names(["Ada", "Bela", "Cleo", "Dora"], 2)
    ('Ada and Bela', 'Ada, Bela and 2 more')
    """
    if len(names) <= most:
        return names_words(list(names))
    return f"{', '.join(names[:most])} and {len(names) - most} more"


def hours_words(minutes: int) -> str:
    """Minutes of work in hours: to the quarter, from ten hours on to the half.

    >>> hours_words(1860), hours_words(435), hours_words(10), hours_words(4905)
    ('31 h', '7.25 h', '0.25 h', '82 h')
    """
    if minutes >= 600:
        return f"{round(minutes / 30) / 2:g} h"
    quarters = -(-minutes // 15) if minutes < 15 else round(minutes / 15)
    return f"{quarters / 4:g} h"


def difference_words(n: int, grid: Grid | None = None, day: int = MINUTES) -> str:
    """Worked slots between an old and a new date: ``+2 d``, ``−1 d``, on the minute grid ``+1h 30m``."""
    sign = "+" if n > 0 else "−" if n else ""
    return f"{sign}{span_text(abs(n), day)}" if grid and grid.per_day > 1 else f"{sign}{abs(n)} d"


def as_sentence(text: str) -> str:
    """A message as a sentence of its own.

    >>> as_sentence("nothing was changed")
    'Nothing was changed.'
    """
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "!", "?")) else text + "."
