"""An edit in words: what it is of, and what it asks for, in its tray, in histories and in messages."""

from __future__ import annotations

from typing import NamedTuple

from unisequa.core.calendars.grid import span_text
from unisequa.core.calendars.words import count_words, hours_words
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits.anchors import MoveAnchor, MoveRun
from unisequa.core.shift.edits.closures import Close, NewDays, Reopen
from unisequa.core.shift.edits.dates import Due, Duration, Fix, Free, Give, Move, Remaining
from unisequa.core.shift.edits.edit import Edit
from unisequa.core.shift.edits.following import Follow, HoldLinks, HoldWaits
from unisequa.core.shift.edits.links import AddLink, RemoveLink
from unisequa.core.shift.edits.states import Begun, CatchUp, Done, Drop, NotDone
from unisequa.core.shift.edits.windows import Window
from unisequa.core.terms import LinkType

_TYPES: dict[LinkType, str] = {
    "FS": "follows", "SS": "starts with", "FF": "ends with", "SF": "ends after the start of",
}  # fmt: skip


class Said(NamedTuple):
    """What an edit is of, and what it asks for: ``Objects packed``, ``from Fri 8 Jan``."""

    of: str
    what: str


def said_of(edit: Edit, plan: Plan, *, past: bool = False) -> Said:
    """An edit in words; ``plan`` is the run as it was before it, or as it is now where that is ``past``."""
    grid, said = plan.grid, plan.dates_in_words()

    def title(key: str) -> str:
        at = plan.positions.get(key)
        return key if at is None else plan.tasks[at].title

    def slots(n: int) -> str:
        return f"{n} d" if grid.per_day == 1 else span_text(n)

    match edit:
        case MoveAnchor():
            was = plan.anchors.get(edit.anchor)
            words = said[edit.day] if was is None or past else " → ".join(said.both(was, edit.day))
            back = ", back to the template’s offsets" if edit.keep == "offsets" else ""
            return Said(plan.labels.get(edit.anchor, edit.anchor), f"{words}{back}")
        case MoveRun(by=None):
            return Said("The whole run", f"from {said[edit.to or grid.first]}")
        case MoveRun():
            days = edit.by or 0
            return Said("The whole run", f"{'+' if days > 0 else '−'}{count_words(abs(days), 'working day')}")
        case Close() | Reopen():
            verb = "closed" if isinstance(edit, Close) else "worked"
            label = f": {edit.label}" if edit.label else ""
            return Said(said.of_days.span(edit.first, edit.last), f"{verb}{label}")
        case NewDays():
            return Said(f"The calendar {edit.document.name}", "as it is kept now")
        case Window():
            label = next((phase.label for phase in plan.phases if phase.key == edit.phase), edit.phase)
            return Said(label, said.of_days.span(edit.first, edit.last))
        case CatchUp():
            return Said("Catch up", f"nothing unfinished before {said[edit.day]}")
        case HoldLinks():
            return Said("What no longer holds", "to where it may be")
        case HoldWaits():
            return Said(title(edit.key), "to where what it waits for lets it")
        case AddLink():
            lag = f" {'+' if edit.lag > 0 else '−'}{slots(abs(edit.lag))}" if edit.lag else ""
            unit = " elapsed" if edit.unit == "elapsed" and edit.lag else ""
            return Said(title(edit.target), f"{_TYPES[edit.type]} {title(edit.source)}{lag}{unit}")
        case RemoveLink():
            return Said(title(edit.target), f"no longer follows {title(edit.source)}")
        case Follow():
            return Said(f"What follows {title(edit.key)}", "as it may")
        case Move():
            return Said(title(edit.key), f"from {said[edit.day]}")
        case Due():
            return Said(title(edit.key), f"due {said[edit.day]}")
        case Fix():
            return Said(title(edit.key), f"fixed on {said[edit.day]}")
        case Duration():
            return Said(title(edit.key), f"takes {slots(edit.slots)}")
        case Remaining():
            work = "" if edit.left is None else f", {hours_words(edit.left)} of work"
            return Said(title(edit.key), f"{slots(edit.slots)} left{work}")
        case Begun() | Done():
            return Said(title(edit.key), f"{edit.kind} {said[edit.day]}")
        case NotDone():
            return Said(title(edit.key), "not done")
        case Drop():
            return Said(title(edit.key), f"dropped{': ' + edit.why if edit.why else ''}")
        case Free():
            return Said(title(edit.key), "may move again")
        case Give():
            ways = (f"to {edit.person}" * bool(edit.person), f"by the calendar {edit.calendar}" * bool(edit.calendar))
            return Said(title(edit.key), ", ".join(way for way in ways if way))
        case _:
            return Said(title(edit.task or ""), edit.kind)
