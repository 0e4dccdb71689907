"""What a shift, or something done, in one run does to those that hang on it: they follow, each by its own rule, in the
same transaction, or their keepers are asked."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import cast

from unisequa.actions.access import may_change_run
from unisequa.actions.history import note
from unisequa.actions.mail import Mail, post_mail
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.keeping import keep_shift, take_shift_back
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DocumentError, Refused, ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.across import Beside, Reached, spread
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import codec
from unisequa.core.shift.edits.codec import written
from unisequa.core.shift.result import Mode
from unisequa.store.lists import bring_up, settle
from unisequa.store.plans import plan_of
from unisequa.store.queries.awaited import Hanging, awaited_runs, hanging_on, hanging_together, taken_from
from unisequa.store.queries.history import shifts_caused_by
from unisequa.store.queries.proposals import open_because_of
from unisequa.store.queries.runs import RowsOfRun, run_by_id, run_to_look_at, seen_among
from unisequa.store.queries.taking import take
from unisequa.store.store import Session
from unisequa.store.tables import ProposalRow, Run, ShiftRow

BY_ITSELF = "By itself: what it waits for elsewhere has moved"


class Around:
    """The runs that hang on one, read before anything in it changes.

    Parameters
    ----------
    writes : bool
        Whether they are going to be written: their rows are taken.
    """

    def __init__(self, session: Session, actor: Actor, run_id: int, today: dt.date, *, writes: bool) -> None:
        self.session, self.actor, self.first, self.today, self.writes = session, actor, run_id, today, writes
        self.runs: dict[int, Run] = {}
        self._beside: dict[int, Beside] = {}
        self._hanging: dict[int, Hanging] = {}
        self.any = any(self.hanging(run_id))
        if writes:
            for number in (*self.hanging(run_id).awaited, *self.hanging(run_id).taken):
                self.beside(number)

    def hanging(self, number: int) -> Hanging:
        """The runs that hang on one of them."""
        if number not in self._hanging:
            self._hanging[number] = hanging_on(self.session, number)
        return self._hanging[number]

    def beside(self, number: int) -> Beside | None:
        """A run as it stands; None where it has gone."""
        if number in self._beside:
            return self._beside[number]
        found = self._read(number)
        if found is not None:
            run, plan = found
            self.runs[number] = run
            taken = taken_from(self.session, number) if self._takes(number) else {}
            self._beside[number] = Beside(plan, taken, may_change_run(run, self.actor))
        return self._beside.get(number)

    def _takes(self, number: int) -> bool:
        return any(number in found.taken for found in self._hanging.values())

    def _read(self, number: int) -> tuple[Run, Plan] | None:
        if not self.writes:
            looked = run_to_look_at(self.session, number)
            return None if looked is None else (looked[0], self._plan(looked[0], looked[1]))
        run = run_by_id(self.session, number)
        if run is None:
            return None
        settle(run, self.today)
        return run, self._plan(run)

    def _plan(self, run: Run, rows: RowsOfRun | None = None) -> Plan:
        """As its keeper may know it, whom its conflicts are told."""
        return plan_of(run, self.today, rows=rows, viewer=run.keeper_id)

    def reached(self, before: Plan, after: Plan) -> tuple[Reached, ...]:
        """What reaches whom when the first run comes to stand otherwise."""
        if not self.any:
            return ()
        elsewhere = _elsewhere(before, after)

        def neighbours(number: int) -> Iterator[tuple[int, Beside]]:
            waiting, taking = self.hanging(number)
            if number == self.first:
                waiting = {other: keys for other, keys in waiting.items() if keys & elsewhere}
                taking = taking if before.anchors != after.anchors else {}
            for other in sorted({*waiting, *taking}):
                beside = self.beside(other)
                if beside is not None:
                    yield other, beside

        return spread(self.first, before, after, neighbours)


def _elsewhere(before: Plan, after: Plan) -> set[str]:
    """The tasks whose end others may wait for and that is another one now."""
    old, new = before.schedule.finish, after.schedule.finish
    return {task.key for i, task in enumerate(after.tasks) if old[i] != new[i] or before.tasks[i].state != task.state}


def take_all(session: Session, run_id: int) -> None:
    """Before a run is shifted: take it and all that a shift of it may reach, always in the same order."""
    for number in hanging_together(session, run_id):
        take(session, Run, number)


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """What a shift does in a run beside the one it is made in, as one person may know it.

    Parameters
    ----------
    run_id : int, optional
        None where they do not see it.
    moved : int
        How many tasks move there, or would if its keeper agrees.
    later : int
        By how many worked slots it ends later then.
    asks : str
        Whom it is proposed to; nothing where it moves by itself.
    needs : int
        How many things there need a person.
    """

    run_id: int | None
    name: str
    words: str
    moved: int
    later: int
    asks: str
    needs: int


def elsewhere(
    session: Session, actor: Actor, run_id: int, before: Plan, after: Plan, today: dt.date
) -> tuple[Elsewhere, ...]:
    """What a shift that is considered would do in other runs; nothing is changed."""
    around = Around(session, actor, run_id, today, writes=False)
    found = around.reached(before, after)
    seen = seen_among(session, {one.run for one in found}, actor.id) if found else set()
    told = []
    for one in found:
        if one.run == run_id:
            told.append(_told(one, run_id, "this run", ""))
            continue
        run = around.runs[one.run]
        name, keeper = (run.name, run.keeper.name) if one.run in seen else ("", "its keeper")
        told.append(_told(one, one.run if one.run in seen else None, name or "a run elsewhere", keeper))
    return tuple(told)


def _told(one: Reached, run_id: int | None, name: str, keeper: str) -> Elsewhere:
    result = one.moves or one.offers
    if result is None:
        return Elsewhere(run_id, name, one.text, 0, 0, keeper, 1)
    later = result.plan.calendars[None].count(*result.finish)
    moved = sum(not result.plan.is_parent(result.plan.positions[change.key]) for change in result.changes)
    needs = len(result.needs)
    by_itself = count_words(moved, "task moves by itself", "tasks move by themselves")
    words = by_itself if one.moves else one.text
    return Elsewhere(run_id, name, words, moved, later, "" if one.moves else keeper, needs)


def let_reach(
    session: Session, actor: Actor, around: Around, found: Sequence[Reached], today: dt.date, cause: str, first: Run
) -> list[int]:
    """Carry out in other runs what follows from something; gives the runs that moved.

    Parameters
    ----------
    cause : str
        What it follows from, ``shift:12`` or ``act:7``, by which it is taken back with it.
    """
    moved = []
    for one in found:
        run = first if one.run == first.id else around.runs[one.run]
        if one.moves is not None:
            after = one.moves.after()
            shift = keep_shift(session, actor, run, one.moves, after, BY_ITSELF, cause=cause)
            run.version += 1
            bring_up(run, today, after if run is not first else None)
            tell_keeper(session, actor, run, shift, [c.text for c in one.moves.needs])
            moved.append(run.id)
        elif one.offers is not None or one.text:
            _ask(session, actor, run, one, cause)
    for run in around.runs.values():
        _forget_idle(session, run, today)
    return moved


def _forget_idle(session: Session, run: Run, today: dt.date) -> None:
    """Withdraw what a run's keeper was asked because of others and that would move nothing any more."""
    waiting = [row for row in open_because_of(session, run.id) if not str(row.cause).startswith("calendar:")]
    if not waiting:
        return
    session.flush()
    plan = plan_of(run, today, viewer=run.keeper_id)
    for row in waiting:
        try:
            result = cascade(plan, codec.read_all(row.edits, plan), cast(Mode, row.mode))
            idle = not result.changes and not result.conflicts
        except (DocumentError, ShiftError):
            idle = True
        if idle:
            row.state = "withdrawn"


def _ask(session: Session, actor: Actor, run: Run, one: Reached, cause: str) -> None:
    """Leave a proposal with a run's keeper; the same asked before is replaced."""
    edits = [written(edit, one.plan.grid) for edit in one.edits]
    keys = set(one.keys)
    for row in open_because_of(session, run.id):
        if (
            not str(row.cause).startswith("calendar:")
            and {edit.get("task") for edit in row.edits if edit.get("task")} <= keys
        ):
            row.state = "withdrawn"
    mode = one.offers.mode if one.offers is not None else "push"
    words = f"to follow what it waits for elsewhere: {one.text}"
    session.add(ProposalRow(run_id=run.id, person_id=actor.id, mode=mode, words=words[:400], edits=edits, cause=cause))
    note(session, actor, "proposed", f"Proposed: {words}", run_id=run.id)


def tell_keeper(session: Session, actor: Actor, run: Run, shift: ShiftRow, conflicts: Sequence[str]) -> None:
    """Have a run's keeper know what a shift that was made by itself ran into."""
    if not conflicts or not run.keeper.email or not run.keeper.active:
        return
    needs = "1 thing needs you" if len(conflicts) == 1 else f"{len(conflicts)} things need you"
    text = "\n".join([f"Dates of {run.name} moved by themselves ({shift.why}).", "", *conflicts[:60]]) + "\n"
    key = f"conflicts:{run.id}:{shift.number}"
    post_mail(session, key, Mail(run.keeper.email, f"{run.name}: {needs}"[:200], text), run.keeper_id)


def keep_waiting(session: Session, run: Run) -> None:
    """Before an anchor moves: a run goes on waiting for what it waits for by its date, and so do those that wait for
    it."""
    waiting = [run, *(row for number in hanging_on(session, run.id).awaited if (row := run_by_id(session, number)))]
    for number, found in awaited_runs(session, {one.id for one in waiting}).items():
        row = next(one for one in waiting if one.id == number)
        drawn = {one["run"] for one in row.drawn}
        by_date = {template: runs - drawn for template, runs in found.items()}  # what was drawn stays by itself
        kept = {str(template): next(iter(runs)) for template, runs in by_date.items() if len(runs) == 1}
        if number != run.id:
            kept = {template: other for template, other in kept.items() if other == run.id}
        if kept.keys() - row.awaits.keys():
            row.awaits = {**kept, **row.awaits}


def take_back_caused(session: Session, actor: Actor, cause: str, today: dt.date, skip: int) -> list[str]:
    """Take back what something brought about in other runs, as far as nothing rests on it; gives what stands, in words.

    Parameters
    ----------
    skip : int
        The run whose rows the caller brings up.
    """
    stands: list[str] = []
    caused = sorted(shifts_caused_by(session, cause), key=lambda row: (row.run_id, -row.number))
    seen = seen_among(session, {row.run_id for row in caused}, actor.id) if caused else set()
    for row in caused:
        run = run_by_id(session, row.run_id)
        if run is None:
            continue
        try:
            take_shift_back(session, actor, run, row.number, today)
        except Refused as error:
            stands.append(f"{run.name}: {error}" if row.run_id in seen else "What followed in a run elsewhere stands.")
            continue
        if row.run_id != skip:
            run.version += 1
            session.flush()
            bring_up(run, today)
    for proposal in open_because_of(session, cause=cause):
        proposal.state = "withdrawn"
    return stands
