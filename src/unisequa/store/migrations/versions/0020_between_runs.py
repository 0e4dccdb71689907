"""Which tasks wait for which of other runs is kept; what a shift or an act brought about elsewhere knows its cause."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "awaited",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=200), nullable=False),
        sa.Column("of_run_id", sa.Integer(), nullable=False),
        sa.Column("of_key", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_awaited_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["of_run_id"], ["runs.id"], name=op.f("fk_awaited_of_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "key", "of_run_id", "of_key", name=op.f("pk_awaited")),
    )
    op.create_index(op.f("ix_awaited_of_run_id"), "awaited", ["of_run_id"])
    for table in ("shifts", "proposals"):
        op.add_column(table, sa.Column("cause", sa.String(length=60), nullable=True))
        op.create_index(op.f(f"ix_{table}_cause"), table, ["cause"])
    # What runs wait for is found out, and their summaries written anew, when the store is next opened.
    op.execute("UPDATE runs SET summary = '{}' WHERE id IN (SELECT run_id FROM waits)")


def downgrade() -> None:
    for table in ("shifts", "proposals"):
        op.drop_index(op.f(f"ix_{table}_cause"), table)
        op.drop_column(table, "cause")
    op.drop_table("awaited")
