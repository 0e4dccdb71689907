"""What is asked of many at once in columns of its own; versions for two writers; the outbox; what is held for a while.

The summaries of runs are worked out from their tasks after this, by the store.
"""

from __future__ import annotations

import hashlib
import json
import re

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def _digest(document: object) -> str:
    return hashlib.sha256(json.dumps(document, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def _name_key(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or name


def upgrade() -> None:
    with op.batch_alter_table("editions") as table:
        table.add_column(sa.Column("digest", sa.String(length=64), nullable=False, server_default=""))
        table.add_column(sa.Column("name", sa.String(length=200), nullable=False, server_default=""))
        table.add_column(sa.Column("name_key", sa.String(length=200), nullable=False, server_default=""))
        table.add_column(sa.Column("purpose", sa.String(), nullable=False, server_default=""))
        table.add_column(sa.Column("steps", sa.Integer(), nullable=False, server_default="0"))
        table.add_column(sa.Column("days", sa.Integer(), nullable=True))
        table.add_column(sa.Column("includes", sa.Boolean(), nullable=False, server_default=sa.false()))
        table.add_column(sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
        table.create_index(op.f("ix_editions_name_key"), ["name_key"], unique=False)
    with op.batch_alter_table("runs") as table:
        table.add_column(sa.Column("calendars_digest", sa.String(length=64), nullable=False, server_default=""))
        table.add_column(sa.Column("summary", sa.JSON(), nullable=False, server_default="{}"))
    with op.batch_alter_table("tasks") as table:
        table.add_column(sa.Column("person_id", sa.Integer(), nullable=True))
        table.add_column(sa.Column("open_before", sa.Integer(), nullable=False, server_default="0"))
        table.add_column(sa.Column("counts_on", sa.Date(), nullable=True))
        table.create_foreign_key(op.f("fk_tasks_person_id_people"), "people", ["person_id"], ["id"])
        table.create_index(op.f("ix_tasks_person_id"), ["person_id"], unique=False)
    _fill()
    op.create_table(
        "run_phases",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=80), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.Column("tasks", sa.Integer(), nullable=False),
        sa.Column("over", sa.Integer(), nullable=False),
        sa.Column("first_on", sa.Date(), nullable=True),
        sa.Column("last_on", sa.Date(), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_run_phases_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run_phases")),
        sa.UniqueConstraint("run_id", "key", name=op.f("uq_run_phases_run_id")),
    )
    op.create_table(
        "outbox",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=200), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("due_at", sa.DateTime(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_outbox_run_id_runs"), ondelete="SET NULL"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_outbox_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_outbox")),
        sa.UniqueConstraint("key", name=op.f("uq_outbox_key")),
    )
    for column in ("state", "run_id", "person_id"):
        op.create_index(op.f(f"ix_outbox_{column}"), "outbox", [column], unique=False)
    op.create_table(
        "held",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_held_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_held")),
        sa.UniqueConstraint("kind", "person_id", "name", name=op.f("uq_held_kind")),
    )
    op.create_table(
        "presence",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("template_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("step", sa.String(length=200), nullable=False),
        sa.Column("seen", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name=op.f("fk_presence_template_id_templates"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_presence_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_presence")),
        sa.UniqueConstraint("template_id", "person_id", name=op.f("uq_presence_template_id")),
    )


def _fill() -> None:
    """What the documents say, in their columns; who does a task."""
    connection = op.get_bind()
    editions = sa.table(
        "editions",
        *(sa.column(name, sa.String) for name in ("digest", "name", "name_key", "purpose")),
        *(sa.column(name, sa.Integer) for name in ("id", "steps")),
        sa.column("document", sa.JSON),
        sa.column("includes", sa.Boolean),
    )
    for number, document in connection.execute(sa.select(editions.c.id, editions.c.document)).all():
        name = document["name"]
        values = {
            "digest": _digest(document), "name": name, "name_key": _name_key(name),
            "steps": len(document.get("steps", [])), "purpose": document.get("purpose", ""),
            "includes": bool(document.get("includes")),
        }  # fmt: skip
        connection.execute(editions.update().where(editions.c.id == number).values(**values))
    runs = sa.table(
        "runs",
        sa.column("id", sa.Integer),
        sa.column("calendars", sa.JSON),
        sa.column("calendars_digest", sa.String),
    )
    for number, calendars in connection.execute(sa.select(runs.c.id, runs.c.calendars)).all():
        connection.execute(runs.update().where(runs.c.id == number).values(calendars_digest=_digest(calendars)))


def downgrade() -> None:
    for name in ("presence", "held", "outbox", "run_phases"):
        op.drop_table(name)
    with op.batch_alter_table("tasks") as table:
        table.drop_index(op.f("ix_tasks_person_id"))
        table.drop_constraint(op.f("fk_tasks_person_id_people"), type_="foreignkey")
        for column in ("person_id", "open_before", "counts_on"):
            table.drop_column(column)
    with op.batch_alter_table("runs") as table:
        for column in ("calendars_digest", "summary"):
            table.drop_column(column)
    with op.batch_alter_table("editions") as table:
        table.drop_index(op.f("ix_editions_name_key"))
        for column in ("digest", "name", "name_key", "purpose", "steps", "days", "includes", "version"):
            table.drop_column(column)
