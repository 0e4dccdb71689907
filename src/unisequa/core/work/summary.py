"""What lists say of a run, so that they need not look at its tasks.

A summary is worked out when a run changes and read on any later day: it keeps what changes with the days as days.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from unisequa.core.calendars.words import count_words
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED
from unisequa.core.work.outlook import Outlook

NO_DAY = 0
"""Stands for the last day of what has no date."""

InReview = tuple[int, int, bool]
"""The last day of what is in review, the day from which it counts as over by itself, and whether it is a parent."""


@dataclass(frozen=True, slots=True)
class RunSummary:
    """A run in a line.

    Parameters
    ----------
    tasks : int
        Tasks without parents.
    open : sequence of int
        The last days of those that are not over.
    parents : sequence of int
        The same of parents, which are late as well, but are not counted as tasks.
    reviewed : sequence of InReview
        What is not over either, but will be by itself.
    ends : int, optional
        The last day of all that is not dropped.
    anchors : sequence of (int, str)
        Days of anchors with their names, by day.
    stands : (str, str), optional
        How it stood when it last changed, and why (:mod:`unisequa.core.work.outlook`).
    expected : int, optional
        The last day of all that is not dropped, by the plan caught up to when it last changed.
    mend : int
        How many tasks could no longer hold then.
    """

    tasks: int = 0
    open: Sequence[int] = ()
    parents: Sequence[int] = ()
    reviewed: Sequence[InReview] = ()
    ends: int | None = None
    anchors: Sequence[tuple[int, str]] = ()
    stands: Sequence[str] = ()
    expected: int | None = None
    mend: int = 0

    def done(self, today: int) -> int:
        """How many tasks are over."""
        return self.tasks - len(self.open) - sum(today < since and not parent for _, since, parent in self.reviewed)

    def late(self, today: int) -> int:
        """How many tasks should have been finished before today."""
        late = sum(NO_DAY < day < today for day in (*self.open, *self.parents))
        return late + sum(NO_DAY < day < today < since for day, since, _ in self.reviewed)

    def next_anchor(self, today: int) -> tuple[int, str] | None:
        """The first anchor that is not past."""
        return next((anchor for anchor in self.anchors if anchor[0] >= today), None)

    def standing(self, today: int) -> tuple[str, str]:
        """How it stands and why: as when it last changed, but for what has become late since."""
        kept = (self.stands[0], self.stands[1]) if self.stands else ("on time", "")
        late = self.late(today)
        if kept[0] == "in a muddle" or not late:
            return kept
        return "behind", f"{count_words(late, 'task')} late"

    def written(self) -> dict[str, Any]:
        """As plain JSON values, without what says nothing."""
        values = {
            "tasks": self.tasks, "open": list(self.open), "parents": list(self.parents),
            "reviewed": [list(one) for one in self.reviewed], "ends": self.ends,
            "anchors": [list(one) for one in self.anchors], "stands": list(self.stands), "expected": self.expected,
            "mend": self.mend,
        }  # fmt: skip
        return {name: value for name, value in values.items() if value not in ([], None, 0) or name == "tasks"}


@dataclass(frozen=True, slots=True)
class PhaseSummary:
    """A phase of a run in a line; days as people read them."""

    key: str
    tasks: int
    over: int
    first: int | None
    last: int | None


def summary_of(plan: Plan, counts_on: Mapping[str, int], stands: Outlook | None = None, mend: int = 0) -> RunSummary:
    """The summary of a run.

    Parameters
    ----------
    counts_on : mapping of str to int
        Task → the day from which it counts as done, or as signed off, by itself.
    stands : Outlook, optional
        How it stands now.
    mend : int
        How many of its tasks can no longer hold.
    """
    opened: list[int] = []
    parents: list[int] = []
    reviewed: list[InReview] = []
    tasks = 0
    for i in range(len(plan.tasks)):
        parent = plan.is_parent(i)
        tasks += not parent
        over, since = _over_since(plan, i, counts_on)
        if over:
            continue
        days = plan.days(i)
        last = days[1] if days else NO_DAY
        if since is not None:
            reviewed.append((last, since, parent))
        else:
            (parents if parent else opened).append(last)
    reach = plan.reach()
    anchors = sorted((plan.grid.day(at), plan.labels[key]) for key, at in plan.anchors.items() if at is not None)
    return RunSummary(
        tasks, sorted(opened), sorted(parents), sorted(reviewed), reach[1] if reach else None, anchors,
        (stands.standing, stands.reason) if stands else (), stands.ends if stands else None, mend,
    )  # fmt: skip


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
