"""When a job has to open so that it is over by a day."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable

from unisequa.core.errors import TypedError
from unisequa.core.plan.plan import Plan

MOST_TRIES = 60
FARTHEST = 10 * 366
"""How many days before the end it is looked for."""


def opening_by(end: dt.date, plan_on: Callable[[dt.date], Plan]) -> dt.date:
    """The latest day for an anchor with which a plan is over by the end of ``end``.

    Later anchors never end it earlier, so what fits and what does not are narrowed down between two days: first by how
    much it ends too late or too early, then by halves.

    Parameters
    ----------
    plan_on : callable
        The plan with the anchor on a day.

    Raises
    ------
    TypedError
        Where it is not over by then however early it opens: something in it stands on another date.
    """
    last = end.toordinal()

    def over(day: int) -> int:
        """How many days a plan opening on a day ends behind the end."""
        reach = plan_on(dt.date.fromordinal(day)).reach()
        return (reach[1] if reach else day) - last

    fits: int | None = None
    late: int | None = None
    at = last
    for _ in range(MOST_TRIES):
        behind = over(at)
        if behind <= 0:
            fits = at
        else:
            late = at
        if fits is not None and late is not None:
            if late - fits == 1:
                return dt.date.fromordinal(fits)
            guess = at - behind
            at = guess if fits < guess < late else (fits + late) // 2
        elif fits is not None:
            at += max(1, -behind)
        else:
            at -= max(behind, (last - at) // 2, 1)
            if last - at > FARTHEST or at < 1:
                break
    raise TypedError("It is not over by then however early it begins: some of it stands on another date.")
