"""What lists say of a run, so that they need not look at its tasks.

A summary is worked out when a run changes and read on any later day: it keeps what changes with the days as days.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self

from unisequa.core.calendars.words import count_words
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED

Open = tuple[int | None, int | None]
"""What is not over: a day, and the day from which it counts as over by itself; None where there is none."""


@dataclass(frozen=True, slots=True)
class RunSummary:
    """A run in a line.

    Parameters
    ----------
    tasks : int
        Tasks without parents.
    open : tuple of Open
        The last days of those that are not over.
    parents : tuple of Open
        The same of parents, which are late as well, but are not counted as tasks.
    ends : int, optional
        The last day of all that is not dropped.
    anchors : tuple of (int, str)
        Days of anchors with their names, by day.
    slacks : tuple of Open
        Working days of slack of what has a deadline and is not over.
    """

    tasks: int = 0
    open: tuple[Open, ...] = ()
    parents: tuple[Open, ...] = ()
    ends: int | None = None
    anchors: tuple[tuple[int, str], ...] = ()
    slacks: tuple[Open, ...] = ()

    def done(self, today: int) -> int:
        """How many tasks are over."""
        return self.tasks - sum(_is_open(one, today) for one in self.open)

    def late(self, today: int) -> int:
        """How many tasks should have been finished before today."""
        both = (*self.open, *self.parents)
        return sum(one[0] is not None and one[0] < today and _is_open(one, today) for one in both)

    def next_anchor(self, today: int) -> tuple[int, str] | None:
        """The first anchor that is not past."""
        return next((anchor for anchor in self.anchors if anchor[0] >= today), None)

    def outlook(self, today: int) -> str:
        """How many tasks are late, or by how much a deadline is missed; nothing where all is well."""
        if late := self.late(today):
            return f"{count_words(late, 'task')} late"
        least = min((one[0] for one in self.slacks if one[0] is not None and _is_open(one, today)), default=0)
        return f"a deadline is missed by {count_words(-least, 'working day')}" if least < 0 else ""

    def written(self) -> dict[str, Any]:
        """As plain JSON values."""
        return {
            "tasks": self.tasks, "open": self.open, "parents": self.parents, "ends": self.ends,
            "anchors": self.anchors, "slacks": self.slacks,
        }  # fmt: skip

    @classmethod
    def read(cls, written: Mapping[str, Any]) -> Self:
        """From what :meth:`written` gives."""
        lists = {
            name: tuple(tuple(one) for one in written.get(name, ()))
            for name in ("open", "parents", "anchors", "slacks")
        }
        return cls(tasks=written.get("tasks", 0), ends=written.get("ends"), **lists)


def _is_open(one: Open, today: int) -> bool:
    return one[1] is None or today < one[1]


@dataclass(frozen=True, slots=True)
class PhaseSummary:
    """A phase of a run in a line; days as people read them."""

    key: str
    tasks: int
    over: int
    first: int | None
    last: int | None


def summary_of(plan: Plan, counts_on: Mapping[str, int]) -> RunSummary:
    """The summary of a run.

    Parameters
    ----------
    counts_on : mapping of str to int
        Task → the day from which it counts as signed off by itself.
    """
    opened: list[Open] = []
    parents: list[Open] = []
    slacks: list[Open] = []
    tasks = 0
    for i, task in enumerate(plan.tasks):
        parent = plan.is_parent(i)
        tasks += not parent
        over, since = _over_since(plan, i, counts_on)
        if over:
            continue
        days = plan.days(i)
        (parents if parent else opened).append((days[1] if days else None, since))
        slack = plan.schedule.total_slack[i]
        if task.deadline is not None and slack is not None:
            slacks.append((slack, since))
    reach = plan.reach()
    anchors = sorted((plan.grid.day(at), plan.labels[key]) for key, at in plan.anchors.items() if at is not None)
    ends = reach[1] if reach else None
    return RunSummary(tasks, tuple(opened), tuple(parents), ends, tuple(anchors), tuple(slacks))


def _over_since(plan: Plan, i: int, counts_on: Mapping[str, int]) -> tuple[bool, int | None]:
    """Whether a task is over whatever the day, and else from which day on it counts as over by itself."""
    since: list[int | None] = [
        counts_on.get(plan.tasks[leaf].key)
        for leaf in plan.leaves(i)
        if plan.tasks[leaf].state not in FINISHED or plan.tasks[leaf].key in counts_on
    ]
    if not since:
        return True, None
    known = [day for day in since if day is not None]
    return False, max(known) if len(known) == len(since) else None


def phases_of(plan: Plan) -> list[PhaseSummary]:
    """The summaries of a run's phases, in the order of its tasks; what is in no phase is in none of them."""
    members: dict[str, list[int]] = {}
    for i, task in enumerate(plan.tasks):
        if task.phase is not None and not plan.is_parent(i):
            members.setdefault(task.phase, []).append(i)
    phases = []
    for key, positions in members.items():
        dated = [days for i in positions if plan.tasks[i].state != "dropped" and (days := plan.days(i))]
        over = sum(plan.tasks[i].state in FINISHED for i in positions)
        first = min((a for a, _ in dated), default=None)
        phases.append(PhaseSummary(key, len(positions), over, first, max((b for _, b in dated), default=None)))
    return phases


def open_before(plan: Plan) -> list[int]:
    """How many direct predecessors of each task are not over."""
    over = [all(plan.tasks[leaf].state in FINISHED for leaf in plan.leaves(i)) for i in range(len(plan.tasks))]
    return [sum(not over[link.source] for link in into) for into in plan.network.incoming]
