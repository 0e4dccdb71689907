"""What can go wrong, as one tree.

UnisequaError
├── DocumentError      a document or its inputs are at fault; carries every Fault found
├── CircleError        links run in a circle; carries the keys it runs through
├── DateRangeError     a date falls outside the years 1 to 9999
└── ShiftError         an edit of a shift cannot be carried out; carries the task and the edit
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import dataclass


class UnisequaError(Exception):
    """Base of every error that this program raises on purpose; its text is meant for a person."""


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong in a document.

    Parameters
    ----------
    path : str
        Where, as keys and positions: ``steps[3].when.anchor``. Empty for the document as a whole.
    message : str
        What is wrong and what to do, in one line.
    """

    path: str
    message: str

    def __str__(self) -> str:
        return f"{self.path}: {self.message}" if self.path else self.message


class DocumentError(UnisequaError):
    """A document, or what it is to be planned with, is at fault."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        self.faults = tuple(faults)
        super().__init__("\n".join(str(fault) for fault in self.faults))


class CircleError(UnisequaError):
    """Links run in a circle.

    Parameters
    ----------
    keys : tuple of str
        The steps the circle runs through, the first repeated at the end.
    """

    def __init__(self, keys: Iterable[str]) -> None:
        self.keys = tuple(keys)
        super().__init__("these steps wait for each other in a circle: " + " → ".join(self.keys))


class DateRangeError(UnisequaError):
    """A date falls outside the years 1 to 9999, or a calendar has no working day left."""


class ShiftError(UnisequaError):
    """An edit cannot be carried out on this plan."""

    def __init__(self, message: str, *, task: str | None = None) -> None:
        self.task = task
        super().__init__(message)


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """A tail for an error: the nearest known word, or the known ones when none is near.

    >>> did_you_mean("period-end", ["period_end", "board"])
    '; did you mean "period_end"?'
    """
    names = sorted(set(known))
    near = difflib.get_close_matches(word, names, n=1, cutoff=0.6)
    if near:
        return f'; did you mean "{near[0]}"?'
    if not names:
        return ""
    shown = ", ".join(names[:6]) + (", …" if len(names) > 6 else "")
    return f"; there is {shown}"
