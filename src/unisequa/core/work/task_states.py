"""What may be done with a task, a row of :data:`ACTS` each, and whether it is late.

Whether one that is not begun is ready or waiting says :mod:`unisequa.core.work.readiness`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unisequa.core.calendars.grid import span_text
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED, State

Act = Literal["begin", "finish", "sign off", "send back", "drop", "reopen"]


@dataclass(frozen=True, slots=True)
class ActRow:
    """Something that may be done with a task.

    Parameters
    ----------
    button, past : str
        Its words on a button, and those of what was done.
    of : frozenset of str
        The states in which it may be done.
    to, to_signed : str
        The state it leads to (``waiting`` standing for ready too), and that where a second person signs off.
    """

    act: Act
    button: str
    past: str
    of: frozenset[State]
    to: State
    to_signed: State


_NOT_BEGUN: frozenset[State] = frozenset({"waiting", "ready"})
_BEGUN: frozenset[State] = frozenset({"under way"})
_REVIEWED: frozenset[State] = frozenset({"in review"})
_OVER: frozenset[State] = frozenset({"done", "dropped"})

ACTS: tuple[ActRow, ...] = (
    ActRow("begin", "Begin", "begun", _NOT_BEGUN, "under way", "under way"),
    ActRow("finish", "Done", "done", _NOT_BEGUN | _BEGUN, "done", "in review"),
    ActRow("sign off", "Sign off", "signed off", _REVIEWED, "done", "done"),
    ActRow("send back", "Send back", "sent back", _REVIEWED, "under way", "under way"),
    ActRow("drop", "Drop", "dropped", _NOT_BEGUN | _BEGUN, "dropped", "dropped"),
    ActRow("reopen", "Reopen", "reopened", _BEGUN | _OVER, "waiting", "waiting"),
)
"""In the order of their buttons."""

ACT: dict[Act, ActRow] = {row.act: row for row in ACTS}


def acts(state: State, *, may_skip: bool) -> tuple[ActRow, ...]:
    """What may be done with a task in a state; dropping only what may be skipped."""
    return tuple(row for row in ACTS if state in row.of and (row.act != "drop" or may_skip))


def state_after(act: Act, *, sign_off: bool) -> State:
    """The state an act leads to."""
    return ACT[act].to_signed if sign_off else ACT[act].to


def late_by(plan: Plan, position: int) -> int:
    """Working days since its due date, for what should have been finished, on the minute grid minutes; 0 otherwise.

    A task due today, or this minute, is not late.
    """
    task, days = plan.tasks[position], plan.read(position)
    if days is None or plan.today is None or all(plan.tasks[leaf].state in FINISHED for leaf in plan.leaves(position)):
        return 0
    today, calendar = plan.today, plan.calendars[task.calendar]
    if days[1] >= today:
        return 0
    if plan.grid.per_day > 1:
        return today - days[1]
    return max(1, calendar.day_index(today) - calendar.day_index(days[1] + 1))


def late_words(plan: Plan, position: int) -> str:
    """How late it is: ``2 d``, on the minute grid ``1h 5m``; nothing while it is not."""
    late = late_by(plan, position)
    return "" if not late else f"{late} d" if plan.grid.per_day == 1 else span_text(late)
