"""Who may do what with a template and its runs: the one place where that is asked.

=======  ==========================================================
right    allows
=======  ==========================================================
look     to see its released editions and their runs
start    to start runs of them too
edit     to see and change its drafts, release and retire too
own      to say who may do what, and to hand it over
=======  ==========================================================

Its owner owns it; everybody else may what the template is open to, or what they are given by name.

=============================  ===================================================================
with a run                     who
=============================  ===================================================================
see it                         who may look at its template; its keeper; its crew
shift it, its crew, its state  its keeper; the template's owner
work on a task                 the same; who fills the task's role; who fills the role that signs it off
=============================  ===================================================================
"""

from __future__ import annotations

from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.work.run_states import is_over
from unisequa.store.tables import Run, TaskRow, TemplateRow

RIGHTS = ("nothing", "look", "start", "edit", "own")


def right_of(row: TemplateRow, person: Actor) -> str:
    """The most that somebody may do with a template."""
    if row.owner_id == person.id:
        return "own"
    given = [right.right for right in row.rights if right.person_id == person.id]
    return max([row.open_to, *given], key=RIGHTS.index)


def may(row: TemplateRow, person: Actor, right: str) -> bool:
    """Whether somebody may do this much."""
    return RIGHTS.index(right_of(row, person)) >= RIGHTS.index(right)


def check_may(row: TemplateRow, person: Actor, right: str) -> None:
    """Raise NotAllowed, or NotThere for who may not even look, unless somebody may do this much."""
    if may(row, person, right):
        return
    if not may(row, person, "look"):
        raise NotThere("This template does not exist, or is not open to you.")
    if right == "own":
        raise NotAllowed(f"Only {row.owner.name}, who owns this template, does that.")
    verb = {"start": "start", "edit": "change"}[right]
    raise NotAllowed(f"You may not {verb} this template. Ask {row.owner.name}, who owns it.")


def may_see_run(run: Run, actor: Actor) -> bool:
    """Whether somebody sees a run."""
    crew = {member.person_id for member in run.crew}
    return actor.id == run.keeper_id or actor.id in crew or may(run.edition.template, actor, "look")


def may_change_run(run: Run, actor: Actor) -> bool:
    """Whether somebody changes a run's dates, crew and state."""
    return actor.id in {run.keeper_id, run.edition.template.owner_id}


def check_may_change_run(run: Run, actor: Actor) -> None:
    """Refuse whoever may not change the run, and a run that is over."""
    if not may_change_run(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, changes it.")
    if is_over(run.state):
        raise Refused({"": f"The run is {run.state}; its dates no longer change."})


def may_work_on(run: Run, row: TaskRow, actor: Actor) -> bool:
    """Whether somebody changes a task's state."""
    roles = {row.role, row.sign_off_role}
    return may_change_run(run, actor) or any(m.person_id == actor.id for m in run.crew if m.role in roles)
