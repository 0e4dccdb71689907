"""How a run stands, in a few words."""

from __future__ import annotations

from unisequa.core.calendars.words import count_words
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED
from unisequa.core.work.task_states import days_late


def outlook(plan: Plan) -> str:
    """How many tasks are late, or by how much a deadline is missed; nothing where all is well."""
    late = sum(days_late(plan, i) > 0 for i in range(len(plan.tasks)))
    slacks = [
        slack
        for i, task in enumerate(plan.tasks)
        if task.deadline is not None
        and task.state not in FINISHED
        and (slack := plan.schedule.total_slack[i]) is not None
    ]
    if late:
        return f"{count_words(late, 'task')} late"
    if any(slack < 0 for slack in slacks):
        return f"a deadline is missed by {count_words(-min(slacks), 'working day')}"
    return ""
