"""Working on tasks: begun, finished, signed off, sent back, dropped, reopened."""

from __future__ import annotations

import datetime as dt

from unisequa.actions import access
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of, task_of
from unisequa.core.calendars.words import names_words
from unisequa.core.documents.conditions import condition_words
from unisequa.core.errors import NotAllowed, Refused
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import Begun, Done
from unisequa.core.work.sign_off import held_until
from unisequa.core.work.task_states import ACT, Act, acts, shown_state, state_after, unfinished_before
from unisequa.store.documents import template_of_run
from unisequa.store.lists import bring_up, rule_of, values_in
from unisequa.store.plans import plan_of, set_actual
from unisequa.store.store import Session
from unisequa.store.tables import Run, TaskRow, now


def act_on_task(
    session: Session, actor: Actor, run_id: int, key: str, act: Act, today: dt.date, *, confirmed: bool = False
) -> None:
    """Begin, finish, sign off, send back, drop or reopen a task.

    Finishing before its predecessors are done is barred or, where the step says so, needs ``confirmed``.

    Raises
    ------
    Refused
        Field ``state``, or ``gate`` where confirming would let it through.
    """
    run = run_of(session, run_id, actor)
    row = task_of(run, key)
    if run.state != "live":
        raise Refused({"state": f"The run is {run.state}; open it before its tasks are worked on."})
    if not access.may_work_on(run, row, actor):
        raise NotAllowed(f"Only who does {row.title}, and the run's keeper, change its state.")
    plan = plan_of(run, today)
    position = plan.position(key)
    if plan.is_parent(position):
        raise Refused({"state": f"{row.title} spans its sub-steps; work on those."})
    state = shown_state(plan, position)
    if act not in {may.act for may in acts(state, may_skip=row.may_skip)}:
        raise Refused({"state": f"{row.title} is {state}; that cannot be done with it now."})
    if act == "finish":
        _check_gate(plan, position, row, confirmed)
    if act == "sign off":
        _check_second_person(run, row, actor)
        if until := held_until(rule_of(run, key), values_in(run, key)):
            words = condition_words(until, template_of_run(run))
            raise Refused({"state": f"{row.title} is held in review until {words}."})
    row.state = state_after(act, sign_off=row.sign_off_role is not None)
    if act == "begin":
        row.begun_at = now()
        set_actual(row, plan, Begun(key, today.toordinal()))
    elif act == "finish":
        row.done_at, row.done_by_id = now(), actor.id
        set_actual(row, plan, Done(key, today.toordinal()))
    elif act in {"reopen", "send back"}:
        row.done_at = row.done_by_id = None
        row.begun_at = None if act == "reopen" else row.begun_at
    run.version += 1
    bring_up(run, today)
    words = ACT[act].past
    note(session, actor, f"task {words}", f"{row.title}: {words}", run_id=run.id, task_key=key)


def _check_gate(plan: Plan, position: int, row: TaskRow, confirmed: bool) -> None:
    before = [plan.tasks[i].title for i in unfinished_before(plan, position)]
    before += [awaited.words for awaited in plan.tasks[position].waits if not awaited.done]
    if not before:
        return
    who = names_words(before[:3]) + (f" and {len(before) - 3} more" if len(before) > 3 else "")
    verb = "is" if len(before) == 1 else "are"
    if row.gate == "bar":
        raise Refused({"state": f"{row.title} waits for {who}, which {verb} not done. Finish that first."})
    if not confirmed:
        raise Refused({"gate": f"{who} {verb} not done yet."})


def _check_second_person(run: Run, row: TaskRow, actor: Actor) -> None:
    signers = [m for m in run.crew if m.role == row.sign_off_role]
    if actor.id == row.done_by_id:
        raise Refused({"state": "A second person signs off: not the one who did it."})
    if any(m.person_id for m in signers) and not any(m.person_id == actor.id for m in signers):
        raise NotAllowed(f"{names_words([m.name for m in signers])} signs this off.")
