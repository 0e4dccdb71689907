"""Activities and the links between them: what a step or a task is to the computation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.terms import Edge, LagUnit, LinkType, Stands


@dataclass(frozen=True, slots=True)
class Activity:
    """What is put on the calendar: a step or a task, seen from the computation only.

    Parameters
    ----------
    key : str
    duration : int
        Worked slots; 0 is a milestone.
    calendar : WorkingCalendar
    edge : "start" or "finish"
        For a milestone, which kind of boundary it stands on.
    floor : int, optional
        Boundary before which it does not start: its target, or where a run has put it.
    not_before : int, optional
        Another such boundary, from the step's own constraint.
    deadline : int, optional
        Boundary at or before which it should finish.
    pinned : tuple of int, optional
        Start and finish that no floor moves: what it was done at, what was begun, what somebody fixed.
    stands : str
        Why it is pinned. What is done or dropped asks nothing of anybody any more, and what is dropped does
        not count for the end of the run.
    undated : bool
        It is measured from an anchor that is not known, so no link gives it a date either.
    signed : int, optional
        The boundary at which it was signed off: links from its finish count from there, if that came later.
    """

    key: str
    duration: int
    calendar: WorkingCalendar
    edge: Edge = "finish"
    floor: int | None = None
    not_before: int | None = None
    deadline: int | None = None
    pinned: tuple[int, int] | None = None
    stands: Stands = ""
    undated: bool = False
    signed: int | None = None

    def leaving(self, span: tuple[int, int]) -> tuple[int, int]:
        """Where links from it count its start and finish, were it to stand there."""
        return span if self.signed is None or self.signed <= span[1] else (span[0], self.signed)

    @property
    def over(self) -> bool:
        """Whether it is done or dropped."""
        return self.stands in {"done", "dropped"}


class Dependency(NamedTuple):
    """A link by positions in the network: ``target`` depends on ``source``; ``lag`` in slots of ``unit``."""

    source: int
    target: int
    lag: int = 0
    unit: LagUnit = "working"
    type: LinkType = "FS"


def closes(activity: Activity, end: str) -> bool:
    """Whether this end stands right behind a worked slot, as a finish does, rather than right before one."""
    return end == "F" if activity.duration else activity.edge == "finish"


def ahead(activity: Activity, end: str) -> int:
    """How many worked slots this end lies behind the activity's start."""
    return activity.duration if end == "F" else 0


def distance(link: Dependency, source: Activity, target: Activity) -> int | None:
    """How many worked slots the target must start behind the source's start, where that never changes.

    It does not where both count on one calendar and the lag is a working one, since for the numbers that
    :meth:`~unisequa.core.calendars.days.WorkingCalendar.index` gives

        index(end of source ⊕ lag) = index(end of source) + lag

    and None stands for all other links. Where :func:`may_rest` it may be one more.
    """
    if source.calendar is not target.calendar or (link.unit == "elapsed" and link.lag):
        return None
    return ahead(source, link.type[0]) + link.lag - ahead(target, link.type[1])


def may_rest(link: Dependency, source: Activity, target: Activity) -> bool:
    """Whether the bound stands right before a worked slot and is asked of an end right behind one.

    Days off may then lie between them, and the end must stand behind the slot that follows.
    """
    behind = link.lag > 0 or (not link.lag and closes(source, link.type[0]))
    return not behind and closes(target, link.type[1])
