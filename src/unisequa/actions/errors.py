"""Why an action was not carried out. Nothing has changed when one of these is raised.

ActionError
├── NotThere      what it is about does not exist
├── NotAllowed    this person may not
├── Refused       what was given is at fault; carries messages by field
└── Stale         the run has changed since the shift was computed on it
"""

from __future__ import annotations

from collections.abc import Mapping

from unisequa.core.errors import UnisequaError


class ActionError(UnisequaError):
    """Base of what an action may answer with instead of doing it."""


class NotThere(ActionError):
    """What the action is about does not exist."""


class NotAllowed(ActionError):
    """This person may not do it; the text says who may."""


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
    """The run has changed meanwhile; ``version`` is the one it has now."""

    def __init__(self, version: int) -> None:
        self.version = version
        super().__init__(
            "The run has changed since this shift was worked out. It has been worked out anew; look again."
        )


def sentence(text: str) -> str:
    """A message as a sentence of its own."""
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "!", "?")) else text + "."
