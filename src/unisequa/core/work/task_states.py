"""What state a task is in, and what may be done with it.

A task that is not begun is *ready* when all it depends on is done (or dropped), in other runs too, or, when it
depends on nothing, when its day has come; until then it is *waiting*.

==========  =======================================================
may become  from
==========  =======================================================
under way   waiting, ready
done        waiting, ready, under way, in review (signed off)
in review   waiting, ready, under way, when a sign-off is asked for
dropped     waiting, ready, under way, when it may be skipped
waiting     any other: it is reopened
==========  =======================================================
"""

from __future__ import annotations

from typing import Literal

from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED, State

Act = Literal["begin", "finish", "sign off", "send back", "drop", "reopen"]

_ACTS: dict[State, tuple[Act, ...]] = {
    "waiting": ("begin", "finish", "drop"),
    "ready": ("begin", "finish", "drop"),
    "under way": ("finish", "drop", "reopen"),
    "in review": ("sign off", "send back"),
    "done": ("reopen",),
    "dropped": ("reopen",),
}


def acts(state: State, *, may_skip: bool) -> tuple[Act, ...]:
    """What may be done with a task in a state; dropping only what may be skipped."""
    return tuple(act for act in _ACTS[state] if act != "drop" or may_skip)


def state_after(act: Act, *, sign_off: bool) -> State:
    """The state an act leads to, ``waiting`` standing for ready too."""
    if act == "finish":
        return "in review" if sign_off else "done"
    outcomes: dict[Act, State] = {
        "begin": "under way",
        "sign off": "done",
        "send back": "under way",
        "drop": "dropped",
        "reopen": "waiting",
    }
    return outcomes[act]


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
