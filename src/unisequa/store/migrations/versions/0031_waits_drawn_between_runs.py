"""What tasks of a run wait for in other runs because somebody has drawn it so is kept with the run."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("runs") as table:
        table.add_column(sa.Column("drawn", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    with op.batch_alter_table("runs") as table:
        table.drop_column("drawn")
