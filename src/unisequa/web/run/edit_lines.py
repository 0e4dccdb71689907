"""The edits of a shift in its tray: each said in words around the value that is typed into, or only said."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from unisequa.core.calendars.grid import span_text
from unisequa.core.calendars.words import day_words, slot_words
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import (
    Close,
    Due,
    Duration,
    Edit,
    Fix,
    Move,
    MoveAnchor,
    MoveRun,
    Remaining,
    Reopen,
    Window,
)
from unisequa.core.shift.edits.saying import said_of


@dataclass(frozen=True, slots=True)
class EditLine:
    """One of the shift's edits, with its number; ``key`` is its task.

    ``kind`` and ``about`` are what an edit typed in its place is of, ``value`` what stands in the field, between the
    words ``what`` and ``behind``, ``also`` what is kept beside it; without a kind it is only said.
    """

    number: int
    of: str
    what: str
    key: str
    kind: str = ""
    about: str = ""
    value: str = ""
    behind: str = ""
    also: str = ""


def edit_lines(edits: Sequence[Edit], plan: Plan, rolled: Sequence[str]) -> Iterator[EditLine]:
    """A line an edit; ``rolled`` says of each what became of a day off."""
    for number, (edit, more) in enumerate(zip(edits, rolled, strict=True), 1):
        of, said = said_of(edit, plan)
        found = _typed_back(edit, plan)
        if found is None:
            yield EditLine(number, of, said + more, edit.task or "")
            continue
        kind, about, lead, value, behind = found
        of = "Days" if isinstance(edit, Close | Reopen) else of
        also = edit.label if isinstance(edit, Close) else ""
        yield EditLine(number, of, lead, edit.task or "", kind, about, value, behind + more, also)


def _typed_back(edit: Edit, plan: Plan) -> tuple[str, str, str, str, str] | None:
    """Kind, what it is of, the words before, the value as it is typed, the words behind."""
    grid = plan.grid

    def date(at: int) -> str:
        return slot_words(at, grid, year=True)

    def days(first: int, last: int) -> str:
        ends = dict.fromkeys((day_words(first, year=True), day_words(last, year=True)))
        return " to ".join(ends)

    def slots(n: int) -> str:
        return str(n) if grid.per_day == 1 else span_text(n)

    match edit:
        case MoveAnchor():
            was = plan.anchors.get(edit.anchor)
            back = edit.keep == "offsets"
            lead = f"{plan.dates_in_words()[was]} →" if was is not None else "on"
            return ("offsets" if back else "anchor", edit.anchor, lead, date(edit.day),
                    "back to the template’s offsets" if back else "keeping distances")  # fmt: skip
        case MoveRun(by=None):
            return "run", "", "from", date(edit.to or grid.first), ""
        case MoveRun():
            return "run", "", "by", f"{edit.by or 0:+d}", "working days"
        case Close() | Reopen():
            kind, behind = (
                ("close", f": {edit.label}" if edit.label else "") if isinstance(edit, Close) else ("reopen", "")
            )
            return kind, "", "closed" if kind == "close" else "worked", days(edit.first, edit.last), behind
        case Window():
            return "window", edit.phase, "", days(edit.first, edit.last), ""
        case Move():
            return "move", edit.key, "from", date(edit.day), ""
        case Due():
            return "due", edit.key, "due", date(edit.day), ""
        case Fix():
            return "fix", edit.key, "fixed on", date(edit.day), ""
        case Duration():
            return "duration", edit.key, "takes", slots(edit.slots), "working days" if grid.per_day == 1 else ""
        case Remaining():
            work = "" if edit.left is None else f", {span_text(edit.left)}"
            return "remaining", edit.key, "", f"{slots(edit.slots)}{work}", "left"
        case _:
            return None
