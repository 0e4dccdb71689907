"""A run's own state: prepared, live, on hold, finished, called off; who stands in for its keeper; what follows."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from dataclasses import dataclass
from typing import cast, get_args

from unisequa.actions import access
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.changes import as_it_stands, tell_changes
from unisequa.actions.runs.following import Offer
from unisequa.actions.runs.seeing import open_rows, run_of
from unisequa.core.calendars.words import count_words, names_words, some_names
from unisequa.core.errors import NotAllowed, Refused
from unisequa.core.shift.edits import MoveRun
from unisequa.core.shift.edits.codec import written
from unisequa.core.terms import Follow
from unisequa.core.work.run_states import may_become
from unisequa.store.baselines import keep_baseline
from unisequa.store.lists import bring_up, keep_waits, settle
from unisequa.store.plans import plan_of
from unisequa.store.queries.awaited import hanging_on
from unisequa.store.queries.people import people_by_id
from unisequa.store.queries.runs import run_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Deputy, Run


@dataclass(frozen=True, slots=True)
class Becoming:
    """What a run is to become.

    Parameters
    ----------
    why : str
        Why; calling it off, and finishing it with tasks open, ask for it.
    drop_open : bool
        Whether tasks that are still open are dropped; a run does not finish with open tasks otherwise.
    """

    state: str
    why: str = ""
    drop_open: bool = False


def set_run_state(session: Session, actor: Actor, run_id: int, becoming: Becoming, today: dt.date) -> Offer | None:
    """Open a prepared run, put a live one on hold, go on, finish it, call it off, or reopen a finished one.

    Going on gives the shift by the working days that it was held, made ready.

    Raises
    ------
    Refused
        Fields ``state``, ``why`` and ``open``.
    """
    run = _to_change(session, actor, run_id)
    state, why = becoming.state, becoming.why.strip()
    if not may_become(run.state, state):
        raise Refused({"state": f"A run that is {run.state} cannot become {state}."})
    settle(run, today)
    open_, stood = open_rows(run), as_it_stands(run, today)
    if state == "called off" and not why:
        raise Refused({"why": "Say why it is called off; its people will want to know."})
    if state == "finished" and open_:
        shown = some_names([row.title for row in open_])
        if not becoming.drop_open:
            have = "is" if len(open_) == 1 else "are"
            raise Refused({"open": f"{shown} {have} still open. Finish what was done, or drop the rest with a reason."})
        if not why:
            raise Refused({"why": f"Say why {count_words(len(open_), 'open task')} can be dropped."})
    if state == "called off" or (state == "finished" and becoming.drop_open):
        for row in open_:
            row.state = "dropped"
    offer = _going_on(run, today) if run.state == "on hold" and state == "live" else None
    if run.state == "prepared" and state == "live":
        keep_baseline(run, "Opened", plan_of(run, today), actor.id)
    run.held_on = today if state == "on hold" else None
    run.opens_on = None
    run.state = state
    run.version += 1
    bring_up(run, today, anew=True)
    said = f": {why}" if why else ""
    dropped = f", {count_words(len(open_), 'open task')} dropped" if becoming.drop_open and open_ else ""
    note(session, actor, "run state", f"{run.name} is now {state}{dropped}{said}", run_id=run.id)
    session.flush()
    tell_changes(session, actor, run, stood, today, f"{run.name} is {state}, {actor.name}", why)
    return offer


def _going_on(run: Run, today: dt.date) -> Offer | None:
    """The shift by the working days that a run was held."""
    plan = plan_of(run, today)
    if run.held_on is None:
        return None
    calendar = plan.calendars[None]
    days = calendar.day_index(today.toordinal()) - calendar.day_index(run.held_on.toordinal())
    if days < 1:
        return None
    text = f"It was held for {count_words(days, 'working day')}"
    return Offer(text, (written(MoveRun(by=days), plan.grid),), "push")


def delete_run(session: Session, actor: Actor, run_id: int, today: dt.date) -> str:
    """Delete a prepared run that was never live; gives what went with it, in words. Nothing waits for it any more."""
    run = _to_change(session, actor, run_id)
    if run.state != "prepared" or run.baselines:
        raise Refused({"state": "Only a prepared run that was never live is deleted; call this one off instead."})
    words = f"{run.name} is deleted, with {count_words(len(run.tasks), 'task')}"
    waited = hanging_on(session, run.id).awaited
    session.delete(run)
    note(session, actor, "deleted", words, template_id=run.edition.template_id)
    session.flush()
    for number in waited:
        other = run_by_id(session, number)
        if other is not None:
            other.drawn = [one for one in other.drawn if one["run"] != run_id]
            keep_waits(other)
            bring_up(other, today)
    return words


def set_follow(session: Session, actor: Actor, run_id: int, follow: str) -> None:
    """Say what finishing a task does to the dates of what follows it."""
    run = _to_change(session, actor, run_id)
    if follow not in get_args(Follow):
        raise Refused({"follow": "Choose one of: asked first, later ones move, all move."})
    if run.follow != follow:
        run.follow = cast(Follow, follow)
        run.version += 1
        words = {"ask": "nothing moves unasked", "late": "what is forced later moves", "both": "everything moves along"}
        note(session, actor, "follow", f"After a finish {words[follow]}", run_id=run.id)


def name_deputies(session: Session, actor: Actor, run_id: int, people: Collection[int]) -> None:
    """Name those who act for a run's keeper; in place of those named before.

    Raises
    ------
    Refused
        Field ``deputies``: for somebody who is not there, or has left.
    """
    run = _to_change(session, actor, run_id)
    known = people_by_id(session, set(people))
    if gone := [number for number in people if number not in known or not known[number].active]:
        name = known[gone[0]].name if gone[0] in known else "Somebody"
        raise Refused({"deputies": f"{name} is not here any more; choose somebody in the list."})
    wanted = set(people) - {run.keeper_id}
    run.deputies = [d for d in run.deputies if d.person_id in wanted]
    run.deputies += [Deputy(person_id=n) for n in sorted(wanted - {d.person_id for d in run.deputies})]
    run.version += 1
    names = names_words(sorted(known[number].name for number in wanted))
    note(session, actor, "deputies", f"Deputies: {names or 'nobody'}", run_id=run.id)


def set_keeping(
    session: Session, actor: Actor, run_id: int, keeper: int, deputies: Collection[int], today: dt.date
) -> None:
    """Say who answers for a run, and who stands in; an administrator who is neither only gives it a keeper."""
    run = run_of(session, run_id, actor)
    if access.may_change_run(run, actor):
        name_deputies(session, actor, run_id, deputies)
    give_keeper(session, actor, run_id, keeper or run.keeper_id, today)


def give_keeper(session: Session, actor: Actor, run_id: int, person_id: int, today: dt.date) -> None:
    """Give a run another keeper: its keeper, the template's owner, or an administrator."""
    run = run_of(session, run_id, actor)
    if not access.may_give_keeper(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, or an administrator gives it to somebody else.")
    person = people_by_id(session, {person_id}).get(person_id)
    if person is None or not person.active:
        raise Refused({"keeper": "There is nobody with that number; choose somebody in the list."})
    if person.id != run.keeper_id:
        run.keeper = person
        run.version += 1
        session.flush()
        bring_up(run, today)
        note(session, actor, "keeper", f"{person.name} keeps it now", run_id=run.id)


def _to_change(session: Session, actor: Actor, run_id: int) -> Run:
    run = run_of(session, run_id, actor)
    if not access.may_change_run(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, does that.")
    return run
