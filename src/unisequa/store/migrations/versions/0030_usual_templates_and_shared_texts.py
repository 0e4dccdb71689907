"""Which subjects a template is usual for and how many messages it has, kept with its editions; texts of messages that
are kept once, under a name; the widths of columns that somebody chose."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("editions") as table:
        table.add_column(sa.Column("usual_for", sa.String(length=200), nullable=False, server_default=""))
        table.add_column(sa.Column("messages", sa.Integer(), nullable=False, server_default="0"))
    editions = sa.table(
        "editions",
        sa.column("id", sa.Integer()),
        sa.column("document", sa.JSON()),
        sa.column("usual_for", sa.String()),
        sa.column("messages", sa.Integer()),
    )
    found = op.get_bind()
    for number, document in found.execute(sa.select(editions.c.id, editions.c.document)).all():
        messages = sum(len(step.get("messages", ())) for step in document.get("steps", ()))
        usual = document.get("usual_for") or ""
        if messages or usual:
            found.execute(
                editions.update().where(editions.c.id == number).values(messages=messages, usual_for=usual[:200])
            )
    with op.batch_alter_table("people") as table:
        table.add_column(sa.Column("widths", sa.JSON(), nullable=False, server_default="{}"))
    op.create_table(
        "shared_texts",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("folded", sa.String(length=200), nullable=False),
        sa.Column("subject", sa.String(length=200), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("owner_id", sa.Integer(), nullable=False),
        sa.Column("changed_at", sa.DateTime(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["owner_id"], ["people.id"], name=op.f("fk_shared_texts_owner_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shared_texts")),
        sa.UniqueConstraint("folded", name=op.f("uq_shared_texts_folded")),
    )


def downgrade() -> None:
    op.drop_table("shared_texts")
    with op.batch_alter_table("people") as table:
        table.drop_column("widths")
    with op.batch_alter_table("editions") as table:
        table.drop_column("messages")
        table.drop_column("usual_for")
