"""What a team may do with a template."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "team_rights",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("template_id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.Column("right", sa.String(length=20), nullable=False),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name=op.f("fk_team_rights_template_id_templates"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["team_id"], ["teams.id"], name=op.f("fk_team_rights_team_id_teams"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_team_rights")),
        sa.UniqueConstraint("template_id", "team_id", name=op.f("uq_team_rights_template_id")),
    )
    op.create_index(op.f("ix_team_rights_team_id"), "team_rights", ["team_id"], unique=False)


def downgrade() -> None:
    op.drop_index(op.f("ix_team_rights_team_id"), table_name="team_rights")
    op.drop_table("team_rights")
