"""People and signing in."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import lru_cache

from pwdlib import PasswordHash

from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import people as queries
from unisequa.store.store import Session
from unisequa.store.tables import Person

SHORTEST_PASSWORD = 10


@dataclass(frozen=True, slots=True)
class Actor:
    """Somebody who signs in, as everything beside the store knows them."""

    id: int
    name: str
    email: str = ""
    title: str = ""


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody, and the stamp of their password: with another password it is another."""

    actor: Actor
    stamp: str


def as_actor(person: Person) -> Actor:
    """A person's row as an actor."""
    return Actor(person.id, person.name, person.email, person.title)


def _visitor(person: Person) -> Visitor:
    return Visitor(as_actor(person), hashlib.sha256(person.password_hash.encode()).hexdigest()[:16])


@lru_cache(maxsize=1)
def _hasher() -> PasswordHash:
    return PasswordHash.recommended()


def hash_password(password: str) -> str:
    """An argon2 hash, slow to make on purpose."""
    return _hasher().hash(password)


@lru_cache(maxsize=1)
def _nobodys_hash() -> str:
    return hash_password("nobody signs in with this")


def sign_in(session: Session, email: str, password: str) -> Visitor:
    """The person with this address and password.

    Raises
    ------
    Refused
        With the same words, after the same work, whichever of the two is wrong.
    """
    person = queries.person_by_address(session, email.strip().lower(), active=True)
    matches = _hasher().verify(password[:1000], person.password_hash if person else _nobodys_hash())
    if person is None or not matches:
        raise Refused({"password": "No one signs in with this address and password. Check both and try again."})
    return _visitor(person)


def sign_in_as_sample(session: Session, person_id: int) -> Visitor:
    """Somebody of the demo's people, without a password."""
    person = queries.person_by_id(session, person_id)
    if person is None:
        raise NotThere("That person does not exist.")
    return _visitor(person)


def visitor(session: Session, person_id: int) -> Visitor | None:
    """Who signed in with this id, if they still may."""
    person = queries.person_by_id(session, person_id)
    return _visitor(person) if person is not None and person.active else None


def people(session: Session) -> list[Actor]:
    """Everybody who can sign in, by name."""
    return [as_actor(person) for person in queries.active_people(session)]


def add_person(session: Session, name: str, email: str, password: str, title: str = "") -> Actor:
    """Add somebody who can sign in."""
    faults = {}
    address = email.strip().lower()
    if not name.strip():
        faults["name"] = "A name is needed."
    if "@" not in address or len(address) > 200:
        faults["email"] = f'"{email}" is no mail address.'
    elif queries.address_is_taken(session, address):
        faults["email"] = f"{address} signs in already."
    if len(password) < SHORTEST_PASSWORD:
        faults["password"] = f"A password has at least {SHORTEST_PASSWORD} characters."
    if faults:
        raise Refused(faults)
    added = Person(name=name.strip()[:200], email=address, password_hash=hash_password(password), title=title)
    session.add(added)
    session.flush()
    return as_actor(added)
