"""Teams and positions: named by administrators, seen by everybody."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from unisequa.actions.access import check_administrator
from unisequa.actions.people import accounts
from unisequa.actions.people.people import Actor, as_actor
from unisequa.core.calendars.words import names_words
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import people as rows
from unisequa.store.store import Session
from unisequa.store.tables import Position, Team

GroupKind = Literal["team", "position"]
TABLES: dict[GroupKind, type[Team] | type[Position]] = {"team": Team, "position": Position}


@dataclass(frozen=True, slots=True)
class Group:
    """A team and who is in it, or a position and who holds it."""

    id: int
    name: str
    people: tuple[Actor, ...]


def teams(session: Session) -> tuple[Group, ...]:
    """All teams, by name."""
    return tuple(Group(one.id, one.name, tuple(map(as_actor, one.members))) for one in rows.teams(session))


def positions(session: Session) -> tuple[Group, ...]:
    """All positions, by name."""
    return tuple(Group(one.id, one.name, tuple(map(as_actor, one.holders))) for one in rows.positions(session))


def _free_name(session: Session, kind: GroupKind, name: str, mine: int | None = None) -> str:
    name = " ".join(name.split())
    if fault := accounts.name_fault(name):
        raise Refused({"name": fault})
    if rows.named(session, TABLES[kind], name) not in {None, mine}:
        raise Refused({"name": f'There is a {kind} "{name}" already.'})
    return name


def number_of(session: Session, kind: GroupKind, name: str) -> int:
    """The id of a team or a position by its name.

    Raises
    ------
    NotThere
    """
    number = rows.named(session, TABLES[kind], " ".join(name.split()))
    if number is None:
        raise NotThere(f'There is no {kind} "{name}".')
    return number


def number_or_new(session: Session, actor: Actor, kind: GroupKind, name: str) -> int:
    """The id of a team or a position by its name; it is made where it is new."""
    return rows.named(session, TABLES[kind], " ".join(name.split())) or add(session, actor, kind, name)


def add(session: Session, actor: Actor, kind: GroupKind, name: str) -> int:
    """Add a team or a position."""
    check_administrator(actor)
    made = TABLES[kind](name=_free_name(session, kind, name))
    session.add(made)
    session.flush()
    accounts.audit(session, kind, None, f'{kind} "{made.name}" added by {actor.name}')
    return made.id


def rename(session: Session, actor: Actor, kind: GroupKind, number: int, name: str) -> None:
    """Another name."""
    check_administrator(actor)
    row = _row(session, kind, number)
    before, row.name = row.name, _free_name(session, kind, name, number)
    accounts.audit(session, kind, None, f'"{before}" is "{row.name}" now, said by {actor.name}')


def remove(session: Session, actor: Actor, kind: GroupKind, number: int) -> None:
    """Take a team away that nobody is in, or a position that nobody holds."""
    check_administrator(actor)
    row = _row(session, kind, number)
    if people := row.members if kind == "team" else row.holders:
        raise Refused({"name": f"{names_words([one.name for one in people[:3]])} would be left; take them out first."})
    accounts.audit(session, kind, None, f'{kind} "{row.name}" removed by {actor.name}')
    session.delete(row)


def somebody(session: Session, typed: str) -> int:
    """The id of whoever is meant by a mail address, or by a name that only one has.

    Raises
    ------
    Refused
        Where it is nobody, or several.
    """
    typed = " ".join(typed.split()).casefold()
    found = [one.id for one in rows.active_people(session) if typed in {one.email, one.name.casefold()}]
    if len(found) != 1:
        words = "Several people have this name; type the mail address." if found else "Nobody here is called that."
        raise Refused({"person": words})
    return found[0]


def put_in(session: Session, actor: Actor, team_id: int, person_id: int) -> None:
    """Put somebody in a team."""
    check_administrator(actor)
    team = _row(session, "team", team_id)
    person = rows.person_by_id(session, person_id)
    if person is None or not person.active:
        raise Refused({"person": "Choose somebody who can sign in."})
    if person not in team.members:
        team.members.append(person)
        accounts.audit(session, "team", person_id, f'put in "{team.name}" by {actor.name}')


def take_out(session: Session, actor: Actor, team_id: int, person_id: int) -> None:
    """Take somebody out of a team."""
    check_administrator(actor)
    team = _row(session, "team", team_id)
    if any(one.id == person_id for one in team.members):
        team.members = [one for one in team.members if one.id != person_id]
        accounts.audit(session, "team", person_id, f'taken out of "{team.name}" by {actor.name}')


def _row(session: Session, kind: GroupKind, number: int) -> Any:
    row = session.get(TABLES[kind], number)
    if row is None:
        raise NotThere(f"That {kind} does not exist.")
    return row
