"""Shifts that somebody who may not apply them sends to a run's keeper: applied there, or answered with a word."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from unisequa.actions import access
from unisequa.actions.history import note
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of, task_of
from unisequa.actions.runs.shifts import read_edits
from unisequa.core.calendars.grid import read_span, span_text
from unisequa.core.calendars.typed import counted_from, typed_moment, typed_span
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DateRangeError, NotAllowed, NotThere, Refused, ShiftError, TypedError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Due, Edit, Remaining
from unisequa.core.shift.edits.codec import Document, written
from unisequa.core.shift.result import Cascade, Mode
from unisequa.core.terms import number_in
from unisequa.store.plans import plan_of
from unisequa.store.queries import proposals as queries
from unisequa.store.store import Session
from unisequa.store.tables import ProposalRow, Run, now


@dataclass(frozen=True, slots=True)
class Proposal:
    """A shift that waits for its answer, or was answered; ``run`` names its run where it does not stand with it."""

    number: int
    run_id: int
    who: str
    words: str
    why: str
    at: dt.datetime
    edits: tuple[Document, ...]
    mode: Mode
    task_key: str | None
    mine: bool
    state: str
    answer: str
    run: str = ""


def propose(
    session: Session,
    actor: Actor,
    run_id: int,
    edits: Iterable[Edit | Document],
    today: dt.date,
    *,
    mode: Mode = "push",
    why: str = "",
    key: str | None = None,
) -> int:
    """Send a shift to whoever may apply it; an open one of the same person for the same task is replaced.

    Raises
    ------
    Refused
        Field ``shift``: where it cannot be, or changes nothing.
    """
    run = run_of(session, run_id, actor)
    if not access.may_comment(run, actor):
        raise NotAllowed("You may look at this run, but propose nothing in it.")
    access.check_not_over(run)
    if key is not None:
        task_of(run, key)
    plan = plan_of(run, today, viewer=actor.id)
    made = read_edits(edits, plan)
    try:
        result = cascade(plan, made, mode)
    except ShiftError as error:
        raise Refused({"shift": f"{error}."}) from error
    if result.empty:
        raise Refused({"shift": "This changes nothing, so there is nothing to propose."})
    for row in queries.open_of(session, run.id):
        if row.person_id == actor.id and row.task_key == key:
            row.state = "withdrawn"
    return _kept(session, actor, run, plan, made, result, mode, why, key)


def _kept(
    session: Session,
    actor: Actor,
    run: Run,
    plan: Plan,
    made: Sequence[Edit],
    result: Cascade,
    mode: Mode = "push",
    why: str = "",
    key: str | None = None,
) -> int:
    words = _words(plan, made, result)
    row = ProposalRow(
        run_id=run.id, person_id=actor.id, task_key=key, mode=mode, why=why.strip()[:2000], words=words[:400],
        edits=[written(edit, plan.grid) for edit in made],
    )  # fmt: skip
    session.add(row)
    note(session, actor, "proposed", f"Proposed: {words}{_said(why)}", run_id=run.id, task_key=key)
    session.flush()
    if run.keeper_id != actor.id:
        said = f"{actor.name} proposes: {words}"
        word = Word(f"proposal:{row.id}", "keeper", said, why.strip(), run.id, key, run.name)
        tell(session, run.keeper, word)
    return row.id


def propose_of_house(session: Session, actor: Actor, run: Run, edit: Edit, today: dt.date, why: str) -> bool:
    """Send a shift to a run's keeper that follows from something outside it, also where its maker does not see the run;
    gives whether there was anything to propose."""
    plan = plan_of(run, today)
    try:
        result = cascade(plan, [edit])
    except ShiftError:
        return False
    if result.empty:
        return False
    _kept(session, actor, run, plan, [edit], result, why=why)
    return True


def propose_for_task(
    session: Session,
    actor: Actor,
    run_id: int,
    key: str,
    today: dt.date,
    *,
    by: str,
    left: str,
    why: str,
) -> int:
    """Propose by when a task will be done, or what of it remains, as typed: a date or a time, working days or
    ``1h 30m``.

    Raises
    ------
    Refused
        Field ``by``, ``left``.
    """
    run = run_of(session, run_id, actor)
    task_of(run, key)
    plan = plan_of(run, today, viewer=actor.id)
    i, hours = plan.position(key), plan.grid.per_day > 1
    if left.strip():
        try:
            slots = (
                read_span(typed_span(left), plan.calendars.of(plan.tasks[i]).per_day)
                if hours
                else number_in(left.strip())
            )
        except ValueError as error:
            raise Refused({"left": f"{error}."}) from None
        if not slots:
            raise Refused({"left": "Say what is left as " + ("1h 30m." if hours else "a number of working days.")})
        edit: Edit = Remaining(key, slots)
    elif by.strip():
        edit = Due(key, _typed(plan, i, by, today, month_first=actor.month_first))
    else:
        raise Refused({"by": f"Say by when, or {'how much is' if hours else 'how many working days are'} left."})
    return propose(session, actor, run_id, [edit], today, why=why, key=key)


def _typed(plan: Plan, i: int, text: str, today: dt.date, *, month_first: bool) -> int:
    """A due date as it was typed, counted from where the task stands."""
    grid, read = plan.grid, plan.read(i)
    base = counted_from(grid, read[1] if read else None)
    calendar = plan.calendars.of(plan.tasks[i])
    try:
        moment = typed_moment(text, today=today, base=base, calendar=calendar, grid=grid, month_first=month_first)
    except (TypedError, DateRangeError) as error:
        raise Refused({"by": str(error)}) from None
    return grid.of(moment)


def _said(why: str) -> str:
    return f": {why.strip()}" if why.strip() else ""


def _words(plan: Plan, edits: Sequence[Edit], result: Cascade) -> str:
    """What a proposal asks for, in a few words."""
    moved = len(result.changes)
    more = f", which moves {count_words(moved, 'task')}" if moved > 1 else ""
    if len(edits) == 1:
        edit = edits[0]
        title = plan.tasks[plan.position(edit.task)].title if edit.task else ""
        if isinstance(edit, Due):
            return f"{title} by {plan.dates_in_words()[edit.day]}{more}"
        if isinstance(edit, Remaining):
            left = count_words(edit.slots, "day") if plan.grid.per_day == 1 else span_text(edit.slots)
            return f"{title}: {left} left{more}"
    return f"a shift that moves {count_words(moved, 'task')}"


def open_proposals(session: Session, actor: Actor, run_id: int) -> tuple[Proposal, ...]:
    """The proposals that wait for an answer in a run that somebody sees."""
    return tuple(_seen(row, actor) for row in queries.open_of(session, run_id))


def proposals_to(session: Session, actor: Actor) -> tuple[Proposal, ...]:
    """The proposals that wait for this person's answer, in all runs that they keep."""
    return tuple(_seen(row, actor) for row in queries.open_to_keeper(session, actor.id))


def _seen(row: ProposalRow, actor: Actor) -> Proposal:
    mode: Any = row.mode
    return Proposal(
        row.id, row.run_id, row.party or row.person.name, row.words, row.why, row.at, tuple(row.edits), mode,
        row.task_key, row.person_id == actor.id and not row.party, row.state, row.answer,
    )  # fmt: skip


def proposal(session: Session, actor: Actor, run_id: int, number: int) -> Proposal:
    """One proposal of a run that somebody sees."""
    return _seen(_row(session, run_of(session, run_id, actor), number), actor)


def _row(session: Session, run: Run, number: int) -> ProposalRow:
    row = session.get(ProposalRow, number)
    if row is None or row.run_id != run.id:
        raise NotThere("This proposal does not exist.")
    return row


def applied(session: Session, actor: Actor, run_id: int, number: int) -> None:
    """Mark a proposal as applied, in the transaction that applies its shift."""
    _answered(session, actor, run_id, number, "applied", "")


def decline(session: Session, actor: Actor, run_id: int, number: int, answer: str) -> None:
    """Answer a proposal with a word, or take back one's own."""
    _answered(session, actor, run_id, number, "declined", answer)


def _answered(session: Session, actor: Actor, run_id: int, number: int, state: str, answer: str) -> None:
    run = run_of(session, run_id, actor)
    row = _row(session, run, number)
    own = row.person_id == actor.id and state == "declined"
    if not own and not access.may_change_run(run, actor):
        raise NotAllowed(f"Only {run.keeper.name}, who keeps this run, answers it.")
    if row.state != "open":
        raise Refused({"shift": f"This proposal is {row.state} already."})
    if state == "declined" and not own and not answer.strip():
        raise Refused({"answer": "Say why, so that whoever proposed it knows."})
    row.state = "withdrawn" if own else state
    row.answer, row.answered_at, row.answered_by_id = answer.strip()[:2000], now(), actor.id
    what = {"withdrawn": "Taken back", "applied": "Applied", "declined": "Declined"}[row.state]
    note(session, actor, "answered", f"{what}: {row.words}{_said(answer)}", run_id=run.id, task_key=row.task_key)
