"""One person may have a draft open in several windows: each is seen by the other, and undoes what was done in it."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("DELETE FROM presence")  # who is here says so again within seconds
    with op.batch_alter_table("presence") as table:
        table.add_column(sa.Column("window", sa.String(length=40), nullable=False, server_default=""))
        table.drop_constraint("uq_presence_template_id", type_="unique")
        table.create_unique_constraint("uq_presence_template_id", ["template_id", "person_id", "window"])
    with op.batch_alter_table("template_edits") as table:
        table.add_column(sa.Column("window", sa.String(length=40), nullable=False, server_default=""))


def downgrade() -> None:
    op.execute("DELETE FROM presence")
    with op.batch_alter_table("template_edits") as table:
        table.drop_column("window")
    with op.batch_alter_table("presence") as table:
        table.drop_constraint("uq_presence_template_id", type_="unique")
        table.create_unique_constraint("uq_presence_template_id", ["template_id", "person_id"])
        table.drop_column("window")
