"""A plan with the edits of a shift carried out, and nothing followed yet."""

from __future__ import annotations

from dataclasses import dataclass, field

from unisequa.core.errors import ShiftError, did_you_mean
from unisequa.core.network.activities import Activity
from unisequa.core.network.network import Network
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import LinkOf, Task
from unisequa.core.shift.changes import Cause


@dataclass(slots=True)
class Prepared:
    """A plan with its edits carried out, and nothing followed yet.

    Parameters
    ----------
    tasks : dict of int to Task
        Positions whose task is no longer the plan's.
    wishes : dict of int to int
        Position → the boundary at which an edit wants it to start.
    pins : dict of int to (int, int)
        Position → where it stands whatever follows: done, begun, fixed.
    causes : dict of int to str
        Position → what wants it there.
    looked_at : set of int
        Positions that no edit names but whose floors may have changed.
    by_hand : set of int
        Positions somebody has put where they are, so that only links hold them.
    """

    plan: Plan
    network: Network
    calendars: Calendars
    links: tuple[LinkOf, ...]
    anchors: dict[str, int | None]
    tasks: dict[int, Task] = field(default_factory=dict)
    activities: dict[int, Activity] = field(default_factory=dict)
    wishes: dict[int, int] = field(default_factory=dict)
    pins: dict[int, tuple[int, int]] = field(default_factory=dict)
    causes: dict[int, Cause] = field(default_factory=dict)
    looked_at: set[int] = field(default_factory=set)
    by_hand: set[int] = field(default_factory=set)
    kept_fixed: set[int] = field(default_factory=set)

    def task(self, i: int) -> Task:
        """A task as edited."""
        return self.tasks.get(i, self.plan.tasks[i])

    def activity(self, i: int) -> Activity:
        """Its activity as edited."""
        return self.activities.get(i, self.network.activities[i])

    def stands(self, i: int) -> tuple[int, int]:
        """Where it stands before the shift."""
        return self.plan.schedule.start[i], self.plan.schedule.finish[i]


def position_of(plan: Plan, key: str) -> int:
    """Where a task is.

    Raises
    ------
    ShiftError
    """
    if key not in plan.positions:
        raise ShiftError(f'no task "{key}"{did_you_mean(key, plan.positions)}', task=key)
    return plan.positions[key]
