"""People, their leave, and the working calendars."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.store.tables import Calendar, Leave, Person


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
    return list(session.scalars(select(Person).where(Person.active).order_by(Person.name)))


def addresses(session: Session) -> frozenset[str]:
    """The mail addresses of everybody who can sign in."""
    return frozenset(session.scalars(select(Person.email).where(Person.active)))


def address_is_taken(session: Session, email: str) -> bool:
    """Whether somebody signs in with it."""
    return bool(session.scalar(select(func.count()).select_from(Person).where(Person.email == email)))


def leave_of(session: Session, people: Collection[int]) -> list[Leave]:
    """The leave of some people."""
    return list(session.scalars(select(Leave).where(Leave.person_id.in_(people)).order_by(Leave.id))) if people else []


def calendars(session: Session) -> list[Calendar]:
    """All working calendars, by name."""
    return list(session.scalars(select(Calendar).order_by(Calendar.name)))
