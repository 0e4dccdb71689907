"""A plan as iCalendar to-dos (RFC 5545), their links as RELATED-TO with a GAP (RFC 9253).

A to-do of several days has DTSTART and DUE; one of a single day has DUE alone, since RFC 5545,
section 3.8.2.3, wants DUE later than DTSTART. Milestones and meetings may be events instead, and anchors too. A GAP
says how long a lag is, not by which clock: X-UNISEQUA-LAG beside it says working or elapsed.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

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


@dataclass(frozen=True, slots=True)
class Told:
    """What is told of a task beside its plan.

    Parameters
    ----------
    who, address : str
        Whoever does it, and their mail address where they have one.
    completed, modified : datetime, optional
        When it was done, and when its run last changed, in UTC.
    """

    notes: str = ""
    who: str = ""
    address: str = ""
    url: str = ""
    categories: tuple[str, ...] = ()
    kind: str = "todo"
    completed: dt.datetime | None = None
    modified: dt.datetime | None = None


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a calendar is to hold: milestones and meetings as events, anchors as events."""

    events: bool = False
    anchors: bool = False


def plan_ics(
    plan: Plan,
    *,
    identity: str = "",
    stamp: dt.datetime | None = None,
    told: Callable[[str], Told] = lambda key: Told(),
    sequence: int = 0,
    wanted: Wanted = Wanted(),
) -> bytes:
    """All tasks as a VCALENDAR, undated ones without a date.

    Parameters
    ----------
    identity : str
        What tells this plan from every other in the world; the same identity and task give the same UID each time.
    stamp : datetime, optional
        When it was made, in UTC; now without it.
    told : callable
        Gives what is told of a task by its key.
    sequence : int
        Grows with every change of the run (RFC 5545, 3.8.7.4).
    """
    return calendar_ics(plan.name, [Part(plan, identity or plan.name, told, sequence)], stamp=stamp, wanted=wanted)


@dataclass(frozen=True, slots=True)
class Part:
    """One run of a calendar; ``only`` some of its tasks."""

    plan: Plan
    identity: str
    told: Callable[[str], Told] = lambda key: Told()
    sequence: int = 0
    only: frozenset[str] | None = None


def calendar_ics(
    name: str,
    parts: Iterable[Part],
    *,
    stamp: dt.datetime | None = None,
    wanted: Wanted = Wanted(),
) -> bytes:
    """Several runs as one VCALENDAR; as :func:`plan_ics`."""
    from icalendar import Calendar  # slow to load, and most servers' first page needs none

    calendar = Calendar()
    calendar.add("prodid", "-//Unisequa//Unisequa 0.1//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    stamp = stamp or dt.datetime.now(dt.UTC).replace(microsecond=0)
    days: list[dt.date] = []
    zoned = False
    for part in parts:
        for component in _components(part, stamp, wanted):
            calendar.add_component(component)
        if part.plan.grid.zone is not None:
            zoned = True
            days += [_date(part.plan.grid.moment(b)) for b in part.plan.span() or ()]
    if zoned and days:
        year = dt.timedelta(days=366)
        calendar.add_missing_timezones(first_date=min(days) - year, last_date=max(days) + year)
    return bytes(calendar.to_ical())


def _uid(identity: str, key: str) -> str:
    return str(uuid.uuid5(_NAMESPACE, f"{identity}/{key}"))


def _components(part: Part, stamp: dt.datetime, wanted: Wanted) -> Iterator[Any]:
    plan = part.plan
    into: dict[str, list[LinkOf]] = {}
    for link in plan.links:
        into.setdefault(link.target, []).append(link)
    for i, task in enumerate(plan.tasks):
        if part.only is not None and task.key not in part.only:
            continue
        told = part.told(task.key)
        event = wanted.events and plan.read(i) is not None and (told.kind == "meeting" or task.duration == 0)
        component = _event(part, i, stamp) if event else _todo(part, i, stamp)
        _describe(component, told, part.sequence)
        if task.parent is not None:
            component.add("related-to", _text(_uid(part.identity, task.parent)), parameters={"RELTYPE": "PARENT"})
        for link in into.get(task.key, []):
            if link.source in plan.positions:  # else a tie, which is no task
                component.add(
                    "related-to", _text(_uid(part.identity, link.source)), parameters=_relation(link, plan.grid.per_day)
                )
        yield component
    if wanted.anchors:
        yield from _anchors(part, stamp)


def _text(text: str) -> Any:
    from icalendar import vText

    return vText(text)


def _relation(link: LinkOf, per_day: int) -> dict[str, str]:
    parameters = {"RELTYPE": _RELATION[link.type]}
    if link.lag:
        length = f"P{abs(link.lag)}D" if per_day == 1 else f"PT{abs(link.lag)}M"
        parameters["GAP"] = f"{'-' if link.lag < 0 else ''}{length}"
        parameters["X-UNISEQUA-LAG"] = link.unit.upper()
    return parameters


def _todo(part: Part, i: int, stamp: dt.datetime) -> Any:
    from icalendar import Todo

    plan, task, todo = part.plan, part.plan.tasks[i], Todo()
    dates = plan.read(i)
    todo.add("uid", _uid(part.identity, task.key))
    todo.add("dtstamp", stamp)
    todo.add("summary", task.title)
    if dates is not None:
        if dates[0] < dates[1]:
            todo.add("dtstart", _moment(plan, dates[0]))
        todo.add("due", _moment(plan, dates[1]))
    todo.add("status", _STATUS[task.state])
    if task.state == "done":
        todo.add("percent-complete", 100)
    return todo


def _event(part: Part, i: int, stamp: dt.datetime) -> Any:
    from icalendar import Event

    plan, task, event = part.plan, part.plan.tasks[i], Event()
    first, last = plan.read(i) or (0, 0)
    event.add("uid", _uid(part.identity, task.key))
    event.add("dtstamp", stamp)
    event.add("summary", task.title)
    event.add("dtstart", _moment(plan, first))
    if plan.grid.per_day == 1:
        event.add("dtend", _date(plan.grid.moment(last)) + dt.timedelta(days=1))
    elif last > first:
        event.add("dtend", _moment(plan, last))
    event.add("status", "CANCELLED" if task.state == "dropped" else "CONFIRMED")
    return event


def _describe(component: Any, told: Told, sequence: int) -> None:
    from icalendar import vCalAddress

    component.add("sequence", sequence)
    if told.notes:
        component.add("description", told.notes)
    if told.url:
        component.add("url", told.url)
    if told.categories:
        component.add("categories", list(told.categories))
    if told.modified is not None:
        component.add("last-modified", told.modified.replace(tzinfo=dt.UTC))
    if told.completed is not None and component.name == "VTODO":
        component.add("completed", told.completed.replace(tzinfo=dt.UTC))
    if told.address:
        attendee = vCalAddress(f"mailto:{told.address}")
        attendee.params["CN"] = _text(told.who or told.address)
        component.add("attendee", attendee)
    elif told.who:
        component.add("contact", told.who)


def _anchors(part: Part, stamp: dt.datetime) -> Iterator[Any]:
    from icalendar import Event

    plan = part.plan
    for key, day in plan.anchors.items():
        if day is None:
            continue
        event, moment = Event(), plan.grid.moment(day)
        event.add("uid", _uid(part.identity, f"anchor/{key}"))
        event.add("dtstamp", stamp)
        event.add("sequence", part.sequence)
        event.add("summary", f"{plan.labels.get(key, key)}, {plan.name}")
        event.add("dtstart", _moment(plan, day) if plan.grid.per_day > 1 else _date(moment))
        yield event


def _moment(plan: Plan, read: int) -> dt.date:
    """A date, or on the minute grid a time by the run's clock."""
    moment = plan.grid.moment(read)
    if isinstance(moment, dt.datetime) and plan.grid.zone is not None:
        local = moment.replace(tzinfo=plan.grid.zone)
        return local.astimezone(dt.UTC) if plan.grid.twice(read) else local  # of two such times a file means the first
    return moment


def _date(moment: dt.date) -> dt.date:
    return moment.date() if isinstance(moment, dt.datetime) else moment
