"""Templates are found by their tags: kept with their editions, so that a list need not read every document."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("editions") as table:
        table.add_column(sa.Column("tags", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    with op.batch_alter_table("editions") as table:
        table.drop_column("tags")
