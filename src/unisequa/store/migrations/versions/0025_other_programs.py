"""Other programs: tokens, answers given again, and subjects by the name that another system has for them."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "tokens",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("start", sa.String(length=12), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("scopes", sa.JSON(), nullable=False),
        sa.Column("until", sa.Date(), nullable=True),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("used_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_tokens_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_tokens")),
        sa.UniqueConstraint("digest", name=op.f("uq_tokens_digest")),
    )
    op.create_index(op.f("ix_tokens_person_id"), "tokens", ["person_id"], unique=False)
    op.create_table(
        "answers",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("token_id", sa.Integer(), nullable=False),
        sa.Column("route", sa.String(length=300), nullable=False),
        sa.Column("key", sa.String(length=200), nullable=False),
        sa.Column("asked", sa.String(length=64), nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
        sa.Column("headers", sa.JSON(), nullable=False),
        sa.Column("body", sa.JSON(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["token_id"], ["tokens.id"], name=op.f("fk_answers_token_id_tokens"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_answers")),
        sa.UniqueConstraint("token_id", "route", "key", name=op.f("uq_answers_token_id")),
    )
    op.create_index(op.f("ix_answers_token_id"), "answers", ["token_id"], unique=False)
    op.create_index(op.f("ix_answers_at"), "answers", ["at"], unique=False)
    with op.batch_alter_table("subjects") as table:
        table.add_column(sa.Column("kind", sa.String(length=40), nullable=False, server_default=""))
        table.add_column(sa.Column("ref", sa.String(length=200), nullable=False, server_default=""))
        table.create_index(op.f("ix_subjects_ref"), ["ref"], unique=False)


def downgrade() -> None:
    with op.batch_alter_table("subjects") as table:
        table.drop_index(op.f("ix_subjects_ref"))
        table.drop_column("ref")
        table.drop_column("kind")
    op.drop_table("answers")
    op.drop_table("tokens")
