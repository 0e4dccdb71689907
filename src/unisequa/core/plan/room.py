"""How much room a task has, in words: before the anchor it must not pass, or before the end of the run."""

from __future__ import annotations

from unisequa.core.calendars.grid import span_text
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED


def room_until(plan: Plan, position: int) -> int | None:
    """The boundary up to which a task may slip by the smaller of the two; None where it has no room."""
    room, finish = plan.room(position), plan.schedule.finish[position]
    if room is None or room[0] <= 0 or plan.is_parent(position):
        return None
    return plan.network.activities[position].calendar.advance(finish, room[0])


def room_words(plan: Plan, position: int) -> str:
    """The smaller of total slack and anchor slack, and to what: ``2 d to Opening night``, ``4 d to the end``.

    ``critical`` where the end of the run hangs on it; nothing for what is over or has no date.
    """
    room, schedule = plan.room(position), plan.schedule
    if room is None or plan.tasks[position].state in FINISHED:
        return ""
    slots, anchor = room
    if schedule.critical[position] and anchor is None:
        return "critical"
    calendar = plan.network.activities[position].calendar
    amount = f"{abs(slots)} d" if plan.grid.per_day == 1 else span_text(abs(slots), calendar.per_day)
    if anchor is None:
        end = "the end" if plan.end is None or plan.ends is None else plan.labels[plan.ends]
        return f"{amount} past its deadline" if slots < 0 else f"{amount} to {end}"
    return f"{amount} {'past' if slots < 0 else 'to'} {plan.labels.get(anchor, anchor)}"
