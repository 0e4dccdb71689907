"""The crew of a run: who fills which role."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping

from unisequa.actions.access import check_may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.changes import as_it_stands, tell_changes
from unisequa.actions.runs.seeing import run_of
from unisequa.core.errors import NotThere, Refused
from unisequa.core.terms import number_in
from unisequa.store.lists import bring_up
from unisequa.store.queries.people import people_by_id, teams, teams_by_id
from unisequa.store.store import Session
from unisequa.store.tables import CrewMember, Person, Team

TEAM = "team "
"""What stands before the id of a team, where a person's would stand alone."""


def teams_to_choose(session: Session) -> tuple[tuple[int, str], ...]:
    """The teams that a role may be given to."""
    return tuple((team.id, team.name) for team in teams(session))


def fill_role(session: Session, actor: Actor, run_id: int, role: str, chosen: str, today: dt.date) -> None:
    """Put somebody in a role; as :func:`fill_roles` with one."""
    fill_roles(session, actor, run_id, {role: chosen}, today)


def fill_roles(session: Session, actor: Actor, run_id: int, chosen: Mapping[str, str], today: dt.date) -> None:
    """Fill roles, all in one or none: a person's id as text, ``team 3`` for anyone of a team, or a name for somebody
    outside; nothing empties a role.

    Raises
    ------
    Refused
        Field ``who.ROLE`` for each that cannot be.
    """
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    members = {member.role: member for member in run.crew}
    if any(role not in members for role in chosen):
        raise NotThere("This run has no such role.")
    people = people_by_id(session, {number for text in chosen.values() if (number := number_in(text))})
    groups = teams_by_id(session, {number for text in chosen.values() if (number := team_in(text))})
    faults: dict[str, str] = {}
    changed: list[CrewMember] = []
    stood = as_it_stands(run, today)
    for role, text in chosen.items():
        member = members[role]
        person, team = people.get(number_in(text)), groups.get(team_in(text))
        person = person if person is not None and person.active else None
        if (text.isdigit() and person is None) or (team_in(text) and team is None):
            words = f"There is nobody to fill {member.label} with that number; choose somebody in the list."
            faults[f"who.{role}"] = words
            continue
        outside = "" if person or team else text.strip()[:200]
        if (member.person, member.team, member.outside) != (person, team, outside):
            _put(member, person, team, outside)
            changed.append(member)
    if faults:
        raise Refused(faults)
    if not changed:
        return
    run.version += 1
    session.flush()
    bring_up(run, today)
    session.flush()
    tell_changes(session, actor, run, stood, today, f"by {actor.name}, who changed the crew")
    for member in changed:
        note(session, actor, "crew changed", f"{member.label}: {member.name or 'nobody'}", run_id=run.id)


def _put(member: CrewMember, person: Person | None, team: Team | None, outside: str) -> None:
    member.person, member.team, member.outside = person, team, outside


def team_in(text: str) -> int:
    """The id of a team that a text stands for; 0 for none."""
    return number_in(text.removeprefix(TEAM)) if text.startswith(TEAM) else 0
