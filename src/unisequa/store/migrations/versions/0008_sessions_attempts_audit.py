"""Sessions that can be seen and ended, guesses at passwords, and what was done with accounts."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sessions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("begun_at", sa.DateTime(), nullable=False),
        sa.Column("seen_at", sa.DateTime(), nullable=False),
        sa.Column("source", sa.String(length=80), nullable=False),
        sa.Column("agent", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_sessions_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sessions")),
        sa.UniqueConstraint("digest", name=op.f("uq_sessions_digest")),
    )
    op.create_index(op.f("ix_sessions_person_id"), "sessions", ["person_id"], unique=False)
    op.create_table(
        "attempts",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=300), nullable=False),
        sa.Column("fails", sa.Integer(), nullable=False),
        sa.Column("until", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_attempts")),
        sa.UniqueConstraint("key", name=op.f("uq_attempts_key")),
    )
    op.create_table(
        "audit",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("what", sa.String(length=40), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("text", sa.String(length=500), nullable=False),
        sa.Column("source", sa.String(length=80), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_audit_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit")),
    )


def downgrade() -> None:
    op.drop_table("audit")
    op.drop_table("attempts")
    op.drop_index(op.f("ix_sessions_person_id"), table_name="sessions")
    op.drop_table("sessions")
