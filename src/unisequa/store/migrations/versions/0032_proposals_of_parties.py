"""A proposal that somebody outside asked for by their link carries their name."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("proposals") as table:
        table.add_column(sa.Column("party", sa.String(200), nullable=False, server_default=""))


def downgrade() -> None:
    with op.batch_alter_table("proposals") as table:
        table.drop_column("party")
