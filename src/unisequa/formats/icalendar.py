"""A plan as iCalendar to-dos (RFC 5545), their links as RELATED-TO with a GAP (RFC 9253).

A to-do of several days has DTSTART and DUE; one of a single day has DUE alone, since RFC 5545,
section 3.8.2.3, wants DUE later than DTSTART.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable

from unisequa.core.plan.plan import Plan
from unisequa.core.plan.task import LinkOf

_STATUS = {
    "waiting": "NEEDS-ACTION",
    "ready": "NEEDS-ACTION",
    "under way": "IN-PROCESS",
    "in review": "IN-PROCESS",
    "done": "COMPLETED",
    "dropped": "CANCELLED",
}
_RELATION = {"FS": "FINISHTOSTART", "SS": "STARTTOSTART", "FF": "FINISHTOFINISH", "SF": "STARTTOFINISH"}
_NAMESPACE = uuid.UUID("7a1c7f0e-64d3-4c0f-9f5c-2f5f0a6c3b11")


def plan_ics(
    plan: Plan,
    *,
    identity: str = "",
    stamp: dt.datetime | None = None,
    notes: Callable[[str], str] = lambda key: "",
) -> bytes:
    """The dated tasks as a VCALENDAR.

    Parameters
    ----------
    identity : str
        What tells this plan from every other; the same identity and task give the same UID each time.
    stamp : datetime, optional
        When it was made, in UTC; now without it.
    notes : callable
        Gives the text of a task by its key.
    """
    from icalendar import Calendar, Todo, vText  # slow to load, and most servers' first page needs none

    calendar = Calendar()
    calendar.add("prodid", "-//Unisequa//Unisequa 0.1//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", plan.name)
    stamp = stamp or dt.datetime.now(dt.UTC).replace(microsecond=0)
    into: dict[str, list[LinkOf]] = {}
    for link in plan.links:
        into.setdefault(link.target, []).append(link)

    def uid(key: str) -> str:
        return str(uuid.uuid5(_NAMESPACE, f"{identity or plan.name}/{key}"))

    for i, task in enumerate(plan.tasks):
        dates = plan.read(i)
        if dates is None:
            continue
        todo = Todo()
        todo.add("uid", uid(task.key))
        todo.add("dtstamp", stamp)
        todo.add("summary", task.title)
        if dates[0] < dates[1]:
            todo.add("dtstart", _moment(plan, dates[0]))
        todo.add("due", _moment(plan, dates[1]))
        todo.add("status", _STATUS[task.state])
        if task.state == "done":
            todo.add("percent-complete", 100)
        if text := notes(task.key):
            todo.add("description", text)
        if task.parent is not None:
            todo.add("related-to", vText(uid(task.parent)), parameters={"RELTYPE": "PARENT"})
        for link in into.get(task.key, []):
            if link.source not in plan.positions:
                continue  # a tie, which is no task
            parameters = {"RELTYPE": _RELATION[link.type]}
            if link.lag:
                length = f"P{abs(link.lag)}D" if plan.grid.per_day == 1 else f"PT{abs(link.lag)}M"
                parameters["GAP"] = f"{'-' if link.lag < 0 else ''}{length}"
            todo.add("related-to", vText(uid(link.source)), parameters=parameters)
        calendar.add_component(todo)
    days = [plan.grid.moment(b) for b in plan.span() or ()]
    if plan.grid.zone is not None and days:
        year = dt.timedelta(days=366)
        calendar.add_missing_timezones(first_date=_date(days[0]) - year, last_date=_date(days[1]) + year)
    return bytes(calendar.to_ical())


def _moment(plan: Plan, read: int) -> dt.date:
    """A date, or on the minute grid a time by the run's clock."""
    moment = plan.grid.moment(read)
    if isinstance(moment, dt.datetime) and plan.grid.zone is not None:
        local = moment.replace(tzinfo=plan.grid.zone)
        return local.astimezone(dt.UTC) if plan.grid.twice(read) else local  # of two such times a file means the first
    return moment


def _date(moment: dt.date) -> dt.date:
    return moment.date() if isinstance(moment, dt.datetime) else moment
