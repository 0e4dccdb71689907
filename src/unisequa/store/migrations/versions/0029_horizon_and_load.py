"""Runs in a line for the horizon; hours of people, pieces and what is left of work; what levelling says."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "run_lines",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("as_of", sa.Date(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=True),
        sa.Column("last", sa.Integer(), nullable=True),
        sa.Column("expected", sa.Integer(), nullable=True),
        sa.Column("deadline", sa.Integer(), nullable=True),
        sa.Column("standing", sa.String(length=20), nullable=False),
        sa.Column("reason", sa.String(length=400), nullable=False),
        sa.Column("ahead", sa.Integer(), nullable=False),
        sa.Column("mark", sa.Integer(), nullable=True),
        sa.Column("tasks", sa.Integer(), nullable=False),
        sa.Column("over", sa.Integer(), nullable=False),
        sa.Column("late", sa.Integer(), nullable=False),
        sa.Column("slack", sa.Integer(), nullable=True),
        sa.Column("phase", sa.String(length=80), nullable=False),
        sa.Column("phases", sa.JSON(), nullable=False),
        sa.Column("anchors", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_run_lines_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_run_lines")),
    )
    op.create_index(op.f("ix_run_lines_as_of"), "run_lines", ["as_of"], unique=False)
    with op.batch_alter_table("people") as table:
        table.add_column(sa.Column("calendar_id", sa.Integer(), nullable=True))
        table.add_column(sa.Column("share", sa.Integer(), nullable=False, server_default="100"))
        table.create_foreign_key(
            op.f("fk_people_calendar_id_calendars"), "calendars", ["calendar_id"], ["id"], ondelete="SET NULL"
        )
    with op.batch_alter_table("tasks") as table:
        table.add_column(sa.Column("chunk", sa.String(length=20), nullable=True))
        table.add_column(sa.Column("left", sa.Integer(), nullable=True))
    op.create_table(
        "levels",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("rests_on", sa.String(length=200), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_levels")),
    )
    op.create_table(
        "no_time",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("task_key", sa.String(length=200), nullable=False),
        sa.Column("title", sa.String(length=400), nullable=False),
        sa.Column("until_on", sa.Date(), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("words", sa.String(length=1000), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_no_time_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_no_time_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_no_time")),
    )
    for column in ("run_id", "person_id"):
        op.create_index(op.f(f"ix_no_time_{column}"), "no_time", [column], unique=False)


def downgrade() -> None:
    for column in ("run_id", "person_id"):
        op.drop_index(op.f(f"ix_no_time_{column}"), table_name="no_time")
    op.drop_table("no_time")
    op.drop_table("levels")
    with op.batch_alter_table("tasks") as table:
        table.drop_column("left")
        table.drop_column("chunk")
    with op.batch_alter_table("people") as table:
        table.drop_constraint(op.f("fk_people_calendar_id_calendars"), type_="foreignkey")
        table.drop_column("share")
        table.drop_column("calendar_id")
    op.drop_index(op.f("ix_run_lines_as_of"), table_name="run_lines")
    op.drop_table("run_lines")
