"""People, their teams and positions, their leave, and the working calendars."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from unisequa.store.queries.looking import read_once
from unisequa.store.tables import Calendar, Edition, Leave, Person, Position, Team, TeamMember


def person_by_id(session: Session, person_id: int) -> Person | None:
    """Somebody by id, active or not."""
    return session.get(Person, person_id)


def people_by_id(session: Session, ids: Collection[int]) -> dict[int, Person]:
    """People by id, active or not."""
    if not ids:
        return {}
    return {person.id: person for person in session.scalars(select(Person).where(Person.id.in_(ids)))}


def person_by_address(session: Session, email: str, *, active: bool = False) -> Person | None:
    """Somebody by mail address, as it is kept: in small letters."""
    query = select(Person).where(Person.email == email)
    return session.scalar(query.where(Person.active) if active else query)


def people_by_address(session: Session, addresses: Collection[str]) -> dict[str, Person]:
    """People by mail address."""
    if not addresses:
        return {}
    return {person.email: person for person in session.scalars(select(Person).where(Person.email.in_(addresses)))}


def active_people(session: Session) -> list[Person]:
    """Everybody who can sign in, by name."""
    query = select(Person).where(Person.active).order_by(Person.name)
    return read_once(session, "active people", lambda: list(session.scalars(query)))


def people_named(session: Session, name: str) -> list[Person]:
    """Those of a name who can sign in, however it is written."""
    return list(session.scalars(select(Person).where(Person.active, func.lower(Person.name) == name.lower())))


def all_people(session: Session) -> list[Person]:
    """Everybody, active or not, with position, manager and teams."""
    query = select(Person).options(joinedload(Person.position), joinedload(Person.manager), selectinload(Person.teams))
    return list(session.scalars(query))


def active_administrators(session: Session) -> list[Person]:
    """Everybody who administers."""
    return list(session.scalars(select(Person).where(Person.active, Person.administrator)))


def addresses(session: Session) -> frozenset[str]:
    """The mail addresses of everybody who can sign in."""
    return frozenset(session.scalars(select(Person.email).where(Person.active)))


def address_is_taken(session: Session, email: str) -> bool:
    """Whether somebody signs in with it."""
    return bool(session.scalar(select(func.count()).select_from(Person).where(Person.email == email)))


def leave_of(session: Session, people: Collection[int]) -> list[Leave]:
    """The leave of some people."""
    return list(session.scalars(select(Leave).where(Leave.person_id.in_(people)).order_by(Leave.id))) if people else []


def leave_by_id(session: Session, leave_id: int) -> Leave | None:
    """One leave."""
    return session.get(Leave, leave_id)


def teams(session: Session) -> list[Team]:
    """All teams with who is in them, by name."""
    return list(session.scalars(select(Team).options(selectinload(Team.members)).order_by(Team.name)))


def team_by_id(session: Session, team_id: int) -> Team | None:
    """One team."""
    return session.get(Team, team_id)


def mates_of(session: Session, person_id: int) -> set[int]:
    """The ids of all in somebody's teams, themselves too."""
    own = select(TeamMember.team_id).where(TeamMember.person_id == person_id)
    return set(session.scalars(select(TeamMember.person_id).where(TeamMember.team_id.in_(own))))


def teams_by_id(session: Session, ids: Collection[int]) -> dict[int, Team]:
    """Id → team, of some."""
    if not ids:
        return {}
    return {team.id: team for team in session.scalars(select(Team).where(Team.id.in_(ids)))}


def positions(session: Session) -> list[Position]:
    """All positions with who holds them, by name."""
    return list(session.scalars(select(Position).options(selectinload(Position.holders)).order_by(Position.name)))


def position_by_id(session: Session, position_id: int) -> Position | None:
    """One position."""
    return session.get(Position, position_id)


def named(session: Session, table: type[Team] | type[Position] | type[Calendar], name: str) -> int | None:
    """The id of a team, a position or a calendar by its name, however it is capitalised."""
    rows = session.execute(select(table.id, table.name)).all()
    return next((number for number, one in rows if one.casefold() == name.casefold()), None)


def calendar_by_id(session: Session, calendar_id: int) -> Calendar | None:
    """One working calendar."""
    return session.get(Calendar, calendar_id)


def names_in_calendars(session: Session) -> list[tuple[str, frozenset[str]]]:
    """The name of each edition that is not retired, and the calendars that it names."""
    query = select(Edition.name, Edition.document["calendar"].as_string(), Edition.document["roles"].as_json())
    rows = session.execute(query.where(Edition.state != "retired")).all()
    return [
        (name, frozenset(filter(None, [calendar, *(role.get("calendar") for role in roles or ())])))
        for name, calendar, roles in rows
    ]


def calendars(session: Session) -> list[Calendar]:
    """All working calendars, the usual one first, the others by name."""
    return list(session.scalars(select(Calendar).order_by(Calendar.usual.desc(), Calendar.name)))
