"""The trade's few fixed words and the limits of what can be computed. Knows nothing else of ours."""

from __future__ import annotations

from typing import Literal

Edge = Literal["start", "finish"]
"""An end of a step: where it begins, or where it is due."""

LinkType = Literal["FS", "SS", "FF", "SF"]
"""Finish-to-start, start-to-start, finish-to-finish, start-to-finish: first the source's end, then the target's."""

LagUnit = Literal["working", "elapsed"]

Unit = Literal["working days", "days", "weeks", "months", "hours", "minutes", "working hours", "working minutes"]
DAY_UNITS: tuple[str, ...] = ("working days", "days", "weeks", "months")

Roll = Literal["following", "preceding", "modified following", "modified preceding", "none"]
"""The business-day conventions of the trade, as the ISDA Definitions name them."""

State = Literal["waiting", "ready", "under way", "in review", "done", "dropped"]
"""What may be kept of a task; ``waiting`` also stands for one that is ready, which is worked out."""

FINISHED: frozenset[str] = frozenset({"done", "dropped"})
BEGUN: frozenset[str] = frozenset({"under way", "in review"})

Follow = Literal["ask", "late", "both"]
"""What a task's finish does to the dates of what follows: nothing unasked, only what is forced later, everything."""

Ready = Literal["when free", "on its day"]
"""When a task may begin that nothing holds back any more."""

Stands = Literal["", "fixed", "begun", "done", "dropped"]
"""Why no floor moves a task, if none does."""

DAY_MINUTES = 480
"""A working day where the calendar gives no hours, and where lengths of work are counted in days: eight hours."""

MOST_STEPS = 100_000
MOST_DAYS = 36_500
"""The longest duration, lag or offset, in days: a hundred years."""
MOST_LINKS = 1_000_000
"""Links there may be after those to parents and past what is left out have been multiplied."""

BOX = r"^(\s*[-*+]) \[[ xX]\] "
"""The mark of a box to tick at the head of a line of instructions."""

LARGEST_NUMBER = 2**31 - 1
"""The largest number that every database keeps as the id of a row."""


def number_in(text: str) -> int:
    """The plain number that a text is; 0 for anything else, and for what nothing here is ever numbered.

    >>> number_in("12"), number_in("²"), number_in("-1"), number_in("9" * 30)
    (12, 0, 0, 0)
    """
    return int(text) if text.isascii() and text.isdigit() and len(text) < 11 and int(text) <= LARGEST_NUMBER else 0
