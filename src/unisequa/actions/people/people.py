"""People and signing in."""

from __future__ import annotations

from functools import lru_cache

from pwdlib import PasswordHash
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.actions.errors import NotThere, Refused
from unisequa.store.tables import Person

SHORTEST_PASSWORD = 10


@lru_cache(maxsize=1)
def _hasher() -> PasswordHash:
    return PasswordHash.recommended()


def hash_password(password: str) -> str:
    """An argon2 hash, slow to make on purpose."""
    return _hasher().hash(password)


@lru_cache(maxsize=1)
def _nobodys_hash() -> str:
    return hash_password("nobody signs in with this")


def sign_in(session: Session, email: str, password: str) -> Person:
    """The person with this address and password.

    Raises
    ------
    Refused
        With the same words, after the same work, whichever of the two is wrong.
    """
    person = session.scalar(select(Person).where(Person.email == email.strip().lower(), Person.active))
    matches = _hasher().verify(password[:1000], person.password_hash if person else _nobodys_hash())
    if person is None or not matches:
        raise Refused({"password": "No one signs in with this address and password. Check both and try again."})
    return person


def person(session: Session, person_id: int) -> Person:
    """Somebody by id, active or not."""
    found = session.get(Person, person_id)
    if found is None:
        raise NotThere("That person does not exist.")
    return found


def people(session: Session) -> list[Person]:
    """Everybody who can sign in, by name."""
    return list(session.scalars(select(Person).where(Person.active).order_by(Person.name)))


def add_person(session: Session, name: str, email: str, password: str, title: str = "") -> Person:
    """Add somebody who can sign in."""
    faults = {}
    address = email.strip().lower()
    if not name.strip():
        faults["name"] = "A name is needed."
    if "@" not in address or len(address) > 200:
        faults["email"] = f'"{email}" is no mail address.'
    elif session.scalar(select(func.count()).select_from(Person).where(Person.email == address)):
        faults["email"] = f"{address} signs in already."
    if len(password) < SHORTEST_PASSWORD:
        faults["password"] = f"A password has at least {SHORTEST_PASSWORD} characters."
    if faults:
        raise Refused(faults)
    added = Person(name=name.strip()[:200], email=address, password_hash=hash_password(password), title=title)
    session.add(added)
    session.flush()
    return added
