"""Who may edit, start and look at a template, everybody, teams or somebody, said by its owner."""

from __future__ import annotations

from unisequa.actions.access import GIVEN, check_may
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.seeing import template_row
from unisequa.core.errors import Refused
from unisequa.store.queries.people import person_by_id, team_by_id
from unisequa.store.store import Session
from unisequa.store.tables import TeamRight, TemplateRight


def open_to(session: Session, actor: Actor, template_id: int, right: str) -> None:
    """What everybody may do with a template: start and look, start, look, or nothing."""
    row = template_row(session, template_id)
    check_may(row, actor, "manage the template")
    if right not in GIVEN or right == "edit":
        raise Refused({"open_to": "Everybody may start it, look at its runs, both, or nothing."})
    row.open_to = right
    note(session, actor, "rights changed", f"everybody may {_words(right)}", template_id=row.id)


def give_right(session: Session, actor: Actor, template_id: int, person_id: int, right: str) -> None:
    """Let somebody edit, start and look, start, or look; ``nothing`` leaves them what everybody may."""
    row = template_row(session, template_id)
    check_may(row, actor, "manage the template")
    person = person_by_id(session, person_id)
    if person is None or not person.active:
        raise Refused({"person": "There is nobody with that number; choose somebody in the list."})
    if person.id == row.owner_id:
        raise Refused({"person": f"{person.name} owns this template and may do everything."})
    if right not in GIVEN:
        raise Refused({"right": "Somebody may edit it, start it, look at its runs, both, or nothing."})
    row.rights = [given for given in row.rights if given.person_id != person.id]
    session.flush()
    if right != "nothing":
        row.rights.append(TemplateRight(person_id=person.id, right=right))
    note(session, actor, "rights changed", f"{person.name} may {_words(right)}", template_id=row.id)
    session.flush()


def give_team_right(session: Session, actor: Actor, template_id: int, team_id: int, right: str) -> None:
    """Let everybody in a team edit, start and look, start, or look; ``nothing`` takes that back."""
    row = template_row(session, template_id)
    check_may(row, actor, "manage the template")
    team = team_by_id(session, team_id)
    if team is None:
        raise Refused({"person": "That team does not exist; choose one in the list."})
    if right not in GIVEN:
        raise Refused({"right": "A team may edit it, start it, look at its runs, both, or nothing."})
    row.team_rights = [given for given in row.team_rights if given.team_id != team_id]
    session.flush()
    if right != "nothing":
        row.team_rights.append(TeamRight(team_id=team_id, right=right))
    words = "do nothing as a team" if right == "nothing" else _words(right)
    note(session, actor, "rights changed", f"the team {team.name} may {words}", template_id=row.id)
    session.flush()


def hand_over(session: Session, actor: Actor, template_id: int, person_id: int) -> None:
    """Give a template to another owner; the one before may go on editing it."""
    row = template_row(session, template_id)
    check_may(row, actor, "manage the template")
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
    return {
        "edit": "edit it",
        "start and look": "start it and look at its runs",
        "start": "start it and see the runs they started",
        "look": "look at it and its runs",
        "nothing": "do nothing by name",
    }[right]
