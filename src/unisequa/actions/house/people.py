"""People looked after by administrators: who there is, what they hold, and handing it over."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.access import check_administrator
from unisequa.actions.history import note
from unisequa.actions.people import accounts, second_factor
from unisequa.actions.people.people import Actor, as_actor
from unisequa.core.errors import Refused
from unisequa.core.terms import FINISHED, number_in
from unisequa.store.lists import bring_up
from unisequa.store.queries import holdings as queries
from unisequa.store.queries import people as rows
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.templates import template_by_id
from unisequa.store.store import Session, Store
from unisequa.store.tables import Person


@dataclass(frozen=True, slots=True)
class PersonLine:
    """Somebody in the list of people."""

    id: int
    name: str
    email: str
    title: str
    active: bool
    administrator: bool
    second_factor: bool
    position: str
    position_id: int | None
    manager: str
    manager_id: int | None
    teams: tuple[str, ...]
    calendar_id: int | None = None
    share: int = 100


@dataclass(frozen=True, slots=True)
class Holdings:
    """What somebody holds: templates that they own and runs under way that they keep, with ids and names; the roles
    that they fill in runs under way, with the run's id, its name and the role's label."""

    templates: tuple[tuple[int, str], ...]
    runs: tuple[tuple[int, str], ...]
    roles: tuple[tuple[int, str, str], ...]

    def __bool__(self) -> bool:
        return bool(self.templates or self.runs or self.roles)

    def lines(self) -> list[str]:
        """The same in words."""
        owned = [f"owns the template {name}" for _, name in self.templates]
        kept = [f"keeps {name}" for _, name in self.runs]
        return owned + kept + [f"is {label} in {name}" for _, name, label in self.roles]


def everybody(session: Session, actor: Actor) -> tuple[PersonLine, ...]:
    """All people, those who can sign in first, by name."""
    check_administrator(actor)
    people = sorted(rows.all_people(session), key=lambda one: (not one.active, one.name.casefold()))
    return tuple(_line(one) for one in people)


def _line(one: Person) -> PersonLine:
    return PersonLine(
        one.id,
        one.name,
        one.email,
        one.title,
        one.active,
        one.administrator,
        bool(one.second_factor),
        one.position.name if one.position else "",
        one.position_id,
        one.manager.name if one.manager else "",
        one.manager_id,
        tuple(team.name for team in one.teams),
        one.calendar_id,
        one.share,
    )


def somebody(session: Session, actor: Actor, person_id: int) -> tuple[PersonLine, Holdings]:
    """One of them, and what they hold."""
    check_administrator(actor)
    return _line(accounts.person_row(session, person_id)), holdings(session, person_id)


def holdings(session: Session, person_id: int) -> Holdings:
    """What somebody holds."""
    return Holdings(
        tuple(queries.owned_by(session, person_id)),
        tuple(queries.kept_by(session, person_id)),
        tuple(queries.filled_by(session, person_id)),
    )


def add(store: Store, actor: Actor, name: str, email: str, password: str | None, title: str) -> Actor:
    """Add somebody who can sign in, with a first password that they are told, or none."""
    check_administrator(actor)
    return accounts.add_person(store, name, email, password, title)


def set_hours(session: Session, actor: Actor, person_id: int, calendar_id: int | None, share: str) -> None:
    """The calendar that somebody works by (the usual one without), and how much of its hours is theirs, in per cent.

    Raises
    ------
    Refused
        Field ``calendar``, ``share``.
    """
    check_administrator(actor)
    person, faults = accounts.person_row(session, person_id), {}
    if calendar_id and rows.calendar_by_id(session, calendar_id) is None:
        faults["calendar"] = "That calendar does not exist."
    number = number_in(share.strip().removesuffix("%").strip())
    if not 1 <= number <= 100:
        faults["share"] = "Give a share from 1 to 100 per cent."
    if faults:
        raise Refused(faults)
    person.calendar_id, person.share = calendar_id or None, number


def describe(
    session: Session,
    actor: Actor,
    person_id: int,
    name: str,
    title: str,
    position_id: int | None = None,
    manager_id: int | None = None,
) -> None:
    """Another name, what they do, the position they hold and who their manager is.

    Raises
    ------
    Refused
        By field; nobody is their own manager, at however many removes.
    """
    check_administrator(actor)
    person, name, faults = accounts.person_row(session, person_id), " ".join(name.split()), {}
    if fault := accounts.name_fault(name):
        faults["name"] = fault
    if position_id and rows.position_by_id(session, position_id) is None:
        faults["position"] = "That position does not exist."
    above, steps = manager_id, 0
    while above and steps < 100:
        if above == person_id:
            faults["manager"] = f"{person.name} would be their own manager that way."
            break
        higher = rows.person_by_id(session, above)
        if higher is None or not (higher.active or steps or above == person.manager_id):
            faults["manager"] = "Choose somebody who can sign in."
            break
        above, steps = higher.manager_id, steps + 1
    if faults:
        raise Refused(faults)
    person.name, person.title = name, " ".join(title.split())[:200]
    person.position_id, person.manager_id = position_id or None, manager_id or None
    accounts.audit(session, "described", person_id, f"name, title, position and manager set by {actor.name}")


def set_password(store: Store, actor: Actor, person_id: int, password: str) -> None:
    """Another password for somebody who has lost theirs; their sessions end."""
    check_administrator(actor)
    accounts.set_password(store, person_id, password, actor.name)


def take_second_factor_off(session: Session, actor: Actor, person_id: int) -> None:
    """Ask somebody for no code any more, who has lost both device and paper."""
    check_administrator(actor)
    second_factor.take_off(session, person_id, actor.name)


def set_active(session: Session, actor: Actor, person_id: int, *, active: bool) -> None:
    """Let somebody sign in, or no longer: only once they hold nothing any more."""
    check_administrator(actor)
    if not active and person_id == actor.id:
        raise Refused({"person": "You cannot deactivate yourself; another administrator does that."})
    if not active and holdings(session, person_id):
        raise Refused({"to": "They still hold what is listed here; hand it over first."})
    accounts.set_active(session, person_id, actor.name, active=active)


def set_administrator(session: Session, actor: Actor, person_id: int, *, administrator: bool) -> None:
    """Make somebody an administrator, or no longer."""
    check_administrator(actor)
    accounts.set_administrator(session, person_id, actor.name, administrator=administrator)


def hand_over(session: Session, actor: Actor, person_id: int, to: int, today: dt.date) -> Holdings:
    """Give all that somebody holds to somebody else; gives what it was."""
    check_administrator(actor)
    heir = rows.person_by_id(session, to)
    if heir is None or not heir.active or heir.id == person_id:
        raise Refused({"to": "Choose somebody else who can sign in."})
    before, given = accounts.person_row(session, person_id), holdings(session, person_id)
    for number, _ in given.templates:
        row = template_by_id(session, number)
        assert row
        row.rights = [right for right in row.rights if right.person_id != heir.id]
        row.owner_id, row.owner = heir.id, heir
        words = f"{before.name} handed it over to {heir.name}"
        note(session, actor, "handed over", words, template_id=number)
    under_way = {run_id for run_id, _ in given.runs} | {run_id for run_id, _, _ in given.roles}
    for number in sorted(under_way):
        run = run_by_id(session, number)
        assert run
        if run.keeper_id == person_id:
            run.keeper_id, run.keeper = heir.id, heir
            note(session, actor, "keeper", f"{heir.name} keeps it instead of {before.name}", run_id=number)
        for member in run.crew:
            if member.person_id == person_id:
                member.person = heir
                note(session, actor, "crew changed", f"{member.label}: {heir.name}", run_id=number)
        for task in run.tasks:
            if task.assigned_id == person_id and task.state not in FINISHED:
                task.assigned_id = heir.id
                words = f"{task.title}: handed to {heir.name}"
                note(session, actor, "handed over", words, run_id=number, task_key=task.key)
        run.deputies = [deputy for deputy in run.deputies if deputy.person_id not in {person_id, run.keeper_id}]
        run.version += 1
        session.flush()
        bring_up(run, today)
    accounts.audit(session, "handed over", person_id, f"all handed over to {heir.name} by {actor.name}")
    return given


def heirs(session: Session, actor: Actor, person_id: int) -> tuple[Actor, ...]:
    """Who could take over what somebody holds."""
    check_administrator(actor)
    return tuple(as_actor(one) for one in rows.active_people(session) if one.id != person_id)
