"""Tasks of jobs of hours keep their times beside their days."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("tasks", sa.Column("minutes", sa.JSON(none_as_null=True), nullable=True))


def downgrade() -> None:
    op.drop_column("tasks", "minutes")
