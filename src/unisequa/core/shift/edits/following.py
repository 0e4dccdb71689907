"""Edits that change no date of their own: what follows a task is looked at, or whatever a link, or what it waits for in
another run, no longer lets stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.words import slot_words
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
    """What stands where a link, or what it waits for elsewhere, no longer lets it goes to where it may."""

    kind = "hold_links"
    turn: ClassVar[int] = 7
    options = (Option("--hold-links", "all", "what a link no longer lets stand goes to where it may", "one"),)

    which: str = part("choice", "which", choices=("all",), default="all")

    def carry_out(self, work: Prepared) -> None:
        for i in broken(work):
            look_at(work, i)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return "goes where its links let it"


@dataclass(frozen=True, slots=True)
class HoldWaits(TaskEdit):
    """A task goes to where what it waits for in another run lets it, and to where the mode puts it."""

    kind = "hold_waits"
    turn: ClassVar[int] = 7
    options = (Option("--hold-waits", "KEY", "a task goes where what it waits for elsewhere lets it", "one"),)

    def on(self, work: Prepared, i: int) -> None:
        look_at(work, i)

    def on_parent(self, work: Prepared, i: int) -> None:
        for leaf in work.plan.leaves(i):
            look_at(work, leaf)

    def said(self, before: Task, after: Task, grid: Grid) -> str:
        return waits_words(after, grid)


def look_at(work: Prepared, i: int) -> None:
    """Have a task looked at whose links may no longer hold, or what it waits for elsewhere."""
    work.look_at(i)
    if work.task(i).waits:
        work.limited.add(i)


def awaits_more(task: Task, start: int) -> bool:
    """Whether a task stands before what it waits for in other runs ends."""
    return start != UNDATED and any(one.finish is not None and start < one.finish for one in task.waits)


def waits_words(task: Task, grid: Grid) -> str:
    """Until when a task waits for another run, in words."""
    last = max((one for one in task.waits if one.finish is not None), key=lambda one: one.finish or 0, default=None)
    if last is None or last.finish is None:
        return "goes where what it waits for lets it"
    return f"waits for {last.place} until {slot_words(grid.inclusive(last.finish), grid)}"


def broken(work: Prepared) -> list[int]:
    """The positions of tasks, neither begun nor fixed nor over, that stand before where a link has them, or before the
    end of what they wait for elsewhere."""
    plan, network = work.plan, work.network
    fronts = network.fronts(work.span)
    found = []
    for i in range(len(plan.tasks)):
        start, finish = work.span(i)
        if plan.is_parent(i) or work.task(i).stands or start == UNDATED:
            continue
        if awaits_more(work.task(i), start):
            found.append(i)
            continue
        activity = work.activity(i)
        for link, ask in network.held_by(i, fronts):
            if misses(activity, link.type[1], ask.bound(activity), (start, finish)):
                found.append(i)
                break
    return found
