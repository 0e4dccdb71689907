"""Shifts that are not applied are kept for whoever makes them."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "shifts_in_hand",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("held", sa.JSON(), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("behind", sa.JSON(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_shifts_in_hand_person_id_people"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["run_id"], ["runs.id"], name=op.f("fk_shifts_in_hand_run_id_runs"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shifts_in_hand")),
        sa.UniqueConstraint("run_id", "person_id", "name", name=op.f("uq_shifts_in_hand_run_id")),
    )
    op.create_index(op.f("ix_shifts_in_hand_person_id"), "shifts_in_hand", ["person_id"])


def downgrade() -> None:
    op.drop_table("shifts_in_hand")
