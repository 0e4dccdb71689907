"""Views of runs that people have named."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "views",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("query", sa.String(length=500), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_views_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_views")),
        sa.UniqueConstraint("person_id", "name", name=op.f("uq_views_person_id")),
    )


def downgrade() -> None:
    op.drop_table("views")
