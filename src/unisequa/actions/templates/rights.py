"""Who may edit, start and look at a template, said by its owner."""

from __future__ import annotations

from unisequa.actions.access import check_may
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.seeing import template_row
from unisequa.core.errors import Refused
from unisequa.store.queries.people import person_by_id
from unisequa.store.store import Session
from unisequa.store.tables import TemplateRight


def open_to(session: Session, actor: Actor, template_id: int, right: str) -> None:
    """What everybody may do with a template: start, look or nothing."""
    row = template_row(session, template_id)
    check_may(row, actor, "own")
    if right not in {"start", "look", "nothing"}:
        raise Refused({"open_to": "Everybody may start it, look at it, or nothing."})
    row.open_to = right
    note(session, actor, "rights changed", f"everybody may {_words(right)}", template_id=row.id)


def give_right(session: Session, actor: Actor, template_id: int, person_id: int, right: str) -> None:
    """Let somebody edit, start or look; ``nothing`` leaves them what everybody may."""
    row = template_row(session, template_id)
    check_may(row, actor, "own")
    person = person_by_id(session, person_id)
    if person is None or not person.active:
        raise Refused({"person": "There is nobody with that number; choose somebody in the list."})
    if person.id == row.owner_id:
        raise Refused({"person": f"{person.name} owns this template and may do everything."})
    if right not in {"edit", "start", "look", "nothing"}:
        raise Refused({"right": "Somebody may edit it, start it, look at it, or nothing."})
    row.rights = [given for given in row.rights if given.person_id != person.id]
    session.flush()
    if right != "nothing":
        row.rights.append(TemplateRight(person_id=person.id, right=right))
    note(session, actor, "rights changed", f"{person.name} may {_words(right)}", template_id=row.id)
    session.flush()


def hand_over(session: Session, actor: Actor, template_id: int, person_id: int) -> None:
    """Give a template to another owner; the one before may go on editing it."""
    row = template_row(session, template_id)
    check_may(row, actor, "own")
    person = person_by_id(session, person_id)
    if person is None or not person.active:
        raise Refused({"person": "There is nobody with that number; choose somebody in the list."})
    before = row.owner
    if person.id == before.id:
        return
    row.rights = [given for given in row.rights if given.person_id != person.id]
    session.flush()
    row.rights.append(TemplateRight(person_id=before.id, right="edit"))
    row.owner_id, row.owner = person.id, person
    note(session, actor, "handed over", f"{before.name} handed it over to {person.name}", template_id=row.id)
    session.flush()


def _words(right: str) -> str:
    return {"edit": "edit it", "start": "start it", "look": "look at it", "nothing": "do nothing by name"}[right]
