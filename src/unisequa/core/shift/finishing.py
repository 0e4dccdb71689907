"""What finishing a task does to the dates of what follows it, as the run's ``follow`` says.

==========  ==============================================  ================================
follow      after a late finish                             after an early finish
==========  ==============================================  ================================
``ask``     nothing moves; a push is made ready             nothing moves; a tighten is made ready
``late``    what a link now forces later moves, as by push  as ``ask``
``both``    everything downstream goes where its floors     the same
            put it, as by tighten
==========  ==============================================  ================================

What moves by itself leaves dates alone that a person has put, links apart.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from unisequa.core.calendars.words import count_words
from unisequa.core.errors import ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Follow
from unisequa.core.shift.result import Cascade, Mode
from unisequa.core.terms import Follow as Rule


@dataclass(frozen=True, slots=True)
class Finishing:
    """What follows something that was done.

    Parameters
    ----------
    moves : Cascade, optional
        What moves by itself; None where nothing does.
    offers : Cascade, optional
        The shift made ready for a person; None where no task would move.
    text : str
        In words what is offered, or nothing.
    """

    moves: Cascade | None = None
    offers: Cascade | None = None
    text: str = ""


def what_follows(plan: Plan, keys: Collection[str], rule: Rule, *, early: bool = False) -> Finishing:
    """What follows tasks with which something was done.

    Parameters
    ----------
    plan : Plan
        As it stands with that done, and nothing moved yet.
    rule : Rule
        What the run lets move by itself.
    early : bool
        Whether one of them is over before it was planned to be.
    """
    edits = tuple(Follow(key) for key in keys)
    forced = _moving(plan, edits, "push")
    moves = _moving(plan, edits, "tighten") if rule == "both" else forced if rule == "late" else None
    if moves is not None:
        return Finishing(moves=moves)
    if forced is not None:
        return Finishing(offers=forced, text=f"{count_words(moved(forced), 'task')} can no longer hold")
    forward = _moving(plan, edits, "tighten") if early else None
    if forward is not None:
        return Finishing(offers=forward, text=f"{count_words(moved(forward), 'task')} could come forward")
    return Finishing()


def moved(result: Cascade) -> int:
    """How many tasks a cascade moves, parents apart."""
    return sum(not result.plan.is_parent(result.plan.positions[change.key]) for change in result.changes)


def _moving(plan: Plan, edits: tuple[Follow, ...], mode: Mode) -> Cascade | None:
    """A cascade that moves something; None where it does not, or cannot be."""
    try:
        result = cascade(plan, edits, mode, by_itself=True)
    except ShiftError:
        return None
    return result if moved(result) else None
