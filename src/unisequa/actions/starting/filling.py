"""Who fills a role when a run starts: by the rule that its template gives it, unless somebody is chosen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.runs.crew import TEAM, team_in
from unisequa.core.documents.template import Role, Template
from unisequa.core.terms import number_in
from unisequa.store.queries.people import (
    people_by_address,
    people_by_id,
    people_named,
    positions,
    teams,
    teams_by_id,
)
from unisequa.store.queries.subjects import subject_named
from unisequa.store.store import Session
from unisequa.store.tables import Person, Team


@dataclass(frozen=True, slots=True)
class Filled:
    """Who fills a role: one of us, anyone of a team, or somebody outside by name; nobody without any."""

    person: Person | None = None
    team: Team | None = None
    outside: str = ""

    @property
    def name(self) -> str:
        """Who it is, or nothing."""
        return self.person.name if self.person else self.team.name if self.team else self.outside

    @property
    def value(self) -> str:
        """As forms say it."""
        return str(self.person.id) if self.person else f"{TEAM}{self.team.id}" if self.team else self.outside


def filled(
    session: Session, keeper_id: int, template: Template, crew: Mapping[str, str], subject: str
) -> dict[str, Filled]:
    """Role → who fills it.

    ==========  =======================================================
    rule        who
    ==========  =======================================================
    keeper      whoever keeps the run
    person      the one with that address
    subject     the one of us whom the run is about
    manager     that one's manager, by the record of the subject or else by ours
    position    whoever holds it, where one does
    team        anyone of the team of that name: it lies in its queue
    outside     the name that was given
    ask         who was chosen
    ==========  =======================================================

    Parameters
    ----------
    crew : mapping
        Role → what was chosen: an id, ``team 3``, or a name; roles that are not in it are filled by their rules, those
        of the subject and their manager also where nobody was chosen.
    """
    chosen = {role.key: crew.get(role.key, "").strip() for role in template.roles}
    by_id = people_by_id(session, {number for text in chosen.values() if (number := number_in(text))} | {keeper_id})
    groups = teams_by_id(session, {number for text in chosen.values() if (number := team_in(text))})
    rules = {role.fill.by for role in template.roles}
    addresses = {role.fill.person for role in template.roles if role.fill.by == "person" and role.fill.person}
    by_address = people_by_address(session, addresses)
    by_name = {team.name.casefold(): team for team in teams(session)} if "team" in rules else {}
    about, manager = _about(session, subject) if rules & {"subject", "manager"} else (None, None)
    posts = {post.name.casefold(): post.holders for post in positions(session)} if "position" in rules else {}

    def one(role: Role) -> Filled:
        text, by = chosen[role.key], role.fill.by
        if by == "outside":
            return Filled(outside=text[:200])
        if text.isdigit():
            person = by_id.get(number_in(text))
            return Filled(person if person and person.active else None)
        if number := team_in(text):
            return Filled(team=groups.get(number))
        if by == "keeper":
            return Filled(by_id.get(keeper_id))
        if by == "subject":
            return Filled(about)
        if by == "manager":
            return Filled(manager)
        if role.key in crew:
            return Filled()
        if by == "person":
            return Filled(by_address.get(role.fill.person or ""))
        if by == "position":
            holders = [one for one in posts.get((role.fill.position or "").casefold(), ()) if one.active]
            return Filled(holders[0] if len(holders) == 1 else None)
        return Filled(team=by_name.get((role.fill.team or "").casefold())) if by == "team" else Filled()

    return {role.key: one(role) for role in template.roles}


def _about(session: Session, subject: str) -> tuple[Person | None, Person | None]:
    """The one of us whom a run is about, where only one has that name, and their manager."""
    if not subject.strip():
        return None, None
    record = subject_named(session, subject)
    named = people_named(session, subject.strip())
    about = record.person if record and record.person else named[0] if len(named) == 1 else None
    manager = (record.manager if record else None) or (about.manager if about else None)
    return about if about and about.active else None, manager if manager and manager.active else None
