"""The edits of a shift as the documents that the command line, forms and files have too.

Until now runs were of days only, so every date is a day's number.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

KINDS = {
    "Move": ("move", {"key": "task", "day": "start"}),
    "Due": ("due", {"key": "task", "day": "finish"}),
    "Duration": ("duration", {"key": "task", "slots": "duration"}),
    "Remaining": ("remaining", {"key": "task", "slots": "remaining"}),
    "Begun": ("begun", {"key": "task", "day": "on"}),
    "Done": ("done", {"key": "task", "day": "on"}),
    "NotDone": ("not_done", {"key": "task"}),
    "Drop": ("drop", {"key": "task"}),
    "Fix": ("fix", {"key": "task", "day": "start"}),
    "Free": ("free", {"key": "task"}),
    "Give": ("give", {"key": "task", "calendar": "calendar"}),
    "AddLink": ("link", {"source": "from", "target": "to", "type": "type", "lag": "lag", "unit": "unit"}),
    "RemoveLink": ("unlink", {"source": "from", "target": "to"}),
    "MoveAnchor": ("anchor", {"key": "anchor", "day": "on"}),
    "MoveRun": ("shift", {"days": "by"}),
    "MoveRunTo": ("shift", {"day": "to"}),
    "Close": ("close", {"first": "first", "last": "last", "label": "label"}),
    "Reopen": ("reopen", {"first": "first", "last": "last"}),
    "CatchUp": ("catch_up", {"day": "on"}),
}
DATES = {"day", "first", "last"}
DEFAULTS: tuple[tuple[str, object], ...] = (("type", "FS"), ("lag", 0), ("unit", "working"), ("label", ""))


def document(edit: dict[str, Any]) -> dict[str, Any]:
    """An edit as it was kept, as its document; what is one already stays as it is."""
    if edit.get("kind") not in KINDS:
        return edit
    kind, names = KINDS[edit["kind"]]
    found: dict[str, Any] = {"edit": kind}
    for old, new in names.items():
        value = edit[old]
        if (new, value) not in DEFAULTS:
            found[new] = dt.date.fromordinal(value).isoformat() if old in DATES else value
    if edit.get("reset"):
        found["keep"] = "offsets"
    return found


def upgrade() -> None:
    shifts = sa.table("shifts", sa.column("id", sa.Integer), sa.column("edits", sa.JSON))
    connection = op.get_bind()
    for number, edits in connection.execute(sa.select(shifts.c.id, shifts.c.edits)).all():
        made = [document(edit) for edit in edits]
        connection.execute(shifts.update().where(shifts.c.id == number).values(edits=made))


def downgrade() -> None:
    """The documents stay: nothing before read them."""
