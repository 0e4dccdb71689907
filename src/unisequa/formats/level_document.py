"""People and levels as documents: who there is, read; when all would be done by whom, written."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from unisequa.core.calendars.grid import DAYS
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.people import PeopleDocument
from unisequa.core.documents.reading import read_document
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.people.doers import Doer, Overload, Person, Team, daily_minutes
from unisequa.core.people.levelling import Answer, Asked, RunOfWork
from unisequa.core.people.proposals import Proposal
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits.codec import option_of

MONDAY_TO_FRIDAY = CalendarDocument(name="Monday to Friday")


@dataclass(frozen=True, slots=True)
class People:
    """People and teams by name."""

    people: Mapping[str, Person]
    teams: Mapping[str, Team]

    def doer(self, name: str | None) -> Doer | None:
        """Whoever is called so: somebody, or a team; None for parties outside."""
        return self.people.get(name or "") or self.teams.get(name or "")

    def work_of(self, plan: Plan) -> RunOfWork:
        """A plan with who does what in it: whoever is named for a task, else whoever fills its role."""
        doers = {t.key: doer for t in plan.tasks if (doer := self.doer(t.who or plan.crew.get(t.role or "")))}
        asked = {t.key: Asked(t.effort, t.chunk or 0, t.left) for t in plan.tasks if t.effort is not None}
        return RunOfWork(plan, asked, doers, plan.prepared)


def read_people(content: object) -> People:
    """People from plain JSON values.

    Raises
    ------
    DocumentError
        With every fault and its path.
    """
    document = read_document(PeopleDocument, content)
    calendars = {c.name: c for c in document.calendars} or {MONDAY_TO_FRIDAY.name: MONDAY_TO_FRIDAY}
    faults: list[Fault] = []
    made = {}
    for i, calendar in enumerate(calendars.values()):
        try:
            made[calendar.name] = calendar.working()
        except DocumentError as error:
            faults += [Fault(f"calendars[{i}].{fault.path}", fault.message) for fault in error.faults]
    people: dict[str, Person] = {}
    for i, entry in enumerate(document.people):
        path = f"people[{i}]"
        if entry.name in people:
            faults.append(Fault(f"{path}.name", f'"{entry.name}" stands twice; names are unique here'))
        name = entry.calendar or next(iter(calendars))
        if name not in calendars:
            faults.append(Fault(f"{path}.calendar", f'no calendar "{name}"{did_you_mean(name, calendars)}'))
            continue
        for n, leave in enumerate(entry.leave):
            if leave.to < leave.from_:
                faults.append(Fault(f"{path}.leave[{n}].to", "lies before its first day"))
        if name in made:
            leave_days = tuple((one.from_.toordinal(), one.to.toordinal()) for one in entry.leave)
            minutes = daily_minutes(calendars[name], Fraction(entry.share))
            people[entry.name] = Person(entry.name, made[name], minutes, leave_days, frozenset(entry.roles))
    teams: dict[str, Team] = {}
    for i, team in enumerate(document.teams):
        if team.name in people or team.name in teams:
            faults.append(Fault(f"teams[{i}].name", f'"{team.name}" stands twice; names are unique here'))
        for n, member in enumerate(team.members):
            if member not in people:
                faults.append(Fault(f"teams[{i}].members[{n}]", f'no person "{member}"{did_you_mean(member, people)}'))
            if member in team.members[:n]:
                faults.append(Fault(f"teams[{i}].members[{n}]", f'"{member}" stands twice'))
        teams[team.name] = Team(team.name, tuple(people[one] for one in team.members if one in people))
    if faults:
        raise DocumentError(faults)
    return People(people, teams)


def level_document(
    runs: Sequence[RunOfWork],
    today: int,
    answer: Answer,
    overloads: Sequence[Overload],
    proposals: Sequence[tuple[int, Proposal]],
) -> dict[str, Any]:
    """What levelling says as plain JSON values; ``plan`` is the place of a run among those given, times are minutes."""
    return {
        "format": "unisequa-level/1",
        "today": DAYS.iso(today),
        "tasks": list(_tasks(runs, answer)),
        "overloads": [
            {"who": o.who, "from": DAYS.iso(o.first), "to": DAYS.iso(o.last), "asked": o.asked, "has": o.has}
            for o in overloads
        ],
        "proposals": [_proposal(runs, n, one) for n, one in proposals],
        "no_effort": [{"plan": n, "key": key} for n, key in answer.no_effort],
        "nobody": [{"plan": n, "key": key} for n, key in answer.nobody],
    }


def _tasks(runs: Sequence[RunOfWork], answer: Answer) -> Iterator[dict[str, Any]]:
    for task in answer.tasks:
        grid = runs[task.run].plan.grid
        yield {
            "plan": task.run,
            "key": task.key,
            "who": task.who,
            "start": grid.iso(task.start),
            "finish": grid.iso(task.finish),
            "days": {DAYS.iso(day): minutes for day, minutes in sorted(task.days.items())},
        }
    for n, key in answer.nowhere:
        doer = runs[n].doers.get(key)
        yield {"plan": n, "key": key, "who": doer.name if doer else None, "start": None, "finish": None, "days": {}}


def _proposal(runs: Sequence[RunOfWork], n: int, one: Proposal) -> dict[str, Any]:
    grid = runs[one.run].plan.grid
    return {
        "overload": n,
        "plan": one.run,
        "kind": one.kind,
        "text": one.text,
        "edits": [part for edit in one.edits for part in option_of(edit, grid)],
        "mode": one.mode,
        "solves": one.solves,
        "cost": one.cost._asdict(),
    }
