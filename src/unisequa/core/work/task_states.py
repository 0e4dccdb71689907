"""What state a task is in, and what may be done with it.

A task that is not begun is *ready* when all it depends on is done (or dropped), in other runs too, or, when it
depends on nothing, when its day has come; until then it is *waiting*.

What may be done with a task is a row of :data:`ACTS` each.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

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


def shown_state(plan: Plan, position: int) -> State:
    """The state people see: what is not begun is either waiting or ready."""
    task = plan.tasks[position]
    if plan.is_parent(position):
        return _state_of_parts({shown_state(plan, leaf) for leaf in plan.leaves(position)})
    if task.state != "waiting":
        return task.state
    if plan.network.incoming[position] or task.waits:
        open_before = unfinished_before(plan, position) or any(not awaited.done for awaited in task.waits)
        return "waiting" if open_before else "ready"
    dates = plan.read(position)
    has_come = dates is not None and plan.today is not None and dates[0] <= plan.today
    return "ready" if has_come else "waiting"


def _state_of_parts(states: set[State]) -> State:
    """What a parent is, by the states of its sub-steps."""
    if states <= {"dropped"}:
        return "dropped"
    if states <= {"done", "dropped"}:
        return "done"
    begun = states & {"under way", "in review", "done"}
    return "under way" if begun else "ready" if "ready" in states else "waiting"


def unfinished_before(plan: Plan, position: int) -> list[int]:
    """Positions of the predecessors that are not finished yet."""
    return [link.source for link in plan.network.incoming[position] if not _over(plan, link.source)]


def _over(plan: Plan, position: int) -> bool:
    """Whether a task is done or dropped; a parent, whether all its sub-steps are."""
    return all(plan.tasks[leaf].state in FINISHED for leaf in plan.leaves(position))


def days_late(plan: Plan, position: int) -> int:
    """Working days since its due date, for what should have been finished; 0 otherwise.

    A task due today is not late.
    """
    task, days = plan.tasks[position], plan.days(position)
    if days is None or plan.today is None or _over(plan, position):
        return 0
    today, calendar = plan.grid.day(plan.today), plan.calendars[task.calendar]
    if days[1] >= today:
        return 0
    return max(1, calendar.day_index(today) - calendar.day_index(days[1] + 1))
