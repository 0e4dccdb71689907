"""Edits of the windows of phases."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.plan.phases import pushed
from unisequa.core.shift.edits.anchors import move_windows
from unisequa.core.shift.edits.edit import Edit, Option, part
from unisequa.core.shift.prepared import Prepared
from unisequa.core.terms import MOST_DAYS


@dataclass(frozen=True, slots=True)
class Window(Edit):
    """Give a phase the days from ``first`` to ``last``, both included; later windows move only where they would
    overlap."""

    kind = "window"
    turn: ClassVar[int] = 3
    options = (Option("--window", "PHASE=FROM..TO", "the days of a phase", "pair of range"),)

    phase: str = part("text", "phase")
    first: int = part("day", "start")
    last: int = part("day", "finish")

    def carry_out(self, work: Prepared) -> None:
        keys = [phase.key for phase in work.phases]
        if self.phase not in keys:
            raise ShiftError(f'no phase "{self.phase}"{did_you_mean(self.phase, keys)}', edit=self)
        if self.last < self.first:
            raise ShiftError("a window ends before it begins; give the earlier day first", edit=self)
        if self.last - self.first > MOST_DAYS:
            raise ShiftError("a window lasts over a hundred years; make it shorter", edit=self)
        there = (self.first, self.last)
        phases = [replace(p, window=there, put=True) if p.key == self.phase else p for p in work.phases]
        at = keys.index(self.phase)
        move_windows(work, (*phases[:at], *pushed(phases[at:], work.calendars[None])))
