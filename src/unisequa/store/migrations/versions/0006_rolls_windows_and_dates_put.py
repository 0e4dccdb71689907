"""Rolls written out where they were left out, windows of phases, ties, and dates that a person has put.

A measure without a roll used to mean ``following``; now a negative offset without one means ``preceding``, so what was
meant is written into everything kept. What a person has put is read from the shifts that still hold.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def _digest(document: object) -> str:
    return hashlib.sha256(json.dumps(document, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def rolled(kept: Any) -> Any:
    """A kept document with ``following`` in each measure that says no roll; the label of a day has none."""
    if isinstance(kept, list):
        return [rolled(item) for item in kept]
    if not isinstance(kept, dict):
        return kept
    made = {key: rolled(value) for key, value in kept.items()}
    measure = "anchor" in made and ("offset" in made or "unit" in made) and "label" not in made and "step" not in made
    if measure and "roll" not in made:
        offset = made.get("offset", 0)
        back = offset < 0 if isinstance(offset, int) else str(offset).lstrip()[:1] in {"-", "−"}
        if back or made.get("unit", "working days") != "working days":
            made["roll"] = "following"
    return made


def upgrade() -> None:
    with op.batch_alter_table("runs") as table:
        table.add_column(sa.Column("windows", sa.JSON(), nullable=False, server_default="[]"))
        table.add_column(sa.Column("ties", sa.JSON(), nullable=False, server_default="{}"))
        table.add_column(sa.Column("follow", sa.String(length=10), nullable=False, server_default="ask"))
    with op.batch_alter_table("tasks") as table:
        table.add_column(sa.Column("put", sa.Boolean(), nullable=False, server_default=sa.false()))
        table.add_column(sa.Column("ready", sa.String(length=20), nullable=False, server_default="when free"))
    _roll()
    _put()


def _roll() -> None:
    connection = op.get_bind()
    editions = sa.table(
        "editions", sa.column("id", sa.Integer), sa.column("document", sa.JSON), sa.column("digest", sa.String)
    )
    for number, document in connection.execute(sa.select(editions.c.id, editions.c.document)).all():
        made = rolled(document)
        if made != document:
            said = {"document": made, "digest": _digest(made)}
            connection.execute(editions.update().where(editions.c.id == number).values(said))
    for name, column in (("template_edits", "difference"), ("held", "content")):
        table = sa.table(name, sa.column("id", sa.Integer), sa.column(column, sa.JSON))
        for number, content in connection.execute(sa.select(table.c.id, table.c[column])).all():
            made = rolled(content)
            if made != content:
                connection.execute(table.update().where(table.c.id == number).values({column: made}))
    tasks = sa.table(
        "tasks",
        sa.column("id", sa.Integer),
        sa.column("measured", sa.JSON(none_as_null=True)),
        sa.column("limits", sa.JSON),
        sa.column("deadlines", sa.JSON),
    )
    kept = sa.select(tasks.c.id, tasks.c.measured, tasks.c.limits, tasks.c.deadlines)
    for number, measured, limits, deadlines in connection.execute(kept).all():
        values: dict[str, Any] = {}
        for column, value in (("measured", measured), ("limits", limits), ("deadlines", deadlines)):
            made = _with_rolls(value)
            if made != value:
                values[column] = made
        if values:
            connection.execute(tasks.update().where(tasks.c.id == number).values(values))


def _with_rolls(kept: Any) -> Any:
    """The measures of a task, each with its roll."""
    if isinstance(kept, list):
        return [_with_rolls(item) for item in kept]
    return {"roll": "following", **kept} if isinstance(kept, dict) else kept


def _put() -> None:
    """Mark what a person has moved or set a due date for, where nothing has given it back since."""
    connection = op.get_bind()
    shifts = sa.table(
        "shifts",
        sa.column("run_id", sa.Integer),
        sa.column("number", sa.Integer),
        sa.column("edits", sa.JSON),
        sa.column("taken_back_at", sa.DateTime),
    )
    put: set[tuple[int, str]] = set()
    held = sa.select(shifts.c.run_id, shifts.c.edits).where(shifts.c.taken_back_at.is_(None))
    for run, edits in connection.execute(held.order_by(shifts.c.run_id, shifts.c.number)).all():
        for edit in edits:
            if edit.get("edit") in {"move", "due", "remaining"}:
                put.add((run, edit["task"]))
            elif edit.get("edit") in {"free", "fix", "drop", "done", "not_done"}:
                put.discard((run, edit["task"]))
    tasks = sa.table(
        "tasks", sa.column("run_id", sa.Integer), sa.column("key", sa.String), sa.column("put", sa.Boolean)
    )
    for run, key in sorted(put):
        connection.execute(tasks.update().where(tasks.c.run_id == run, tasks.c.key == key).values(put=True))


def downgrade() -> None:
    with op.batch_alter_table("tasks") as table:
        table.drop_column("ready")
        table.drop_column("put")
    with op.batch_alter_table("runs") as table:
        table.drop_column("follow")
        table.drop_column("ties")
        table.drop_column("windows")
