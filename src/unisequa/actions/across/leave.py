"""Leave of everybody, and what somebody's would do before it is entered."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, replace

from unisequa.actions.across.load import Loads, Period, TaskLoad, loads, tasks_in
from unisequa.actions.across.sums import days_of
from unisequa.actions.house import leave as house
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.words import span_words
from unisequa.core.errors import Refused
from unisequa.core.people.doers import Overload, overloads
from unisequa.store.plans import minutes_of
from unisequa.store.queries import load as load_queries
from unisequa.store.queries import people as queries
from unisequa.store.store import Session
from unisequa.store.tables import Leave


@dataclass(frozen=True, slots=True)
class LeaveLine:
    """Somebody's leave; ``may`` says whether whoever looks may take it off."""

    id: int
    person_id: int
    name: str
    first: dt.date
    last: dt.date
    label: str
    may: bool


@dataclass(frozen=True, slots=True)
class Effects:
    """What leave would do: hours that would be missing, tasks that lie on its days, and where more than before would be
    asked than somebody has."""

    who: str
    first: dt.date
    last: dt.date
    hours: int
    tasks: tuple[TaskLoad, ...]
    over: tuple[Overload, ...]


def leave_ahead(session: Session, actor: Actor, today: dt.date) -> tuple[LeaveLine, ...]:
    """All leave that is not over, the next first."""
    people = {one.id: one.name for one in queries.active_people(session)}
    rows = [one for one in queries.leave_of(session, list(people)) if one.last_on >= today]
    rows.sort(key=lambda one: (one.first_on, people[one.person_id].casefold(), one.id))
    return tuple(_line(actor, one, people[one.person_id]) for one in rows)


def _line(actor: Actor, one: Leave, name: str) -> LeaveLine:
    """Somebody's leave; what it is for only they and administrators see."""
    may = actor.administrator or one.person_id == actor.id
    return LeaveLine(one.id, one.person_id, name, one.first_on, one.last_on, one.label if may else "", may)


def those_for(session: Session, actor: Actor) -> tuple[tuple[int, str], ...]:
    """For whom somebody may enter leave: themselves first."""
    if not actor.administrator:
        return ((actor.id, actor.name),)
    rest = [(one.id, one.name) for one in queries.active_people(session) if one.id != actor.id]
    return ((actor.id, actor.name), *rest)


def effects(session: Session, actor: Actor, person_id: int, first: str, last: str, today: dt.date) -> Effects:
    """What it would do if somebody were away on these days.

    Raises
    ------
    NotAllowed, Refused
        As for entering it.
    """
    begins, ends = house.checked(session, actor, person_id, first, last, today)
    span = Period(begins.toordinal(), ends.toordinal())
    found = loads(session, today, [Period(min(span.first, today.toordinal()), span.last + 60)])
    person = found.staff.people[person_id]
    tasks = tasks_in(session, actor, found, person_id, span, today)
    away = replace(person, leave=(*person.leave, (span.first, span.last)), _known={})
    hours = sum(person.hours(day) for day in range(span.first, span.last + 1))
    before = {one: one.over for one in overloads(person.name, found.laid.asked.get(person_id, {}), person.hours)}
    after = overloads(person.name, _laid_without(session, actor, found, person_id, away, today), away.hours)
    known = {(one.first, one.last, over) for one, over in before.items()}
    more = [one for one in after if (one.first, one.last, one.over) not in known]
    return Effects(person.name, begins, ends, hours, tasks, tuple(more))


def _laid_without(
    session: Session, actor: Actor, found: Loads, person_id: int, away: object, today: dt.date
) -> dict[int, int]:
    """What would be asked of somebody by day with leave more."""
    staff = replace(found.staff, people={**found.staff.people, person_id: away})  # type: ignore[dict-item]
    last = today + dt.timedelta(days=400)
    asked: dict[int, int] = {}
    for named in load_queries.tasks_with(session, person_id, (), today, last, actor.id):
        minutes = minutes_of(named.of.effort)
        if minutes is None or named.of.run_state != "live":
            continue
        for _, days in days_of(staff, named.of, minutes, minutes_of(named.of.chunk) or 0, today.toordinal()):
            for day, part in days.items():
                asked[day] = asked.get(day, 0) + part
    return asked


def lying_on(
    session: Session, actor: Actor, person_id: int, spans: Sequence[tuple[dt.date, dt.date]], today: dt.date
) -> list[int]:
    """How many open tasks of somebody lie on each of some stretches of days; of anybody else's only administrators are
    told."""
    if not spans or not (actor.administrator or actor.id == person_id):
        return [0] * len(spans)
    last = max(end for _, end in spans)
    tasks = [named.of for named in load_queries.tasks_with(session, person_id, (), today, last, actor.id)]
    return [
        sum(1 for task in tasks if task.start_on <= end and task.finish_on >= max(first, today)) for first, end in spans
    ]


def take_in(
    session: Session, actor: Actor, person_id: int, spans: Sequence[tuple[str, str, str]], today: dt.date
) -> tuple[int, list[str]]:
    """Enter leave that was read from a file; gives how much was new, and what was left out and why."""
    added, left_out = 0, []
    for first, last, label in spans:
        days = span_words(dt.date.fromisoformat(first).toordinal(), dt.date.fromisoformat(last).toordinal())
        try:
            house.add(session, actor, person_id, first, last, label, today)
            session.flush()
            added += 1
        except Refused as error:
            left_out.append(f"{days}: {next(iter(error.faults.values()))}")
    return added, left_out
