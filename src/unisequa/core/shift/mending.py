"""What of a run can no longer hold, with the shift that would mend it."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.core.calendars.words import count_words
from unisequa.core.errors import ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import CatchUp, Edit, HoldLinks
from unisequa.core.shift.result import Cascade


@dataclass(frozen=True, slots=True)
class Mending:
    """A shift after which every task may stand where it does.

    Parameters
    ----------
    tasks : int
        How many tasks it moves, parents apart.
    later : int
        By how many worked slots the run ends later.
    """

    edits: tuple[Edit, ...]
    result: Cascade
    tasks: int
    later: int

    @property
    def text(self) -> str:
        """``3 tasks can no longer hold: catch up, end +2 d``."""
        unit = "d" if self.result.plan.grid.per_day == 1 else "min"
        end = f"end {self.later:+d} {unit}" if self.later else "same end"
        return f"{count_words(self.tasks, 'task')} can no longer hold: catch up, {end}"


def mending(plan: Plan) -> Mending | None:
    """The shift that makes a plan hold again: nothing unfinished before today, and no link broken; None where all does.

    >>> from unisequa.core.plan.calendars import Calendars
    >>> from unisequa.core.plan.plan import planned
    >>> mending(planned("empty", (), (), Calendars(), {}, {}, today=1)) is None
    True
    """
    result = caught_up(plan)
    if result is None:
        return None
    moved = sum(not plan.is_parent(plan.positions[change.key]) for change in result.changes)
    if not moved:
        return None
    span, calendar = plan.span(), plan.calendars[None]
    later = calendar.count(span[1], result.finish[1]) if span else 0
    return Mending(result.edits, result, moved, later)


def caught_up(plan: Plan) -> Cascade | None:
    """A plan with nothing unfinished before today and its links held; None without a today, or where no date is."""
    if plan.today is None or plan.span() is None:
        return None
    try:
        return cascade(plan, (HoldLinks(), CatchUp(plan.today)), "push")
    except ShiftError:
        return None
