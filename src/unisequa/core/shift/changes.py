"""What a shift changes, and what it runs into."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Cause = Literal["edited", "following", "closure", "anchor"]


@dataclass(frozen=True, slots=True)
class Change:
    """One task whose dates the shift changes.

    ``before`` and ``after`` are boundaries (start, finish), None while undated; ``delta`` the worked
    slots between the old and the new finish, and ``delta_start`` those between the starts; ``via`` the key of
    the predecessor that forces it; ``duration`` the new one, where it changes.
    """

    key: str
    before: tuple[int, int] | None
    after: tuple[int, int]
    delta: int
    cause: Cause
    via: str | None = None
    duration: int | None = None
    delta_start: int = 0


@dataclass(frozen=True, slots=True)
class Conflict:
    """What a person should know before applying.

    ``kind`` is deadline, anchor, window, fixed, link, before, leave, day off, not before, past or target; ``task`` None
    for the run.
    """

    kind: str
    task: str | None
    text: str


@dataclass(frozen=True, slots=True)
class Held:
    """An edit that a link does not allow: where the task was wanted, where it comes to stand, and what it follows."""

    position: int
    wished: tuple[int, int]
    got: tuple[int, int]
    via: int
