"""Minutes asked of everybody by day, across all runs: kept in memory, and brought up by the runs that have changed.

What is kept is nobody's truth: a process without it works it out anew. It is known to stand by the versions of the runs
and by what people's hours rest on; of a run that has changed the tasks are read again, of all others nothing.
"""

from __future__ import annotations

import datetime as dt
from bisect import bisect_left, bisect_right
from collections import OrderedDict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from threading import Lock
from typing import cast

from unisequa.actions.across.staff import Staff, staff
from unisequa.core.people.doers import Team, shared
from unisequa.core.people.laying import Effort, laid
from unisequa.core.terms import State
from unisequa.store.plans import minutes_of
from unisequa.store.queries import load as queries
from unisequa.store.queries.load import Open
from unisequa.store.queries.no_time import people_rest_on
from unisequa.store.store import Session

REACH = 400
"""Days from today on that are laid at least."""
MOST_KEPT = 4
MOST_ALONE = 200
"""More runs than that are read all together."""

Days = dict[int, int]
Part = tuple[bool, int, int, int]
"""Whether the run is prepared, whose it is, the day, minutes."""


@dataclass(frozen=True, slots=True)
class Laid:
    """Minutes by person and day, in live runs and in prepared ones; and the tasks without effort by person: their first
    days, and their last days, each in order."""

    asked: Mapping[int, Mapping[int, int]]
    expected: Mapping[int, Mapping[int, int]]
    bare: Mapping[int, tuple[Sequence[int], Sequence[int]]]

    def without_effort(self, person: int, first: int, last: int) -> int:
        """How many tasks of somebody without effort touch some days, both included."""
        begins, ends = self.bare.get(person, ((), ()))
        return bisect_right(begins, last) - bisect_left(ends, first)


@dataclass(slots=True)
class _Sums:
    """What stands for a day: of each run its version and its parts, and the sums of all."""

    day: int
    last: int
    rests_on: str
    staff: Staff
    versions: dict[int, int] = field(default_factory=dict)
    parts: dict[int, list[Part]] = field(default_factory=dict)
    bare: dict[int, list[tuple[int, int, int]]] = field(default_factory=dict)
    asked: tuple[dict[int, Days], dict[int, Days]] = field(default_factory=lambda: ({}, {}))
    by_person: dict[int, tuple[list[int], list[int]]] = field(default_factory=dict)


_LOCK = Lock()
_KEPT: OrderedDict[tuple[str, int], _Sums] = OrderedDict()


def forget() -> None:
    """Let go of all that is kept."""
    with _LOCK:
        _KEPT.clear()


def lay_all(session: Session, today: dt.date, last: dt.date) -> tuple[Staff, Laid]:
    """Everybody, and the minutes asked of them up to a day."""
    engine = session.get_bind().engine
    rests_on = people_rest_on(session)
    versions = queries.open_versions(session)
    day = today.toordinal()
    with _LOCK:
        sums = _KEPT.pop((str(engine.url), id(engine)), None)
        if sums is None or (sums.day, sums.rests_on) != (day, rests_on) or sums.last < last.toordinal():
            reach = max(last.toordinal(), day + REACH)
            sums = _Sums(day, reach, rests_on, staff(session))
        _bring_up(session, sums, versions, today)
        _KEPT[str(engine.url), id(engine)] = sums
        while len(_KEPT) > MOST_KEPT:
            _KEPT.popitem(last=False)
        return sums.staff, Laid(*sums.asked, sums.by_person)


def _bring_up(session: Session, sums: _Sums, versions: Mapping[int, int], today: dt.date) -> None:
    """Read the runs that have changed, and have the sums say what they say; those handed out stay as they were."""
    changed = [number for number, version in versions.items() if sums.versions.get(number) != version]
    gone = sums.versions.keys() - versions.keys()
    if not changed and not gone:
        return
    alone: Collection[int] | None = changed if len(changed) <= MOST_ALONE else None
    last = dt.date.fromordinal(sums.last)
    tasks: dict[int, list[Open]] = {number: [] for number in changed}
    for task in queries.open_tasks(session, today, last, alone) if changed else ():
        if task.run_id in tasks:
            tasks[task.run_id].append(task)
    changes: dict[tuple[bool, int, int], int] = {}
    for number in (*changed, *gone):
        for prepared, person, day, minutes in sums.parts.pop(number, ()):
            changes[prepared, person, day] = changes.get((prepared, person, day), 0) - minutes
        sums.bare.pop(number, None)
    for number, of_run in tasks.items():
        sums.parts[number], sums.bare[number] = _laid(sums.staff, of_run, sums.day)
        for prepared, person, day, minutes in sums.parts[number]:
            changes[prepared, person, day] = changes.get((prepared, person, day), 0) + minutes
    sums.asked = _changed(sums.asked, changes)
    sums.by_person = _by_person(sums.bare)
    sums.versions = dict(versions)


def _changed(
    asked: tuple[dict[int, Days], dict[int, Days]], changes: Mapping[tuple[bool, int, int], int]
) -> tuple[dict[int, Days], dict[int, Days]]:
    """Sums with changes; whoever holds the old ones still has them."""
    made = dict(asked[0]), dict(asked[1])
    own: set[tuple[bool, int]] = set()
    for (prepared, person, day), minutes in changes.items():
        if not minutes:
            continue
        if (prepared, person) not in own:
            own.add((prepared, person))
            made[prepared][person] = dict(made[prepared].get(person, {}))
        mine = made[prepared][person]
        mine[day] = mine.get(day, 0) + minutes
        if not mine[day]:
            del mine[day]
    return made


def _by_person(bare: Mapping[int, Sequence[tuple[int, int, int]]]) -> dict[int, tuple[list[int], list[int]]]:
    found: dict[int, tuple[list[int], list[int]]] = {}
    for of_run in bare.values():
        for person, first, last in of_run:
            mine = found.setdefault(person, ([], []))
            mine[0].append(first)
            mine[1].append(last)
    for begins, ends in found.values():
        begins.sort()
        ends.sort()
    return found


def _laid(everybody: Staff, tasks: Iterable[Open], today: int) -> tuple[list[Part], list[tuple[int, int, int]]]:
    """The tasks of a run as minutes by person and day; those without effort by their days."""
    parts: list[Part] = []
    bare: list[tuple[int, int, int]] = []
    for task in tasks:
        minutes = minutes_of(task.effort)
        if minutes is None:
            span = task.start_on.toordinal(), task.finish_on.toordinal()
            bare += [(number, *span) for number in whose(everybody, task)]
            continue
        prepared = task.run_state == "prepared"
        for number, days in days_of(everybody, task, minutes, minutes_of(task.chunk) or 0, today):
            parts += [(prepared, number, day, part) for day, part in days.items()]
    return parts, bare


def whose(everybody: Staff, task: Open) -> Iterator[int]:
    """Those who do a task, by id."""
    doer = everybody.doer(task.person_id, task.team_id)
    if isinstance(doer, Team):
        yield from (everybody.ids[one.name] for one in doer.members)
    elif doer is not None:
        yield everybody.ids[doer.name]


def days_of(
    everybody: Staff, task: Open, minutes: int, chunk: int, today: int
) -> Iterator[tuple[int, Mapping[int, int]]]:
    """The minutes of a task by day, of each who does it."""
    doer = everybody.doer(task.person_id, task.team_id)
    if doer is None:
        return
    first, last = task.start_on.toordinal(), task.finish_on.toordinal()
    calendar = everybody.calendars.get(task.calendar or "", everybody.usual)
    duration = calendar.count(first, last + 1) if task.hourly else task.duration
    effort = Effort(minutes, first, last, duration, cast(State, task.state), chunk, task.left)
    days = laid(effort, today, calendar, doer.hours)
    if isinstance(doer, Team):
        for name, parts in shared(days, doer).items():
            yield everybody.ids[name], parts
    else:
        yield everybody.ids[doer.name], days
