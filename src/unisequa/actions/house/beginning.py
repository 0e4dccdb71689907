"""What is still to be done in a house that has just begun."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.people.people import Actor
from unisequa.store.queries import people as rows
from unisequa.store.queries.templates import names_seen_by
from unisequa.store.store import Session


@dataclass(frozen=True, slots=True)
class Beginning:
    """What there is already: a calendar, people beside oneself, a template."""

    calendar: bool
    people: bool
    template: bool

    @property
    def all_there(self) -> bool:
        """Whether nothing of it is left to do."""
        return self.calendar and self.people and self.template


def beginning(session: Session, actor: Actor) -> Beginning:
    """How far somebody's house has come."""
    people = len(rows.active_people(session)) > 1
    return Beginning(bool(rows.calendars(session)), people, bool(names_seen_by(session, actor.id)))
