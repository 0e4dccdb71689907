"""Feeds: calendars that a calendar program asks for by a secret address."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "feeds",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("about_id", sa.Integer(), nullable=True),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("events", sa.Boolean(), nullable=False),
        sa.Column("anchors", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("used_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_feeds_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_feeds")),
        sa.UniqueConstraint("digest", name=op.f("uq_feeds_digest")),
    )
    op.create_index(op.f("ix_feeds_person_id"), "feeds", ["person_id"], unique=False)


def downgrade() -> None:
    op.drop_table("feeds")
