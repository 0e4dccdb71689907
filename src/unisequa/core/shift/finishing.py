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

from dataclasses import dataclass

from unisequa.core.calendars.words import count_words
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import Cascade, Mode, cascade
from unisequa.core.shift.edits import Done
from unisequa.core.terms import Follow


@dataclass(frozen=True, slots=True)
class Finishing:
    """What follows a finish.

    Parameters
    ----------
    moves : Cascade, optional
        What moves by itself, the finish included; None where nothing but the task itself is touched.
    offers : Cascade, optional
        The shift made ready for a person; None where no other task would move.
    text : str
        In words what is offered, or nothing.
    """

    moves: Cascade | None = None
    offers: Cascade | None = None
    text: str = ""


def what_follows(plan: Plan, done: Done, follow: Follow | None = None) -> Finishing:
    """What finishing a task does; ``follow`` is the plan's without one.

    Raises
    ------
    ShiftError
        As :func:`~unisequa.core.shift.cascade.cascade`.
    """
    follow = follow or plan.follow
    finish = plan.schedule.finish[plan.positions[done.key]] if done.key in plan.positions else 0
    early = plan.grid.exclusive(done.day) < finish
    mode: Mode = "tighten" if early or follow == "both" else "push"
    result = cascade(plan, [done], mode, by_itself=True)
    others = sum(change.key != done.key and not plan.is_parent(plan.positions[change.key]) for change in result.changes)
    if not others:
        return Finishing()
    if follow == "both" or (follow == "late" and not early):
        return Finishing(moves=result)
    can = "could come forward" if early else "can no longer hold"
    return Finishing(offers=result, text=f"{count_words(others, 'task')} {can}")
