"""Whose a task is: taken from a queue, put back, handed to somebody else; one or many in one act."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence

from unisequa.actions import access
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.changes import as_it_stands, tell_changes
from unisequa.actions.runs.seeing import run_of, task_of
from unisequa.actions.runs.undoing import keep_act, snapshot
from unisequa.actions.runs.work import Acted
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import NotAllowed, Refused
from unisequa.core.terms import FINISHED
from unisequa.store.lists import bring_up
from unisequa.store.queries.people import people_by_id
from unisequa.store.store import Session
from unisequa.store.tables import CrewMember, Person, Run, TaskRow


def take(session: Session, actor: Actor, run_id: int, keys: Sequence[str], today: dt.date) -> Acted:
    """Take tasks from the queue of one's team."""

    def check(run: Run, row: TaskRow) -> None:
        member = _queue(run, row)
        if not access.fills(member, actor):
            raise NotAllowed(f"{row.title} lies in the queue of {member.name}; only somebody of that team takes it.")
        if row.assigned_id == actor.id:
            raise Refused({"state": f"{row.title} is yours already."})
        if row.assigned_id is not None:
            raise Refused({"state": f"Somebody of {member.name} has just taken {row.title}."})

    return _give(session, actor, run_id, keys, actor.id, check, f"taken by {actor.name}", today)


def put_back(session: Session, actor: Actor, run_id: int, keys: Sequence[str], today: dt.date) -> Acted:
    """Put taken tasks back into their team's queue: somebody of the team, or the keeper."""

    def check(run: Run, row: TaskRow) -> None:
        member = _queue(run, row)
        if not (access.fills(member, actor) or access.may_change_run(run, actor)):
            raise NotAllowed(f"Only {member.name}, and the run's keeper, put {row.title} back.")
        if row.assigned_id is None:
            raise Refused({"state": f"{row.title} lies in the queue already."})

    return _give(session, actor, run_id, keys, None, check, "put back into the queue", today)


def hand_over(
    session: Session, actor: Actor, run_id: int, keys: Sequence[str], person_id: int, today: dt.date
) -> Acted:
    """Hand tasks to somebody: the keeper to anybody, whoever does one to others of its team or of their own."""
    person = people_by_id(session, {person_id}).get(person_id)
    if person is None or not person.active:
        raise Refused({"to": "There is nobody with that number, or they have left; choose somebody in the list."})

    def check(run: Run, row: TaskRow) -> None:
        if access.may_change_run(run, actor):
            return
        if not access.may_work_on(run, row, actor):
            raise NotAllowed(f"Only who does {row.title}, and the run's keeper, hand it over.")
        if not _near(run, row, actor, person):
            raise NotAllowed(f"{person.name} is in none of your teams; ask {run.keeper.name} to hand {row.title} over.")

    return _give(session, actor, run_id, keys, person.id, check, f"handed to {person.name}", today)


def _near(run: Run, row: TaskRow, actor: Actor, person: Person) -> bool:
    """Whether somebody is of the role, of its team, or of a team of whoever hands over."""
    member = next((member for member in run.crew if member.role == row.role), None)
    if member is not None and any(one.id == person.id for one in member.people):
        return True
    return any(mate.id == actor.id for team in person.teams for mate in team.members)


def _queue(run: Run, row: TaskRow) -> CrewMember:
    member = next((member for member in run.crew if member.role == row.role), None)
    if member is None or member.team is None:
        raise Refused({"state": f"{row.title} is of no team, so it lies in no queue."})
    return member


def _give(
    session: Session,
    actor: Actor,
    run_id: int,
    keys: Sequence[str],
    person_id: int | None,
    check: Callable[[Run, TaskRow], None],
    words: str,
    today: dt.date,
) -> Acted:
    run = run_of(session, run_id, actor)
    access.check_not_over(run)
    rows = [task_of(run, key) for key in dict.fromkeys(keys)]
    if not rows:
        raise Refused({"state": "Choose a task first."})
    parents = {row.parent for row in run.tasks}
    for row in rows:
        check(run, row)
        if row.state in FINISHED:
            raise Refused({"state": f"{row.title} is {row.state}; there is nothing left to hand over."})
        if row.key in parents:
            raise Refused({"state": f"{row.title} spans its sub-steps; hand those over."})
    before, stood = snapshot(run, [row.key for row in rows]), as_it_stands(run, today)
    own = {member.role: member.person_id for member in run.crew if member.person_id}
    for row in rows:
        row.assigned_id = None if person_id is not None and own.get(row.role or "") == person_id else person_id
        note(session, actor, "handed over", f"{row.title}: {words}", run_id=run.id, task_key=row.key)
    run.version += 1
    session.flush()
    bring_up(run, today)
    session.flush()
    tell_changes(session, actor, run, stood, today, f"by {actor.name}")
    said = f"{rows[0].title}: {words}" if len(rows) == 1 else f"{count_words(len(rows), 'task')} {words}"
    return Acted(said, keep_act(session, actor, run, said, before, None))
