"""The edits that a shift is made of.

Dates are given as people read them: a day, or on the minute grid an instant. Lengths are in worked slots:
working days, or minutes.
"""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.core.terms import LagUnit, LinkType


@dataclass(frozen=True, slots=True)
class Move:
    """Start a task on ``day``; on a day off it starts on the next working day."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class Due:
    """Have a task due on ``day``; its start follows from its duration."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class Duration:
    """Give a task so many worked slots, from the start it has."""

    key: str
    slots: int


@dataclass(frozen=True, slots=True)
class Remaining:
    """Say what of a task under way remains, from today."""

    key: str
    slots: int


@dataclass(frozen=True, slots=True)
class Begun:
    """A task was begun on ``day``."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class Done:
    """A task was done on ``day``."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class NotDone:
    """A task that was begun, done or dropped is not after all."""

    key: str


@dataclass(frozen=True, slots=True)
class Drop:
    """Do without a task; what followed it now follows what it followed."""

    key: str


@dataclass(frozen=True, slots=True)
class Fix:
    """Pin a task's start to ``day``, whatever follows."""

    key: str
    day: int


@dataclass(frozen=True, slots=True)
class Free:
    """Let a fixed date move again."""

    key: str


@dataclass(frozen=True, slots=True)
class Give:
    """Give a task to somebody who works by another calendar."""

    key: str
    calendar: str


@dataclass(frozen=True, slots=True)
class AddLink:
    """Have ``target`` depend on ``source``; the lag in slots of ``unit``. A link of that type is replaced."""

    source: str
    target: str
    type: LinkType = "FS"
    lag: int = 0
    unit: LagUnit = "working"


@dataclass(frozen=True, slots=True)
class RemoveLink:
    """Have ``target`` no longer depend on ``source``."""

    source: str
    target: str


@dataclass(frozen=True, slots=True)
class MoveAnchor:
    """Put an anchor on ``day``. What is measured from it moves as far as its target does, keeping the distance
    that people gave it; or with ``reset`` back to the template's offset."""

    key: str
    day: int
    reset: bool = False


@dataclass(frozen=True, slots=True)
class MoveRun:
    """Move every anchor and all that is not begun by so many working days."""

    days: int


@dataclass(frozen=True, slots=True)
class MoveRunTo:
    """Move the run so that its first task starts on ``day``."""

    day: int


@dataclass(frozen=True, slots=True)
class Close:
    """Close the days from ``first`` to ``last``, both included, in every calendar of the run."""

    first: int
    last: int
    label: str = ""


@dataclass(frozen=True, slots=True)
class Reopen:
    """Work on the days from ``first`` to ``last`` that were closed; weekends stay what they are."""

    first: int
    last: int


@dataclass(frozen=True, slots=True)
class CatchUp:
    """Nothing that is not finished lies before ``day``."""

    day: int


TaskEdit = Move | Due | Duration | Remaining | Begun | Done | NotDone | Drop | Fix | Free | Give
Edit = TaskEdit | AddLink | RemoveLink | MoveAnchor | MoveRun | MoveRunTo | Close | Reopen | CatchUp

DateEdit = Move | Due | Duration
"""What is done by dragging a bar or typing a date."""
