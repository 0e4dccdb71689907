"""People and signing in."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.store.queries import people as queries
from unisequa.store.store import Session
from unisequa.store.tables import Person


@dataclass(frozen=True, slots=True)
class Actor:
    """Somebody who signs in, as everything beside the store knows them."""

    id: int
    name: str
    email: str = ""
    title: str = ""
    administrator: bool = False
    month_first: bool = False
    """Whether ``3/4`` is the fourth of March to them."""
    unseen: int = 0
    """How much in their bell they have not looked at."""
    window: str = ""
    """The window they act in, where they may have several on one thing."""


def as_actor(person: Person) -> Actor:
    """A person's row as an actor."""
    return Actor(
        person.id, person.name, person.email, person.title, person.administrator, person.month_first, person.unseen
    )  # fmt: skip


def people(session: Session) -> list[Actor]:
    """Everybody who can sign in, by name."""
    return [as_actor(person) for person in queries.active_people(session)]
