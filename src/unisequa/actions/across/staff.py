"""People of the house as levelling and load know them: each with their hours, under a name that is theirs alone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.people.doers import Doer, Person, Team, daily_minutes
from unisequa.core.people.levelling import Asked, RunOfWork
from unisequa.core.plan.plan import Plan
from unisequa.store.plans import minutes_of
from unisequa.store.queries import people as queries
from unisequa.store.store import Session
from unisequa.store.tables import Run


@dataclass(frozen=True, slots=True)
class Staff:
    """Everybody by id, in their teams.

    ``positions`` are what they hold, or else what they do; ``ids`` are by the name that is theirs alone. Who left has
    no hours. The calendars are by name, ``usual`` the one of who has none of their own.
    """

    people: Mapping[int, Person]
    teams: Mapping[int, Team]
    ids: Mapping[str, int]
    positions: Mapping[int, str]
    active: frozenset[int]
    calendars: Mapping[str, WorkingCalendar]
    usual: WorkingCalendar

    def doer(self, person_id: int | None, team_id: int | None) -> Doer | None:
        """Whoever does what lies with somebody, or in a queue."""
        return self.people.get(person_id or 0) or self.teams.get(team_id or 0)

    def work_of(self, run: Run, plan: Plan) -> RunOfWork:
        """A run with who does what in it."""
        doers: dict[str, Doer] = {}
        asked: dict[str, Asked] = {}
        for row in run.tasks:
            doer = self.doer(row.person_id, row.team_id)
            if doer is not None:
                doers[row.key] = doer
            minutes = minutes_of(row.effort)
            if minutes is not None:
                asked[row.key] = Asked(minutes, minutes_of(row.chunk) or 0, row.left)
        return RunOfWork(plan, asked, doers, run.state == "prepared", run.id)


def one_of(session: Session, person_id: int) -> Person:
    """Somebody with their hours, alone."""
    row = queries.person_by_id(session, person_id)
    documents = {one.id: CalendarDocument.model_validate(one.document) for one in queries.calendars(session)}
    usual = next(iter(documents.values()), CalendarDocument(name="Monday to Friday"))
    if row is None:
        return Person("", usual.working(), 0)
    document = documents.get(row.calendar_id or 0, usual)
    leave = tuple((one.first_on.toordinal(), one.last_on.toordinal()) for one in queries.leave_of(session, [person_id]))
    return Person(row.name, document.working(), daily_minutes(document, Fraction(row.share, 100)), leave)


def staff(session: Session) -> Staff:
    """Everybody of the house."""
    documents = {row.id: CalendarDocument.model_validate(row.document) for row in queries.calendars(session)}
    made = {number: document.working() for number, document in documents.items()}
    usual_document = next(iter(documents.values()), CalendarDocument(name="Monday to Friday"))
    usual = next(iter(made.values()), WorkingCalendar())
    everybody = queries.all_people(session)
    leave: dict[int, list[tuple[int, int]]] = {}
    for one in queries.leave_of(session, [row.id for row in everybody]):
        leave.setdefault(one.person_id, []).append((one.first_on.toordinal(), one.last_on.toordinal()))
    names = [row.name for row in everybody if row.active]
    people: dict[int, Person] = {}
    for row in everybody:
        document = documents.get(row.calendar_id or 0, usual_document)
        minutes = daily_minutes(document, Fraction(row.share, 100)) if row.active else 0
        name = row.name if row.active and names.count(row.name) == 1 else f"{row.name} ({row.email})"
        held = frozenset({row.position.name}) if row.position else frozenset()
        calendar = made.get(row.calendar_id or 0, usual)
        people[row.id] = Person(name, calendar, minutes, tuple(leave.get(row.id, ())), held)
    teams = {
        team.id: Team(team.name, tuple(people[one.id] for one in team.members if one.active))
        for team in queries.teams(session)
    }
    return Staff(
        people,
        {number: team for number, team in teams.items() if team.members},
        {person.name: number for number, person in people.items()},
        {row.id: row.position.name if row.position else row.title for row in everybody},
        frozenset(row.id for row in everybody if row.active),
        {document.name: made[number] for number, document in documents.items()},
        usual,
    )
