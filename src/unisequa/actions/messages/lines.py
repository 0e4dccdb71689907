"""The lines of messages: what each is about, how it reaches people by default, and how each of them wants it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, get_args

from unisequa.core.errors import Refused
from unisequa.store.tables import Person

How = Literal["at once", "text", "digest", "bell", "none"]
HOWS: dict[How, str] = {
    "at once": "by mail, at once",
    "text": "by short text message, at once",
    "digest": "in the morning's digest",
    "bell": "only in the bell",
    "none": "not at all",
}


@dataclass(frozen=True, slots=True)
class Line:
    """One line of messages; what somebody ``must`` do themselves cannot be silenced altogether."""

    about: str
    how: How
    must: bool = False


LINES: dict[str, Line] = {
    "ready": Line("A task of mine can begin, since something was finished", "at once", must=True),
    "given": Line("A task is given to me, or taken away", "at once", must=True),
    "sent back": Line("A task of mine is sent back", "at once", must=True),
    "written": Line("Somebody writes to me, or on a task of mine", "at once"),
    "day": Line("A task's day has come; due tomorrow, today, overdue", "digest", must=True),
    "queue": Line("Something lies in my team's queue", "at once"),
    "review": Line("Something waits for my sign-off", "at once", must=True),
    "keeper": Line(
        "A run of mine: a phase closed, it could finish, a proposal, started by a rule, an answer", "at once"
    ),
    "watch": Line("A run of mine is late or stale, or should open", "digest"),
    "shift": Line("A shift moved tasks of mine", "at once"),
    "step": Line("What a step's own message says", "at once", must=True),
    "owner": Line("Runs of my templates that finished", "digest"),
}
"""Line → what it is. In the order in which they are shown."""


def how_for(person: Person, line: str) -> How:
    """How somebody wants a line of messages."""
    kept = person.notices.get(line)
    how: How = kept if kept in HOWS else LINES[line].how
    if how == "text" and not person.phone:
        return "at once"
    return "bell" if how == "none" and LINES[line].must else how


def check_choices(choices: Mapping[str, str], phone: str) -> dict[str, str]:
    """The choices as they are kept: those that differ from the default.

    Raises
    ------
    Refused
        Fields ``line.NAME``.
    """
    faults, kept = {}, {}
    for name, how in choices.items():
        if name not in LINES or how not in get_args(How):
            faults[f"line.{name}"] = "Choose one of those in the list."
        elif how == "none" and LINES[name].must:
            faults[f"line.{name}"] = "This is about what you do yourself, so it stays at least in the bell."
        elif how == "text" and not phone:
            faults[f"line.{name}"] = "Give a phone number first."
        elif how != LINES[name].how:
            kept[name] = how
    if faults:
        raise Refused(faults)
    return kept
