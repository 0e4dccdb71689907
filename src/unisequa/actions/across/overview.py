"""What a lead looks at: what is late by whom and where, what ends soon, how runs stand over time, who has too much."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from unisequa.actions.across.load import Period, loads
from unisequa.actions.people.people import Actor
from unisequa.core.people.doers import Overload
from unisequa.core.work.line import run_words, standing_words
from unisequa.store.queries import overview as queries
from unisequa.store.queries.overview import Ending, LateTask
from unisequa.store.store import Session

WEEKS = 4
BACK, AHEAD = 11, 3
"""Months before and behind this one."""
LOAD_WEEKS = 12
OUTCOMES = ("in a muddle", "behind", "on time", "ahead", "to come")


@dataclass(frozen=True, slots=True)
class LateSeen:
    """A late task, and by how many days."""

    run_id: int
    run: str
    key: str
    title: str
    who: str
    due: dt.date
    days: int


@dataclass(frozen=True, slots=True)
class LateOf:
    """What is late of somebody, or in a run; ``id`` is theirs, 0 for nobody."""

    id: int
    name: str
    tasks: tuple[LateSeen, ...]


@dataclass(frozen=True, slots=True)
class EndingSeen:
    """A run that ends soon."""

    id: int
    name: str
    keeper: str
    last: dt.date
    stands: str
    bad: bool


@dataclass(frozen=True, slots=True)
class Month:
    """The runs of a template that end in a month, by outlook in the order of :data:`OUTCOMES`."""

    first: dt.date
    counts: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class OfTemplate:
    """The runs of a template over months."""

    id: int
    name: str
    months: tuple[Month, ...]
    runs: int


@dataclass(frozen=True, slots=True)
class Overview:
    """All of it, of the runs that somebody sees."""

    late: int
    by_person: tuple[LateOf, ...]
    by_run: tuple[LateOf, ...]
    ending: tuple[EndingSeen, ...]
    templates: tuple[OfTemplate, ...]
    overloads: tuple[tuple[int, Overload], ...]


def overview(session: Session, actor: Actor, today: dt.date) -> Overview:
    """What somebody looks at who answers for many runs."""
    day = dt.date(today.year, today.month, today.day)
    late = queries.late_tasks(session, actor.id, day)
    first = _month(day, -BACK)
    found = queries.ending(session, actor.id, first, _month(day, AHEAD + 1) - dt.timedelta(days=1))
    soon = [one for one in found if one.state == "live" and day.toordinal() <= one.last <= day.toordinal() + 7 * WEEKS]
    monday = day.toordinal() - day.weekday()
    load = loads(session, today, [Period(monday, monday + 7 * LOAD_WEEKS - 1)], "none")
    over = [(person.id, one) for person in load.everybody.values() for one in person.overloads]
    return Overview(
        len(late),
        tuple(_gathered(late, day, by_person=True)),
        tuple(_gathered(late, day, by_person=False)),
        tuple(_ending(one) for one in soon),
        tuple(_templates(found, first)),
        tuple(sorted(over, key=lambda one: (one[1].first, -one[1].over, one[1].who))),
    )


def _month(day: dt.date, n: int) -> dt.date:
    months = day.year * 12 + day.month - 1 + n
    return dt.date(months // 12, months % 12 + 1, 1)


def _gathered(late: Iterable[LateTask], today: dt.date, *, by_person: bool) -> list[LateOf]:
    """Late tasks by who does them, or by run, those with most first."""
    heads: dict[tuple[int, str], list[LateSeen]] = {}
    for one in late:
        who = one.person or (f"{one.team}, queue" if one.team else "nobody")
        run = run_words(one.run, one.template)
        key = (one.person_id or 0, who) if by_person else (one.run_id, run)
        days = (today - one.finish_on).days
        heads.setdefault(key, []).append(LateSeen(one.run_id, run, one.key, one.title, who, one.finish_on, days))
    found = [LateOf(number, name, tuple(tasks)) for (number, name), tasks in heads.items()]
    return sorted(found, key=lambda one: (-len(one.tasks), one.tasks[0].due, one.name))


def _ending(one: Ending) -> EndingSeen:
    stands = standing_words(one.standing, one.ahead, one.late)
    bad = one.standing in {"behind", "in a muddle"}
    return EndingSeen(one.id, run_words(one.name, one.template), one.keeper, dt.date.fromordinal(one.last), stands, bad)


def _templates(found: Sequence[Ending], first: dt.date) -> list[OfTemplate]:
    """Templates by how many runs of theirs end in these months."""
    heads: dict[tuple[int, str], dict[dt.date, list[int]]] = {}
    for one in found:
        months = heads.setdefault((one.template_id, one.template), {})
        counts = months.setdefault(dt.date.fromordinal(one.last).replace(day=1), [0] * len(OUTCOMES))
        known = one.state in {"live", "finished"}
        counts[OUTCOMES.index(one.standing if known else "to come")] += 1
    axis = [_month(first, n) for n in range(BACK + AHEAD + 1)]
    made = [
        OfTemplate(
            number,
            name,
            tuple(Month(month, tuple(months.get(month, (0,) * len(OUTCOMES)))) for month in axis),
            sum(sum(counts) for counts in months.values()),
        )
        for (number, name), months in heads.items()
    ]
    return sorted(made, key=lambda one: (-one.runs, one.name))
