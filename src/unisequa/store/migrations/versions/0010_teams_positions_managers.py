"""Teams, positions and managers; and which calendar is the usual one: the first by name until now."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("teams", "positions"):
        op.create_table(
            table,
            sa.Column("id", sa.Integer(), nullable=False),
            sa.Column("name", sa.String(length=200), nullable=False),
            sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
            sa.UniqueConstraint("name", name=op.f(f"uq_{table}_name")),
        )
    op.create_table(
        "team_members",
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["team_id"], ["teams.id"], name=op.f("fk_team_members_team_id_teams"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_team_members_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("team_id", "person_id", name=op.f("pk_team_members")),
    )
    op.create_index(op.f("ix_team_members_person_id"), "team_members", ["person_id"], unique=False)
    with op.batch_alter_table("calendars") as batch:
        batch.add_column(sa.Column("usual", sa.Boolean(), nullable=False, server_default=sa.false()))
    calendars = sa.table("calendars", sa.column("name", sa.String), sa.column("usual", sa.Boolean))
    first = op.get_bind().execute(sa.select(calendars.c.name).order_by(calendars.c.name)).scalar()
    op.get_bind().execute(sa.update(calendars).where(calendars.c.name == first).values(usual=True))
    with op.batch_alter_table("people") as batch:
        batch.add_column(sa.Column("position_id", sa.Integer(), nullable=True))
        batch.add_column(sa.Column("manager_id", sa.Integer(), nullable=True))
        batch.create_foreign_key(
            op.f("fk_people_position_id_positions"), "positions", ["position_id"], ["id"], ondelete="SET NULL"
        )
        batch.create_foreign_key(
            op.f("fk_people_manager_id_people"), "people", ["manager_id"], ["id"], ondelete="SET NULL"
        )


def downgrade() -> None:
    with op.batch_alter_table("calendars") as batch:
        batch.drop_column("usual")
    with op.batch_alter_table("people") as batch:
        batch.drop_constraint(op.f("fk_people_manager_id_people"), type_="foreignkey")
        batch.drop_constraint(op.f("fk_people_position_id_positions"), type_="foreignkey")
        batch.drop_column("manager_id")
        batch.drop_column("position_id")
    op.drop_index(op.f("ix_team_members_person_id"), table_name="team_members")
    op.drop_table("team_members")
    op.drop_table("positions")
    op.drop_table("teams")
