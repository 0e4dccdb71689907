"""A run's own state: prepared, live, on hold, finished, called off."""

from __future__ import annotations

from unisequa.actions.access import may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of
from unisequa.core.errors import NotAllowed, Refused
from unisequa.core.work.run_states import may_become
from unisequa.store.store import Session


def set_run_state(session: Session, actor: Actor, run_id: int, state: str) -> None:
    """Open a prepared run, put a live one on hold, go on, finish it or call it off."""
    run = run_of(session, run_id, actor)
    if not may_change_run(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, does that.")
    if not may_become(run.state, state):
        raise Refused({"": f"A run that is {run.state} cannot become {state}."})
    run.state = state
    run.version += 1
    note(session, actor, "run state", f"{run.name} is now {state}", run_id=run.id)
