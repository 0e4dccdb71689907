"""Work of one person handed over, in a run or in all, between two days, to one or to several: shown before, in one."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass

from unisequa.actions.people.people import Actor, as_actor
from unisequa.actions.runs.handing import hand_over
from unisequa.core.calendars.grid import read_span
from unisequa.core.calendars.words import count_words, span_words
from unisequa.core.errors import ActionError, NotThere, Refused
from unisequa.core.terms import DAY_MINUTES
from unisequa.store.queries import handing as rows
from unisequa.store.queries.people import all_people, leave_of, people_by_id
from unisequa.store.store import Session

MOST_TASKS = 500


@dataclass(frozen=True, slots=True)
class Heir:
    """Somebody who could take it; ``away`` says when they are, within those days."""

    id: int
    name: str
    mate: bool
    away: str


@dataclass(frozen=True, slots=True)
class ToHand:
    """A task that could be handed over; ``to`` whom it would go to."""

    run_id: int
    run: str
    key: str
    title: str
    state: str
    days: tuple[dt.date, dt.date] | None
    minutes: int
    to: int | None

    @property
    def name(self) -> str:
        """What tells it apart in a form."""
        return f"{self.run_id}/{self.key}"


@dataclass(frozen=True, slots=True)
class Handing:
    """All that could be handed over, and who could take it."""

    person: Actor
    tasks: tuple[ToHand, ...]
    heirs: tuple[Heir, ...]


def considered(
    session: Session,
    actor: Actor,
    person_id: int,
    first: dt.date | None,
    last: dt.date | None,
    run_id: int | None = None,
    among: Sequence[int] = (),
) -> Handing:
    """What somebody would hand over, with each task given to one of those it is shared among: whoever has least by
    then of those who are there.

    Raises
    ------
    NotThere
    """
    person = people_by_id(session, {person_id}).get(person_id)
    if person is None:
        raise NotThere("There is nobody with that number.")
    found = rows.open_tasks(session, person_id, actor.id, first, last, run_id, MOST_TASKS)
    heirs = _heirs(session, person_id, found)
    away: dict[int, list[tuple[dt.date, dt.date]]] = {}
    for gone in leave_of(session, set(among)):
        away.setdefault(gone.person_id, []).append((gone.first_on, gone.last_on))
    laid = dict.fromkeys(among, 0)
    tasks = []
    for row in found:
        days = (row.start_on, row.finish_on) if row.start_on and row.finish_on else None
        minutes = 0
        with suppress(ValueError):
            minutes = read_span(row.effort, DAY_MINUTES) if row.effort else 0
        there = [n for n in laid if not any(days and a <= days[1] and days[0] <= b for a, b in away.get(n, ()))]
        to = min(there or laid, key=lambda n: laid[n], default=None)
        if to is not None:
            laid[to] += minutes or 60
        tasks.append(
            ToHand(row.run_id, row.run, row.key, row.title, row.state, days, minutes, to)
        )  # fmt: skip
    return Handing(as_actor(person), tuple(tasks), heirs)


def _heirs(session: Session, person_id: int, tasks: Sequence[rows.OpenTask]) -> tuple[Heir, ...]:
    """Who could take it: of one's teams first, then all others."""
    everybody = all_people(session)
    people = [one for one in everybody if one.active and one.id != person_id]
    teams = {team.id for one in everybody if one.id == person_id for team in one.teams}
    days = [day for task in tasks for day in (task.start_on, task.finish_on) if day]
    away: dict[int, str] = {}
    for row in leave_of(session, {one.id for one in people}) if days else ():
        if row.first_on <= max(days) and row.last_on >= min(days):
            away[row.person_id] = span_words(row.first_on.toordinal(), row.last_on.toordinal())
    found = [
        Heir(one.id, one.name, bool(teams & {team.id for team in one.teams}), away.get(one.id, "")) for one in people
    ]
    return tuple(sorted(found, key=lambda one: (not one.mate, one.name.casefold())))


def hand_all(
    session: Session, actor: Actor, person_id: int, chosen: Mapping[tuple[int, str], int], today: dt.date
) -> str:
    """Hand tasks of somebody to others, all of them or none; says what was done.

    Parameters
    ----------
    chosen : mapping
        Run and task → who takes it.

    Raises
    ------
    Refused
        With each task that cannot be, by ``RUN/TASK``.
    """
    if not chosen:
        raise Refused({"": "Choose what goes to whom first."})
    groups: dict[tuple[int, int], list[str]] = {}
    for (run_id, key), to in chosen.items():
        if to == person_id:
            raise Refused({f"{run_id}/{key}": "It is theirs already."})
        groups.setdefault((run_id, to), []).append(key)
    faults: dict[str, str] = {}
    for (run_id, to), keys in groups.items():
        try:
            hand_over(session, actor, run_id, keys, to, today)
        except ActionError as error:
            said = "; ".join(error.faults.values()) if isinstance(error, Refused) else str(error)
            faults |= {f"{run_id}/{key}": said for key in keys}
    if faults:
        raise Refused(faults)
    people, runs = len({to for _, to in groups}), len({run_id for run_id, _ in groups})
    return (
        f"{count_words(len(chosen), 'task')} in {count_words(runs, 'run')} handed to "
        f"{count_words(people, 'person', 'people')}"
    )


def asks_for(session: Session, actor: Actor, person_id: int, first: dt.date, last: dt.date) -> int:
    """How many open tasks of somebody touch the days of a leave, of those that whoever looks may hand over."""
    return len(rows.open_tasks(session, person_id, actor.id, first, last, None, MOST_TASKS))
