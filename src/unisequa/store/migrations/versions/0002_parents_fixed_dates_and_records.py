"""Sub-steps, fixed dates and what limits are measured by; what a shift changed, to take it back."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("tasks") as table:
        table.add_column(sa.Column("parent", sa.String(length=200), nullable=True))
        table.add_column(sa.Column("fixed", sa.Boolean(), nullable=False, server_default=sa.false()))
        table.add_column(sa.Column("limits", sa.JSON(), nullable=False, server_default="[]"))
        table.add_column(sa.Column("deadlines", sa.JSON(), nullable=False, server_default="[]"))
    with op.batch_alter_table("shifts") as table:
        table.add_column(sa.Column("record", sa.JSON(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("shifts") as table:
        table.drop_column("record")
    with op.batch_alter_table("tasks") as table:
        for name in ("deadlines", "limits", "fixed", "parent"):
            table.drop_column(name)
