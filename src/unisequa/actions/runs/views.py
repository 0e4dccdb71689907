"""Ways of looking at runs that somebody keeps under a name; they hold for every run."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotThere, Refused
from unisequa.store.queries import views as queries
from unisequa.store.store import Session
from unisequa.store.tables import ViewRow

MOST = 60
LONGEST_NAME, LONGEST_QUERY = 80, 500


@dataclass(frozen=True, slots=True)
class View:
    """A view: its name, and how it stands in an address."""

    number: int
    name: str
    query: str


def views(session: Session, actor: Actor) -> tuple[View, ...]:
    """One's own, by name."""
    return tuple(View(row.id, row.name, row.query) for row in queries.views_of(session, actor.id))


def keep_view(session: Session, actor: Actor, name: str, query: str) -> None:
    """Keep a view under a name; one of that name is replaced.

    Raises
    ------
    Refused
        Field ``name``.
    """
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise Refused({"name": f"Give the view a name of up to {LONGEST_NAME} characters."})
    there = queries.views_of(session, actor.id)
    same = next((row for row in there if row.name.casefold() == name.casefold()), None)
    if same is None and len(there) >= MOST:
        raise Refused({"name": f"You keep {MOST} views already; take one off first."})
    if same is None:
        session.add(ViewRow(person_id=actor.id, name=name, query=query[:LONGEST_QUERY]))
    else:
        same.name, same.query = name, query[:LONGEST_QUERY]


def remove_view(session: Session, actor: Actor, number: int) -> None:
    """Take a view of one's own off."""
    row = next((row for row in queries.views_of(session, actor.id) if row.id == number), None)
    if row is None:
        raise NotThere("This view is not there any more.")
    session.delete(row)
