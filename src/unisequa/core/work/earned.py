"""Earned schedule (Lipke 2003, *Schedule is Different*), made steady on plateaus.

Over the leaf tasks with a date in the baseline, a duration above 0, and not dropped:

    P(n)  the baseline durations that finish by the end of the run's working day n
    E     the baseline durations of those that are over
    y, t  the last working day before today, and up to today

    P(y) ≤ E ≤ P(t)   0
    E < P(y)          − (y − (m−1) − (E − P(m−1)) ÷ (P(m) − P(m−1)))    m the first day with P(m) > E
    E > P(t)          (m−1) + (E − P(m−1)) ÷ (P(m) − P(m−1)) − t        m the first day with P(m) ≥ E

On the minute grid n counts worked minutes.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid


class Piece(NamedTuple):
    """A task in a baseline: its finish as a boundary, its duration in worked slots, and whether it is over now."""

    finish: int
    duration: int
    over: bool


@dataclass(frozen=True, slots=True)
class Curve:
    """What a baseline wants done by when, and what is.

    Parameters
    ----------
    slots : sequence of int
        Numbers of worked slots, rising, at whose end something is to be over.
    planned : sequence of int
        The durations that are to be over by then, all in all.
    earned : int
        The durations of what is over.
    length : int
        The baseline's length in worked slots.
    """

    slots: Sequence[int] = ()
    planned: Sequence[int] = ()
    earned: int = 0
    length: int = 0

    def ahead(self, now: int, calendar: WorkingCalendar) -> Fraction | None:
        """Worked slots that a run is ahead by in the slot ``now``, negative behind; None with nothing to count."""
        if not self.slots:
            return None
        y, t = calendar.index(now) - 1, calendar.index(now + 1) - 1
        if self.earned < self._by(y):
            at = bisect_right(self.planned, self.earned)
            return self._reached(at) - y
        if self.earned > self._by(t):
            at = bisect_left(self.planned, self.earned)
            return self._reached(at) - t
        return Fraction(0)

    def _by(self, n: int) -> int:
        at = bisect_right(self.slots, n)
        return self.planned[at - 1] if at else 0

    def _reached(self, at: int) -> Fraction:
        """The slot number up to which the baseline is earned, which lies in the step of that place."""
        before = self.planned[at - 1] if at else 0
        return self.slots[at] - 1 + Fraction(self.earned - before, self.planned[at] - before)


def curve(pieces: Iterable[Piece], span: tuple[int, int] | None, calendar: WorkingCalendar) -> Curve:
    """The curve of a baseline.

    Parameters
    ----------
    pieces : iterable of Piece
        Its tasks of a duration above 0, without those that are dropped.
    span : tuple of int, optional
        Its first start and last finish.
    """
    due: dict[int, int] = {}
    earned = 0
    for piece in pieces:
        n = calendar.index(piece.finish - 1)
        due[n] = due.get(n, 0) + piece.duration
        earned += piece.duration if piece.over else 0
    slots = sorted(due)
    total, planned = 0, []
    for n in slots:
        total += due[n]
        planned.append(total)
    return Curve(tuple(slots), tuple(planned), earned, calendar.count(*span) if span else 0)


def threshold(length: int, grid: Grid) -> int:
    """Worked slots from which a run is behind or ahead: one day up to 29, three at 65, at most five; 15 minutes.

    >>> from unisequa.core.calendars.grid import DAYS
    >>> [threshold(days, DAYS) for days in (5, 29, 30, 65, 500)]
    [1, 1, 2, 3, 5]
    """
    return 15 if grid.per_day > 1 else max(1, min(5, (length + 10) // 20))
