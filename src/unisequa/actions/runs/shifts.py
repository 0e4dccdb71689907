"""Shifts of a run: worked out, applied against the version they were worked out on, taken back."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from unisequa.actions.access import check_may_change_run
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.keeping import as_shown, keep_shift, take_shift_back
from unisequa.actions.runs.reaching import Around, Elsewhere, keep_waiting, let_reach, take_all, take_back_caused
from unisequa.actions.runs.seeing import RunSeen, run_of, with_leave
from unisequa.core.calendars.words import as_sentence, count_words
from unisequa.core.errors import DocumentError, Refused, ShiftError, Stale
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Edit, MoveAnchor, MoveRun, codec
from unisequa.core.shift.edits.codec import Document
from unisequa.core.shift.result import MODES, Cascade, Mode
from unisequa.core.work.readiness import Readiness, readiness
from unisequa.store.baselines import keep_baseline
from unisequa.store.lists import bring_up, settle
from unisequa.store.plans import plan_of
from unisequa.store.store import Session
from unisequa.store.tables import Run

WORKED_OUT_ANEW = "The run has changed since this shift was worked out. It has been worked out anew; look again."


@dataclass(frozen=True, slots=True)
class Considered:
    """A run and what a shift would do to it, worked out once; nothing is changed.

    Parameters
    ----------
    edits : tuple of Edit
        Those that can be carried out together.
    result : Cascade, optional
        What they do; None without any.
    after : Plan
        The plan afterwards; as it stands without edits.
    ready : Readiness
        How its tasks stand then.
    others : mapping of str to Cascade
        Mode → what the same edits would do in it.
    fault : str
        Why an edit is left out, if one is.
    elsewhere : tuple of Elsewhere
        What it would do in other runs, where that was asked for.
    """

    run: RunSeen
    edits: tuple[Edit, ...]
    result: Cascade | None
    after: Plan
    ready: Readiness
    others: Mapping[Mode, Cascade] = field(default_factory=dict)
    fault: str = ""
    elsewhere: tuple[Elsewhere, ...] = ()


@dataclass(frozen=True, slots=True)
class Applied:
    """A shift that was applied: its number, how many tasks it moved, how many other runs moved with it, and in how many
    their keepers are asked."""

    number: int
    moved: int
    elsewhere: int = 0
    asked: int = 0


def read_edits(documents: Iterable[Edit | Document], plan: Plan) -> tuple[Edit, ...]:
    """Edits from their documents.

    Raises
    ------
    Refused
        Field ``shift``: for anything that is no edit.
    """
    try:
        return tuple(one if isinstance(one, Edit) else codec.read(one, plan) for one in documents)
    except DocumentError as error:
        raise Refused({"shift": as_sentence(str(error.faults[0]))}) from None


def read_kept(documents: Iterable[Document], plan: Plan) -> tuple[tuple[Edit, ...], int]:
    """Edits from documents that were kept for a while, and how many of them no longer say anything of this plan."""
    edits: list[Edit] = []
    lost = 0
    for document in documents:
        try:
            edits.append(codec.read(document, plan))
        except DocumentError:
            lost += 1
    return tuple(edits), lost


def consider(run: RunSeen, edits: Iterable[Edit], mode: Mode = "push") -> Considered:
    """Work a shift out on a run as it is seen, without the edits that cannot be carried out."""
    made, faults = tuple(edits), list[str]()
    while made:
        try:
            result = cascade(run.plan, made, mode)
            after = result.after()
            others = {other: cascade(run.plan, made, other) for other in MODES if other != mode}
            return Considered(run, made, result, after, readiness(after), {**others, mode: result}, _said(faults))
        except ShiftError as error:
            faults.append(f"{error}.")
            made = fewer(run.plan, made, mode)
    return Considered(run, (), None, run.plan, run.ready, fault=_said(faults))


def _said(faults: Sequence[str]) -> str:
    """The first of what stands in the way, and how much more does."""
    more = len(faults) - 1
    return "".join(faults[:1]) + (
        f" {count_words(more, 'more edit')} cannot be carried out either." if more > 0 else ""
    )


def fewer(plan: Plan, edits: tuple[Edit, ...], mode: Mode) -> tuple[Edit, ...]:
    """Edits that cannot be carried out together without one that stands in the way: the latest, unless those before it
    cannot be either, since the run has become another; then the one of them that cannot."""
    rest = edits[:-1]
    try:
        cascade(plan, rest, mode)
    except ShiftError as error:
        others = tuple(edit for edit in edits if edit is not error.edit)
        return others if len(others) < len(edits) else rest
    return rest


def fitting(plan: Plan, edits: tuple[Edit, ...], mode: Mode) -> tuple[Edit, ...]:
    """Those edits that can be carried out together."""
    while edits:
        try:
            cascade(plan, edits, mode)
        except ShiftError:
            edits = fewer(plan, edits, mode)
        else:
            break
    return edits


def apply_shift(
    session: Session,
    actor: Actor,
    run_id: int,
    version: int,
    edits: Iterable[Edit | Document],
    today: dt.date,
    why: str = "",
    mode: Mode = "push",
) -> Applied:
    """Apply a shift to the run whose ``version`` it was worked out on.

    Raises
    ------
    Stale
        When the run has changed since; nothing is overwritten.
    Refused
        When it changes nothing, or an edit cannot be.
    """
    take_all(session, run_id)
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    settle(run, today)
    plan = with_leave(session, plan_of(run, today, viewer=actor.id), run, run.tasks)
    try:
        result = cascade(plan, read_edits(edits, plan), mode)
        if run.version != version:
            raise Stale(run.version, WORKED_OUT_ANEW)
        if result.empty:
            raise Refused({"shift": "This changes nothing, so there is nothing to apply."})
        return carry_out(session, actor, run, result, result.after(), today, why)
    except ShiftError as error:
        raise Refused({"shift": f"{error}."}) from error


def carry_out(
    session: Session,
    actor: Actor,
    run: Run,
    result: Cascade,
    after: Plan,
    today: dt.date,
    why: str,
    cause: str | None = None,
) -> Applied:
    """Put a shift that was worked out into a run, and what follows from it into those that hang on it."""
    plan = result.plan
    around = Around(session, actor, run.id, today, writes=True)
    reached = around.reached(plan, after)
    shift = keep_shift(session, actor, run, result, after, why, cause, as_shown(result, after))
    if any(isinstance(edit, MoveAnchor | MoveRun) for edit in result.edits):
        keep_baseline(run, f"After shift {shift.number}", after, actor.id)
    anchored = after.anchors != plan.anchors
    if anchored:
        keep_waiting(session, run)
    run.version += 1
    bring_up(run, today, after, anew=anchored)
    session.flush()
    elsewhere = let_reach(session, actor, around, reached, today, f"shift:{shift.id}", run)
    return Applied(shift.number, len(shift.changes), len(elsewhere), sum(one.moves is None for one in reached))


def take_back(session: Session, actor: Actor, run_id: int, number: int, today: dt.date) -> list[str]:
    """Give everything that a shift changed back as it was before, in other runs too as far as nothing rests on it;
    gives what stands there, in words.

    Raises
    ------
    Refused
        Field ``shift``: when something later depends on it: a task has moved again, is done, or a link
        would no longer hold.
    """
    take_all(session, run_id)
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    around = Around(session, actor, run.id, today, writes=True)
    before = plan_of(run, today, viewer=actor.id) if around.any else None
    shift = take_shift_back(session, actor, run, number, today)
    run.version += 1
    session.flush()
    stands = take_back_caused(session, actor, f"shift:{shift.id}", today, run.id)
    bring_up(run, today, anew=True)
    if before is not None:  # who was asked, and went along, is asked whether that comes back
        reached = around.reached(before, plan_of(run, today, viewer=actor.id))
        asked = [one for one in reached if one.offers is not None and one.run != run.id]
        let_reach(session, actor, around, asked, today, f"back:{shift.id}", run)
    return stands
