"""Edits that change no date of their own: what follows a task is looked at, or whatever a link no longer lets stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from unisequa.core.calendars.grid import Grid
from unisequa.core.network.places import UNDATED, misses
from unisequa.core.plan.task import Task
from unisequa.core.shift.edits.edit import Edit, Option, TaskEdit, part
from unisequa.core.shift.prepared import Prepared


@dataclass(frozen=True, slots=True)
class Follow(TaskEdit):
    """What follows a task goes where the mode puts it; the task itself stays."""

    kind = "follow"
    turn: ClassVar[int] = 7
    options = (Option("--follow", "KEY", "what follows a task goes where the mode puts it", "one"),)

    def on(self, work: Prepared, i: int) -> None:
        for j in work.network.targets(i):
            work.look_at(j)

    def on_parent(self, work: Prepared, i: int) -> None:
        self.on(work, i)


@dataclass(frozen=True, slots=True)
class HoldLinks(Edit):
    """What stands where a link no longer lets it goes to where it may."""

    kind = "hold_links"
    turn: ClassVar[int] = 7
    options = (Option("--hold-links", "all", "what a link no longer lets stand goes to where it may", "one"),)

    which: str = part("choice", "which", choices=("all",), default="all")

    def carry_out(self, work: Prepared) -> None:
        for i in broken(work):
            work.look_at(i)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return "goes where its links let it"


def broken(work: Prepared) -> list[int]:
    """The positions of tasks, neither begun nor fixed nor over, that stand before where a link has them."""
    plan, network = work.plan, work.network
    fronts = network.fronts(work.span)
    found = []
    for i in range(len(plan.tasks)):
        start, finish = work.span(i)
        if plan.is_parent(i) or work.task(i).stands or start == UNDATED:
            continue
        activity = work.activity(i)
        for link, ask in network.held_by(i, fronts):
            if misses(activity, link.type[1], ask.bound(activity), (start, finish)):
                found.append(i)
                break
    return found
