"""Answers of parties outside: links by which they say that a task of theirs is done, or by when."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "party_links",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("task_key", sa.String(length=200), nullable=False),
        sa.Column("who", sa.String(length=200), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_party_links_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_party_links")),
        sa.UniqueConstraint("digest", name=op.f("uq_party_links_digest")),
    )
    op.create_index(op.f("ix_party_links_run_id"), "party_links", ["run_id"], unique=False)


def downgrade() -> None:
    op.drop_table("party_links")
