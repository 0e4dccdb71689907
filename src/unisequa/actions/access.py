"""Who may do what with a template.

=======  ==========================================================
right    allows
=======  ==========================================================
look     to see its released editions and their runs
start    to start runs of them too
edit     to see and change its drafts, release and retire too
own      to say who may do what, and to hand it over
=======  ==========================================================

Its owner owns it; everybody else may what the template is open to, or what they are given by name.
"""

from __future__ import annotations

from sqlalchemy.orm import Session

from unisequa.actions.errors import NotAllowed, NotThere, Refused
from unisequa.actions.history import note
from unisequa.store.tables import Person, TemplateRight, TemplateRow

RIGHTS = ("nothing", "look", "start", "edit", "own")


def right_of(row: TemplateRow, person: Person) -> str:
    """The most that somebody may do with a template."""
    if row.owner_id == person.id:
        return "own"
    given = [right.right for right in row.rights if right.person_id == person.id]
    return max([row.open_to, *given], key=RIGHTS.index)


def may(row: TemplateRow, person: Person, right: str) -> bool:
    """Whether somebody may do this much."""
    return RIGHTS.index(right_of(row, person)) >= RIGHTS.index(right)


def check_may(row: TemplateRow, person: Person, right: str) -> None:
    """Raise NotAllowed, or NotThere for who may not even look, unless somebody may do this much."""
    if may(row, person, right):
        return
    if not may(row, person, "look"):
        raise NotThere("This template does not exist, or is not open to you.")
    if right == "own":
        raise NotAllowed(f"Only {row.owner.name}, who owns this template, does that.")
    verb = {"start": "start", "edit": "change"}[right]
    raise NotAllowed(f"You may not {verb} this template. Ask {row.owner.name}, who owns it.")


def open_to(session: Session, actor: Person, row: TemplateRow, right: str) -> None:
    """What everybody may do with a template: start, look or nothing."""
    check_may(row, actor, "own")
    if right not in {"start", "look", "nothing"}:
        raise Refused({"open_to": "Everybody may start it, look at it, or nothing."})
    row.open_to = right
    note(session, actor, "rights changed", f"everybody may {_words(right)}", template_id=row.id)


def give_right(session: Session, actor: Person, row: TemplateRow, person_id: int, right: str) -> None:
    """Let somebody edit, start or look; ``nothing`` leaves them what everybody may."""
    check_may(row, actor, "own")
    person = session.get(Person, person_id)
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


def hand_over(session: Session, actor: Person, row: TemplateRow, person_id: int) -> None:
    """Give a template to another owner; the one before may go on editing it."""
    check_may(row, actor, "own")
    person = session.get(Person, person_id)
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
