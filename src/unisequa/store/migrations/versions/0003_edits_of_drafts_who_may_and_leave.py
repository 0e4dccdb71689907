"""The edits of a draft, so that each can be taken back; who may edit, start and look; leave; the editions that an
edition includes."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("templates") as table:
        table.add_column(sa.Column("open_to", sa.String(length=10), nullable=False, server_default="start"))
    for name in ("editions", "runs"):
        with op.batch_alter_table(name) as table:
            table.add_column(sa.Column("pins", sa.JSON(), nullable=True))
    op.create_table(
        "template_edits",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("edition_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("text", sa.String(length=2000), nullable=False),
        sa.Column("difference", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["edition_id"], ["editions.id"], name=op.f("fk_template_edits_edition_id_editions"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_template_edits_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_template_edits")),
    )
    with op.batch_alter_table("template_edits") as table:
        table.create_index(op.f("ix_template_edits_edition_id"), ["edition_id"], unique=False)
    op.create_table(
        "template_rights",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("template_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("right", sa.String(length=10), nullable=False),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name=op.f("fk_template_rights_template_id_templates"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_template_rights_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_template_rights")),
        sa.UniqueConstraint("template_id", "person_id", name=op.f("uq_template_rights_template_id")),
    )
    op.create_table(
        "leave",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("first_on", sa.Date(), nullable=False),
        sa.Column("last_on", sa.Date(), nullable=False),
        sa.Column("label", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_leave_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_leave")),
    )
    with op.batch_alter_table("leave") as table:
        table.create_index(op.f("ix_leave_person_id"), ["person_id"], unique=False)


def downgrade() -> None:
    op.drop_table("leave")
    op.drop_table("template_rights")
    op.drop_table("template_edits")
    for name, column in (("runs", "pins"), ("editions", "pins"), ("templates", "open_to")):
        with op.batch_alter_table(name) as table:
            table.drop_column(column)
