"""Who may do what with a template and its runs: the one place where that is asked, and the table that answers."""

from __future__ import annotations

from typing import Literal

from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.work.run_states import is_over
from unisequa.store.queries.runs import given_tasks_of, keeps_a_run_of
from unisequa.store.store import object_session
from unisequa.store.tables import CrewMember, Run, TaskRow, TemplateRow

Kind = Literal["administrator", "owner", "may edit", "may start", "may look", "keeper", "doer", "signer", "in the crew"]
"""What somebody is to a template, a run, or a task; they may be several of these at once."""

Act = Literal[
    "see the template", "change a draft", "manage the template", "start a run", "see its runs", "see own runs",
    "change a run", "work on a task", "sign off", "sign off where no signer is left", "comment", "comment on own runs",
    "give a run a keeper",
    "look after people",
]  # fmt: skip

TABLE: dict[Act, frozenset[Kind]] = {
    "see the template": frozenset({"administrator", "owner", "may edit", "may start", "may look", "keeper"}),
    "change a draft": frozenset({"owner", "may edit"}),
    "manage the template": frozenset({"administrator", "owner"}),
    "start a run": frozenset({"owner", "may edit", "may start"}),
    "see its runs": frozenset(
        {"administrator", "owner", "may edit", "may look", "keeper", "doer", "signer", "in the crew"}
    ),
    "see own runs": frozenset({"may start"}),
    "change a run": frozenset({"owner", "keeper"}),
    "work on a task": frozenset({"owner", "keeper", "doer"}),
    "sign off": frozenset({"signer"}),
    "sign off where no signer is left": frozenset({"administrator", "owner", "keeper"}),
    "give a run a keeper": frozenset({"administrator", "owner", "keeper"}),
    "comment": frozenset({"owner", "may edit", "may look", "keeper", "doer", "signer", "in the crew"}),
    "comment on own runs": frozenset({"may start"}),
    "look after people": frozenset({"administrator"}),
}
"""Act → who may do it. Columns add up: whoever is one of them may. Managing is who may do what, retiring, handing over.
What somebody may not even see does not exist for them."""

GIVEN: dict[str, frozenset[Kind]] = {
    "nothing": frozenset(),
    "start": frozenset({"may start"}),
    "look": frozenset({"may look"}),
    "start and look": frozenset({"may start", "may look"}),
    "edit": frozenset({"may edit"}),
}
"""What a template is open to, for everybody, a team or somebody → what that makes them."""

HIDDEN = "This template does not exist, or is not open to you."


def kinds_of(row: TemplateRow, person: Actor) -> set[Kind]:
    """What somebody is to a template."""
    kinds = _given(row, person)
    session = object_session(row)
    if not allowed("see the template", kinds) and session is not None and keeps_a_run_of(session, row.id, person.id):
        kinds.add("keeper")
    return kinds


def _given(row: TemplateRow, person: Actor) -> set[Kind]:
    kinds: set[Kind] = set(GIVEN[row.open_to])
    for right in row.rights:
        if right.person_id == person.id:
            kinds |= GIVEN[right.right]
    for team in row.team_rights:
        if any(member.person_id == person.id for member in team.members):
            kinds |= GIVEN[team.right]
    if row.owner_id == person.id:
        kinds.add("owner")
    if person.administrator:
        kinds.add("administrator")
    return kinds


def roles_of(run: Run, person: Actor) -> set[str]:
    """The roles that somebody fills in a run, alone or in a team."""
    return {member.role for member in run.crew if fills(member, person)}


def fills(member: CrewMember, person: Actor) -> bool:
    """Whether a role is somebody's, or their team's."""
    return member.person_id == person.id or any(one.id == person.id for one in member.people)


def keeps(run: Run, person: Actor) -> bool:
    """Whether somebody is a run's keeper, or their deputy."""
    return run.keeper_id == person.id or any(deputy.person_id == person.id for deputy in run.deputies)


def is_doer(row: TaskRow, roles: set[str], person: Actor) -> bool:
    """Whether a task is somebody's: given to them, or else of a role they fill, alone or in a team.

    Parameters
    ----------
    roles : set of str
        Those that they fill.
    """
    return row.assigned_id == person.id if row.assigned_id is not None else row.role in roles


def kinds_in(run: Run, person: Actor, task: TaskRow | None = None) -> set[Kind]:
    """What somebody is to a run, and to one of its tasks."""
    kinds = _given(run.edition.template, person)
    if keeps(run, person):
        kinds.add("keeper")
    roles = roles_of(run, person)
    if roles or ("keeper" not in kinds and person.id in given_in(run)):
        kinds.add("in the crew")
    if task is not None and is_doer(task, roles, person):
        kinds.add("doer")
    if task is not None and task.sign_off_role in roles:
        kinds.add("signer")
    return kinds


def given_in(run: Run) -> set[int]:
    """The ids of those who were given single tasks of a run."""
    session = object_session(run)
    return given_tasks_of(session, run.id) if session is not None and run.id is not None else set()


def allowed(act: Act, kinds: set[Kind]) -> bool:
    """Whether one of these may do it."""
    return bool(TABLE[act] & kinds)


def acts_of(row: TemplateRow, person: Actor) -> frozenset[Act]:
    """All that somebody may do with a template."""
    kinds = kinds_of(row, person)
    return frozenset(act for act in TABLE if allowed(act, kinds))


def may(row: TemplateRow, person: Actor, act: Act) -> bool:
    """Whether somebody may do this with a template."""
    return allowed(act, kinds_of(row, person))


def check_may(row: TemplateRow, person: Actor, act: Act) -> None:
    """Raise NotAllowed, or NotThere for who may not even see the template, unless somebody may do this."""
    if may(row, person, act):
        return
    if not may(row, person, "see the template"):
        raise NotThere(HIDDEN)
    if act == "manage the template":
        raise NotAllowed(f"Only {row.owner.name}, who owns this template, does that.")
    verb = {"start a run": "start", "see its runs": "see the runs of"}.get(act, "change")
    raise NotAllowed(f"You may not {verb} this template. Ask {row.owner.name}, who owns it.")


def check_administrator(actor: Actor) -> None:
    """Refuse whoever does not look after people, teams and calendars."""
    if not actor.administrator:
        raise NotAllowed("Only administrators look after people, teams and calendars.")


def may_see_run(run: Run, actor: Actor) -> bool:
    """Whether somebody sees a run: by what they are to it, or as one that they started themselves."""
    kinds = kinds_in(run, actor)
    return allowed("see its runs", kinds) or (run.created_by_id == actor.id and allowed("see own runs", kinds))


def may_give_keeper(run: Run, actor: Actor) -> bool:
    """Whether somebody gives a run another keeper."""
    return allowed("give a run a keeper", kinds_in(run, actor))


def may_comment(run: Run, actor: Actor) -> bool:
    """Whether somebody writes in a run."""
    kinds = kinds_in(run, actor)
    return allowed("comment", kinds) or (run.created_by_id == actor.id and allowed("comment on own runs", kinds))


def may_change_run(run: Run, actor: Actor) -> bool:
    """Whether somebody changes a run's dates, crew and state."""
    return allowed("change a run", kinds_in(run, actor))


def check_may_change_run(run: Run, actor: Actor) -> None:
    """Refuse whoever may not change the run, and a run that is over."""
    if not may_change_run(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, changes it.")
    check_not_over(run)


def check_not_over(run: Run) -> None:
    """Refuse a run that is finished or called off."""
    if is_over(run.state):
        raise Refused({"": f"The run is {run.state}; its dates no longer change."})


def may_work_on(run: Run, row: TaskRow, actor: Actor) -> bool:
    """Whether somebody begins, finishes, drops or reopens a task."""
    return allowed("work on a task", kinds_in(run, actor, row))


def may_sign_off(run: Run, row: TaskRow, actor: Actor) -> bool:
    """Whether somebody signs a task off, or sends it back: who fills that role. Where nobody active is left who did not
    do it, the keeper; if they did it, the template's owner; else an administrator. Nobody signs off what they did."""
    did = {row.done_by_id, row.recorded_by_id}
    if actor.id in did:
        return False
    kinds = kinds_in(run, actor, row)
    signers = [person for m in run.crew if m.role == row.sign_off_role for person in m.people]
    if any(person.active and person.id not in did for person in signers):
        return allowed("sign off", kinds)
    if not allowed("sign off where no signer is left", kinds):
        return False
    keepers = {run.keeper_id, *(deputy.person_id for deputy in run.deputies)} - did
    if keepers:
        return actor.id in keepers
    owner = run.edition.template.owner_id
    return actor.administrator if owner in did else actor.id == owner
