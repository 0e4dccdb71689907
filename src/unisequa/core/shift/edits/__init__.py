"""The edits that a shift is made of, one class a kind. A new kind is named here and nowhere else."""

from unisequa.core.shift.edits.anchors import MoveAnchor, MoveRun
from unisequa.core.shift.edits.closures import Close, NewDays, Reopen
from unisequa.core.shift.edits.dates import Due, Duration, Fix, Free, Give, Move, Remaining
from unisequa.core.shift.edits.edit import Edit, TaskEdit
from unisequa.core.shift.edits.following import Follow, HoldLinks, HoldWaits
from unisequa.core.shift.edits.links import AddLink, RemoveLink
from unisequa.core.shift.edits.states import Begun, CatchUp, Done, Drop, NotDone
from unisequa.core.shift.edits.windows import Window

KINDS: tuple[type[Edit], ...] = (
    Move, Due, Duration, Remaining, Begun, Done, NotDone, Drop, Fix, Free, Give,
    AddLink, RemoveLink, MoveAnchor, Close, Reopen, MoveRun, CatchUp, Window, Follow, HoldLinks,
    HoldWaits, NewDays,
)  # fmt: skip

__all__ = [
    "KINDS", "AddLink", "Begun", "CatchUp", "Close", "Done", "Drop", "Due", "Duration", "Edit", "Fix", "Follow", "Free",
    "Give", "HoldLinks", "HoldWaits", "Move", "MoveAnchor", "MoveRun", "NewDays", "NotDone", "Remaining", "RemoveLink",
    "Reopen", "TaskEdit", "Window",
]  # fmt: skip
