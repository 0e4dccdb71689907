"""Edits of links."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from unisequa.core.errors import ShiftError
from unisequa.core.plan.task import LinkOf
from unisequa.core.shift.edits.edit import Edit, Option, part
from unisequa.core.shift.prepared import Prepared, position_of
from unisequa.core.terms import MOST_DAYS, LagUnit, LinkType

TYPES: tuple[LinkType, ...] = ("FS", "SS", "FF", "SF")


@dataclass(frozen=True, slots=True)
class _LinkEdit(Edit):
    turn: ClassVar[int] = 4

    source: str = part("text", "from")
    target: str = part("text", "to")

    @classmethod
    def together(cls, work: Prepared, edits: Sequence[Edit]) -> None:
        for edit in edits:
            edit.attempt(work)
        work.rebuild()

    def ends(self, work: Prepared) -> tuple[int, int]:
        """Where the two tasks are; what the target stands for is looked at anew."""
        source, target = position_of(work.plan, self.source), position_of(work.plan, self.target)
        for leaf in work.plan.leaves(target):
            work.look_at(leaf)
        return source, target


@dataclass(frozen=True, slots=True)
class AddLink(_LinkEdit):
    """Have ``target`` depend on ``source``; the lag in slots of ``unit``. A link of that type is replaced."""

    kind = "link"
    options = (Option("--link", "P:S[:TYPE[:LAG]]", "add a link; a lag ending in e is elapsed", "link"),)

    type: LinkType = part("choice", "type", choices=TYPES, default="FS")
    lag: int = part("lag", "lag", default=0)
    unit: LagUnit = part("choice", "unit", choices=("working", "elapsed"), default="working")

    def carry_out(self, work: Prepared) -> None:
        self.ends(work)
        if abs(self.lag) > MOST_DAYS * work.grid.per_day:
            raise ShiftError("a lag reaches over a hundred years; make it shorter", task=self.target)
        same = (self.source, self.target, self.type)
        kept = tuple(link for link in work.links if (link.source, link.target, link.type) != same)
        work.links = (*kept, LinkOf(self.source, self.target, self.type, self.lag, self.unit))


@dataclass(frozen=True, slots=True)
class RemoveLink(_LinkEdit):
    """Have ``target`` no longer depend on ``source``, in the one way or, without a type, in none."""

    kind = "unlink"
    options = (Option("--unlink", "P:S[:TYPE]", "remove a link", "link"),)

    type: LinkType | None = part("choice", "type", choices=TYPES, default=None)

    def carry_out(self, work: Prepared) -> None:
        source, target = self.ends(work)
        kept = tuple(
            link
            for link in work.links
            if (link.source, link.target) != (self.source, self.target) or self.type not in {None, link.type}
        )
        if kept == work.links:
            plan = work.plan
            names = f"{plan.tasks[target].title} does not follow {plan.tasks[source].title}"
            raise ShiftError(f"{names}, so there is no link to take out", task=self.target)
        work.links = kept
