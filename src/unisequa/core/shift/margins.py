"""How much room there is to each date that something must be over by, before a shift and after it."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.core.calendars.grid import span_text
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import Task
from unisequa.core.plan.telling import short
from unisequa.core.terms import FINISHED

MOST_MARGINS = 4
"""So many are told."""


@dataclass(frozen=True, slots=True)
class Margin:
    """The room to a date: an anchor that tasks must stay before, a task's own deadline, the run's.

    Parameters
    ----------
    label : str
        What the date is of.
    was, at : int, optional
        Where it is before the shift and after it, as people read it.
    before, after : int, optional
        Worked slots to spare, negative where they are short; None where nothing runs up to it.
    whole : bool
        Whether it is a date of the run, not of one of its tasks.
    """

    label: str
    was: int | None
    at: int | None
    before: int | None
    after: int | None
    whole: bool = False

    @property
    def changes(self) -> bool:
        """Whether the shift makes a difference to it."""
        return (self.was, self.before) != (self.at, self.after)


def margin_words(one: Margin, plan: Plan) -> tuple[str, str]:
    """``Fri 8 Jan → Mon 18 Jan`` and ``4 d → 1 d``; ``1 d short`` where there is none, once where it stays the same."""

    def room(slots: int | None) -> str:
        if slots is None:
            return "free"
        long = f"{abs(slots)} d" if plan.grid.per_day == 1 else span_text(abs(slots))
        return long + (" short" if slots < 0 else "")

    said = plan.dates_in_words()
    at = said[one.at] if one.at is not None else ""
    if one.was is not None and one.at is not None and one.was != one.at:
        at = " → ".join(said.both(one.was, one.at))
    return at, room(one.after) if one.before == one.after else f"{room(one.before)} → {room(one.after)}"


def margins(before: Plan, after: Plan) -> list[Margin]:
    """The room to every date: what a shift changes first, the run's own before its tasks', then what has the least."""
    found = []
    old, new = _to_anchors(before), _to_anchors(after)
    for key, label in after.labels.items():
        if key in old or key in new:
            found.append(
                Margin(label, before.anchors.get(key), after.anchors.get(key), old.get(key), new.get(key), True)
            )
    for i, task in enumerate(after.tasks):
        at = before.positions.get(task.key)
        if task.due_by is None or after.is_parent(i) or task.state in FINISHED or at is None:
            continue
        if task.when is not None and _stands_on(task, task.when.anchor):
            continue
        was = before.tasks[at].due_by
        found.append(
            Margin(
                short(task.title),
                None if was is None else before.grid.inclusive(was),
                after.grid.inclusive(task.due_by),
                _to_deadline(before, at),
                _to_deadline(after, i),
            )
        )
    if after.end is not None:
        was = before.end
        found.append(
            Margin(
                "The run’s deadline",
                None if was is None else before.grid.inclusive(was),
                after.grid.inclusive(after.end),
                _to_end(before),
                _to_end(after),
                True,
            )
        )
    return sorted(
        found,
        key=lambda one: (not one.changes, not one.whole, one.after if one.after is not None else 10**9, one.label),
    )


def _to_anchors(plan: Plan) -> dict[str, int]:
    """Anchor → the least room of the tasks that must stay before it."""
    least: dict[str, int] = {}
    schedule = plan.schedule
    for i, anchor in enumerate(schedule.slack_to):
        slack = schedule.anchor_slack[i]
        task = plan.tasks[i]
        if anchor is None or slack is None or task.state in FINISHED or plan.is_parent(i) or _stands_on(task, anchor):
            continue
        least[anchor] = min(least.get(anchor, slack), slack)
    return least


def _stands_on(task: Task, anchor: str) -> bool:
    """Whether a milestone is nothing but the anchor: it has no room, and needs none."""
    return not task.duration and task.when is not None and task.when.anchor == anchor and task.when.offset in (0, "0m")


def _to_deadline(plan: Plan, i: int) -> int | None:
    task, finish = plan.tasks[i], plan.schedule.finish[i]
    if task.due_by is None or finish == UNDATED:
        return None
    return plan.calendars.of(task).count(finish, task.due_by)


def _to_end(plan: Plan) -> int | None:
    span = plan.span()
    return None if span is None or plan.end is None else plan.calendars[None].count(span[1], plan.end)
