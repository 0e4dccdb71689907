"""Dates, offsets and counts in plain words, the same on every page, in every export and message."""

from __future__ import annotations

import datetime as dt

from unisequa.core.document import Measure

_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
MONTHS = (
    "January", "February", "March", "April", "May", "June",
    "July", "August", "September", "October", "November", "December",
)  # fmt: skip


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


def span_words(first: int, last: int) -> str:
    """Two days, both included, as short as they can be said.

    >>> a = dt.date(2026, 8, 5).toordinal()
    >>> span_words(a, a), span_words(a, a + 1)
    ('Wed 5 Aug', 'Wed 5 – Thu 6 Aug')
    """
    if first == last:
        return day_words(first)
    a, b = dt.date.fromordinal(first), dt.date.fromordinal(last)
    start = f"{_DAYS[a.weekday()]} {a.day}" if (a.year, a.month) == (b.year, b.month) else day_words(a)
    return f"{start} – {day_words(b)}"


def count_words(n: int, noun: str, plural: str | None = None) -> str:
    """``1 task``, ``2 tasks``."""
    return f"{n} {noun if n == 1 else plural or noun + 's'}"


def names_words(names: list[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else ""


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
        amount, side = (offset[1:], "before") if offset.startswith("-") else (offset, "after")
        return f"{amount} {side} {label}"
    side = "after" if offset > 0 else "before"
    return f"{count_words(abs(offset), measure.unit.removesuffix('s'))} {side} {label}"


def difference_words(n: int) -> str:
    """Working days between an old and a new date: ``+2 d``, ``−1 d``."""
    return f"{'+' if n > 0 else '−'}{abs(n)} d" if n else "0 d"
