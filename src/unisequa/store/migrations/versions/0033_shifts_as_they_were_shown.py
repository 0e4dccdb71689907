"""What was shown of a shift when it was applied is kept with it, so that its history tells the same."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("shifts") as table:
        table.add_column(sa.Column("shown", sa.JSON(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("shifts") as table:
        table.drop_column("shown")
