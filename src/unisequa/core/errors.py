"""What can go wrong, as one tree.

UnisequaError
├── DocumentError      a document or its inputs are at fault; carries every Fault found
├── CircleError        links run in a circle; carries the keys it runs through
├── DateRangeError     a date falls outside the years 1 to 9999
├── TypedError         what was typed is not understood
├── EditError          an edit of a template is refused; carries the field it is shown beside
├── Clash              what a difference changes has been changed otherwise meanwhile; carries where
├── ShiftError         an edit of a shift cannot be carried out; carries the task and the edit
├── StoreError         the data folder cannot be used as it is; carries its place
└── ActionError        why an action was not carried out; nothing has changed. Carries its HTTP status
    ├── NotThere           404: what it is about does not exist, or not for this person
    ├── NotAllowed         403: this person may not
    ├── Refused            422: what was given is at fault; carries messages by field
    ├── Stale              409: what it was made on has been changed since; carries the version it has now
    ├── Busy               503: too many write at once; it can be tried again in a moment
    └── Unwell             503: the data can be neither read nor written just now; says why

Every text is meant for a person and says what, where and what to do.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
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


class TypedError(UnisequaError):
    """What was typed is not understood; the text says what would be."""


class EditError(UnisequaError):
    """An edit is refused; ``field`` names the input it is to be shown beside."""

    def __init__(self, field: str, message: str) -> None:
        self.field = field
        super().__init__(message)


class Clash(UnisequaError):
    """What a difference changes has been changed otherwise meanwhile.

    Parameters
    ----------
    part, key, field : str
        Where: a list's name and an entry's key in it, or only a field of the document.
    """

    def __init__(self, part: str, key: str, field: str) -> None:
        self.part, self.key, self.field = part, key, field
        super().__init__(f"{part} {key} {field}".strip() + " has been changed meanwhile")


class ShiftError(UnisequaError):
    """An edit cannot be carried out on this plan.

    Parameters
    ----------
    task : str, optional
        Key of the task that it is about.
    edit : object, optional
        The edit (see :mod:`unisequa.core.shift.edits`) that cannot be carried out; None for the shift as a whole.
    """

    def __init__(self, message: str, *, task: str | None = None, edit: object = None) -> None:
        self.task, self.edit = task, edit
        super().__init__(message)


class StoreError(UnisequaError):
    """The data folder or its database cannot be used as it is; ``place`` says which."""

    def __init__(self, message: str, place: str = "") -> None:
        self.place = place
        super().__init__(message)


class ActionError(UnisequaError):
    """Base of what an action may answer with instead of doing it; ``status`` is the HTTP status that says so."""

    status = 422


class NotThere(ActionError):
    """What the action is about does not exist, or does not for this person."""

    status = 404


class NotAllowed(ActionError):
    """This person may not do it; the text says who may."""

    status = 403


class Refused(ActionError):
    """What was given is at fault.

    Parameters
    ----------
    faults : mapping of str to str
        Field → message. The empty field is the form as a whole.
    """

    def __init__(self, faults: Mapping[str, str]) -> None:
        self.faults = dict(faults)
        super().__init__("; ".join(self.faults.values()))


class Stale(ActionError):
    """Somebody else has changed meanwhile what was to be changed; ``version`` is the one it has now, if known."""

    status = 409

    def __init__(self, version: int | None = None, message: str = "") -> None:
        self.version = version
        super().__init__(
            message or "Somebody else changed this at the same moment, so nothing of yours was saved. Look again."
        )


class Busy(ActionError):
    """Too many others write at this moment; ``seconds`` from now it is worth trying again."""

    status = 503
    seconds = 2

    def __init__(self) -> None:
        super().__init__("Many others are saving at this moment, so nothing of yours was saved. Try again shortly.")


class Unwell(ActionError):
    """The data can be neither read nor written just now, for a reason that is nobody's fault who asks."""

    status = 503


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
