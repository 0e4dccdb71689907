"""Hours asked of people against those they have, over a stretch of days: by person, team, role or position.

Read from rows of tasks, never from whole runs (:mod:`unisequa.actions.across.sums`).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from unisequa.actions.access import may_change_run, may_comment
from unisequa.actions.across.staff import Staff
from unisequa.actions.across.sums import Laid, days_of, lay_all
from unisequa.actions.people.people import Actor
from unisequa.core.people.doers import Overload, Team, overloads
from unisequa.core.people.levelling import RunOfWork
from unisequa.core.people.proposals import Evening, Proposal
from unisequa.core.work.line import run_words
from unisequa.store.plans import minutes_of, plan_of
from unisequa.store.queries import load as queries
from unisequa.store.queries.load import Named
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session

__all__ = ["Loads", "Period", "loads"]

MOST_RUNS = 12
"""Runs of which proposals are worked out: those that have most of an overload."""


@dataclass(frozen=True, slots=True)
class Period:
    """A column: days, both included."""

    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Cell:
    """What is asked of somebody in a period, what prepared runs would ask, and what they have; minutes. ``over`` is by
    how much they are over on single days of it."""

    asked: int
    expected: int
    has: int
    over: int

    @property
    def free(self) -> int:
        """What they have left."""
        return max(0, self.has - self.asked)


@dataclass(frozen=True, slots=True)
class PersonLoad:
    """Somebody's cells by period; ``why`` says of each without hours why it has none, ``bare`` counts their tasks
    without effort in all of it."""

    id: int
    name: str
    position: str
    cells: tuple[Cell, ...]
    why: tuple[str, ...]
    overloads: tuple[Overload, ...]
    bare: int


@dataclass(frozen=True, slots=True)
class GroupLoad:
    """People under a head with their sums; ``id`` is that of a team."""

    label: str
    people: tuple[PersonLoad, ...]
    cells: tuple[Cell, ...]
    id: int = 0


@dataclass(frozen=True, slots=True)
class Loads:
    """The load of everybody in a stretch of days."""

    groups: tuple[GroupLoad, ...]
    everybody: Mapping[int, PersonLoad]
    staff: Staff
    laid: Laid


def loads(session: Session, today: dt.date, periods: Sequence[Period], by: str = "team") -> Loads:
    """The load of everybody who works here, over periods; grouped by team, by position, by the roles that
    they fill in runs that are not over, or not at all."""
    last = dt.date.fromordinal(periods[-1].last)
    everybody, found = lay_all(session, today, last)
    day = today.toordinal()
    people = {
        number: _load(everybody, found, number, periods, day)
        for number in sorted(everybody.active, key=lambda one: everybody.people[one].name.casefold())
    }
    groups = _by_roles(session, people) if by == "role" else _grouped(everybody, people, by)
    return Loads(tuple(groups), people, everybody, found)


def _load(everybody: Staff, found: Laid, number: int, periods: Sequence[Period], today: int) -> PersonLoad:
    """The load of somebody; of the period that today is in only the hours that are left."""
    person = everybody.people[number]
    asked, expected = found.asked.get(number, {}), found.expected.get(number, {})
    first, last = periods[0].first, periods[-1].last
    within = {day: minutes for day, minutes in asked.items() if first <= day <= last}
    cells, why = [], []
    for period in periods:
        past = period.first < today <= period.last
        days = range(today if past else period.first, period.last + 1)
        has = [person.hours(day) for day in days]
        wanted = [asked.get(day, 0) for day in days]
        over = sum(max(0, a - h) for a, h in zip(wanted, has, strict=True))
        cells.append(Cell(sum(wanted), sum(expected.get(day, 0) for day in days), sum(has), over))
        why.append("" if any(has) else _why(person.why_away, days))
    bare = found.without_effort(number, first, last)
    return PersonLoad(
        number,
        person.name,
        everybody.positions.get(number, ""),
        tuple(cells),
        tuple(why),
        tuple(overloads(person.name, within, person.hours)),
        bare,
    )


def _why(told: Callable[[int], str], days: range) -> str:
    """Why somebody has no hours on any of some days."""
    said = [told(day) for day in days]
    if "away" in said:
        return "away"
    named = [name for name in said if name]
    return "closed" if len(set(named)) > 1 else named[0] if named else "off"


def _grouped(everybody: Staff, people: Mapping[int, PersonLoad], by: str) -> Iterator[GroupLoad]:
    if by == "position":
        heads: dict[str, list[PersonLoad]] = {}
        for one in people.values():
            heads.setdefault(one.position or "no position", []).append(one)
        for label in sorted(heads, key=lambda label: (label == "no position", label.casefold())):
            yield _group(label, heads[label])
        return
    if by != "team":
        yield _group("", list(people.values()))
        return
    placed: set[int] = set()
    for number, team in sorted(everybody.teams.items(), key=lambda one: one[1].name.casefold()):
        members = [people[everybody.ids[one.name]] for one in team.members if everybody.ids[one.name] in people]
        placed |= {one.id for one in members}
        yield _group(team.name, members, number)
    if rest := [one for number, one in people.items() if number not in placed]:
        yield _group("in no team", rest)


def _by_roles(session: Session, people: Mapping[int, PersonLoad]) -> Iterator[GroupLoad]:
    """Whoever fills several roles stands in each of them, with all that is asked of them."""
    heads: dict[str, set[int]] = {}
    for label, number in queries.roles_filled(session):
        if number in people:
            heads.setdefault(label, set()).add(number)
    for label in sorted(heads, key=str.casefold):
        yield _group(label, [one for number, one in people.items() if number in heads[label]])
    if rest := [one for number, one in people.items() if not any(number in held for held in heads.values())]:
        yield _group("in no role now", rest)


def _group(label: str, people: Sequence[PersonLoad], number: int = 0) -> GroupLoad:
    sums = tuple(
        Cell(
            sum(cell.asked for cell in column), sum(cell.expected for cell in column),
            sum(cell.has for cell in column), sum(cell.over for cell in column),
        )
        for column in zip(*(one.cells for one in people), strict=True)
    )  # fmt: skip
    return GroupLoad(label, tuple(people), sums, number)


@dataclass(frozen=True, slots=True)
class TaskLoad:
    """A task of somebody in a stretch of days: its minutes by day, whole and in the stretch. One of a run that whoever
    looks does not see has no title."""

    run_id: int
    run: str
    key: str
    title: str
    first: int
    last: int
    days: Mapping[int, int]
    state: str
    prepared: bool
    queue: bool
    effort: bool
    seen: bool


def tasks_in(
    session: Session, actor: Actor, found: Loads, person_id: int, period: Period, today: dt.date
) -> tuple[TaskLoad, ...]:
    """The tasks of somebody with minutes in a period, and those without effort whose days lie in it."""
    everybody, day = found.staff, today.toordinal()
    own = [number for number, team in everybody.teams.items() if _is_in(everybody, team, person_id)]
    last = dt.date.fromordinal(period.last)
    told = []
    for named in queries.tasks_with(session, person_id, own, today, last, actor.id):
        days = _mine(everybody, named, person_id, day)
        touched = any(period.first <= one <= period.last for one in days)
        first, end = named.of.start_on.toordinal(), named.of.finish_on.toordinal()
        bare = named.of.effort is None and first <= period.last and end >= period.first
        if touched or bare:
            title = named.title if named.seen else "a task of a run not open to you"
            run, key = (run_words(named.run, named.template), named.key) if named.seen else ("", "")
            task = named.of
            told.append(
                TaskLoad(
                    task.run_id, run, key, title, first, end, days, task.state, task.run_state == "prepared",
                    task.person_id is None, task.effort is not None, named.seen,
                )
            )  # fmt: skip
    return tuple(told)


def _is_in(everybody: Staff, team: Team, person_id: int) -> bool:
    return any(everybody.ids[one.name] == person_id for one in team.members)


def _mine(everybody: Staff, named: Named, person_id: int, today: int) -> Mapping[int, int]:
    minutes = minutes_of(named.of.effort)
    if minutes is None:
        return {}
    parts = days_of(everybody, named.of, minutes, minutes_of(named.of.chunk) or 0, today)
    return next((days for number, days in parts if number == person_id), {})


def proposals(
    session: Session, actor: Actor, found: Loads, overload: Overload, today: dt.date, *, whole: bool = False
) -> tuple[list[Proposal], list[int], list[str]]:
    """What would even out an overload, each of runs in which whoever looks may consider a shift; the ids and the names
    of the runs that they speak of, by place. ``whole`` for all of it, one step after the other."""
    person_id = found.staff.ids[overload.who]
    period = Period(overload.first, overload.last)
    weights: dict[int, int] = {}
    for task in tasks_in(session, actor, found, person_id, period, today):
        if task.seen and not task.prepared and not task.queue:
            minutes = sum(part for day, part in task.days.items() if period.first <= day <= period.last)
            if minutes:
                weights[task.run_id] = weights.get(task.run_id, 0) + minutes
    ids = sorted(weights, key=lambda number: (-weights[number], number))[:MOST_RUNS]
    runs: list[RunOfWork] = []
    names: list[str] = []
    may: list[bool] = []
    for number in ids:
        run = run_by_id(session, number, alone=False)
        assert run is not None
        may.append(may_change_run(run, actor) or may_comment(run, actor))
        runs.append(found.staff.work_of(run, plan_of(run, today, viewer=actor.id)))
        names.append(run_words(run.name, run.edition.template.name))
    staff_ids = found.staff.ids
    asked = {name: dict(found.laid.asked.get(staff_ids[name], {})) for name in staff_ids}
    evening = Evening(
        runs,
        {one.name: one for one in found.staff.people.values()},
        today.toordinal(),
        tuple(found.staff.teams.values()),
        may.__getitem__,
        asked,
    )
    return (evening.all_of_it(overload) if whole else evening.proposals(overload)), ids, names
