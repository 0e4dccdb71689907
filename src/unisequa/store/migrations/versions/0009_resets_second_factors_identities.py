"""Passwords reset by a link, second factors with recovery codes, and who somebody is to a sign-in elsewhere."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("people", sa.Column("second_factor", sa.String(length=64), nullable=False, server_default=""))
    op.add_column("people", sa.Column("second_factor_used", sa.Integer(), nullable=False, server_default="0"))
    for table, more in (
        ("resets", [sa.Column("until", sa.DateTime(), nullable=False)]),
        ("recovery_codes", []),
    ):
        op.create_table(
            table,
            sa.Column("id", sa.Integer(), nullable=False),
            sa.Column("digest", sa.String(length=64), nullable=False),
            sa.Column("person_id", sa.Integer(), nullable=False),
            *more,
            sa.ForeignKeyConstraint(
                ["person_id"], ["people.id"], name=op.f(f"fk_{table}_person_id_people"), ondelete="CASCADE"
            ),
            sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
            sa.UniqueConstraint("digest", name=op.f(f"uq_{table}_digest")),
        )
        op.create_index(op.f(f"ix_{table}_person_id"), table, ["person_id"], unique=False)
    op.create_table(
        "identities",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("issuer", sa.String(length=300), nullable=False),
        sa.Column("subject", sa.String(length=255), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_identities_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_identities")),
        sa.UniqueConstraint("issuer", "subject", name=op.f("uq_identities_issuer")),
    )
    op.create_index(op.f("ix_identities_person_id"), "identities", ["person_id"], unique=False)


def downgrade() -> None:
    for table in ("identities", "recovery_codes", "resets"):
        op.drop_index(op.f(f"ix_{table}_person_id"), table_name=table)
        op.drop_table(table)
    with op.batch_alter_table("people") as batch:
        batch.drop_column("second_factor_used")
        batch.drop_column("second_factor")
