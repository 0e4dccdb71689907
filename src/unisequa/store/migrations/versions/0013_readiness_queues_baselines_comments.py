"""When tasks are ready, in whose queue they lie, who signs them off; what was planned, written, proposed and done.

What is kept of runs is emptied, so that the next start works it out anew.
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

PEOPLE = ("recorded_by_id", "assigned_id", "signer_id")
KEPT = ("person_id", "signer_id", "team_id")


def _of_run(name: str, *columns: sa.schema.SchemaItem, index: bool = True) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        *columns,
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f(f"fk_{name}_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f(f"fk_{name}_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    if index:
        op.create_index(op.f(f"ix_{name}_run_id"), name, ["run_id"], unique=False)


def upgrade() -> None:
    op.drop_index("ix_tasks_person_id", table_name="tasks")
    with op.batch_alter_table("tasks") as batch:
        batch.drop_column("open_before")
        batch.add_column(sa.Column("signed_on", sa.Date(), nullable=True))
        batch.add_column(sa.Column("ready_on", sa.Date(), nullable=True))
        batch.add_column(sa.Column("before", sa.JSON(none_as_null=True), nullable=True))
        batch.add_column(sa.Column("checked", sa.JSON(), nullable=False, server_default="[]"))
        for column in PEOPLE:
            batch.add_column(sa.Column(column, sa.Integer(), nullable=True))
            batch.create_foreign_key(op.f(f"fk_tasks_{column}_people"), "people", [column], ["id"])
        batch.add_column(sa.Column("team_id", sa.Integer(), nullable=True))
        batch.create_foreign_key(op.f("fk_tasks_team_id_teams"), "teams", ["team_id"], ["id"], ondelete="SET NULL")
    for column in KEPT:
        op.create_index(f"ix_tasks_{column}", "tasks", [column, "state"], unique=False)
    op.create_index("ix_tasks_assigned_id", "tasks", ["assigned_id"], unique=False)
    with op.batch_alter_table("crew") as batch:
        batch.add_column(sa.Column("team_id", sa.Integer(), nullable=True))
        batch.create_foreign_key(op.f("fk_crew_team_id_teams"), "teams", ["team_id"], ["id"], ondelete="SET NULL")
    op.create_index(op.f("ix_crew_team_id"), "crew", ["team_id"], unique=False)
    with op.batch_alter_table("runs") as batch:
        batch.add_column(sa.Column("opens_on", sa.Date(), nullable=True))
        batch.add_column(sa.Column("held_on", sa.Date(), nullable=True))
    op.create_table(
        "deputies",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_deputies_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_deputies_person_id_people")),
        sa.PrimaryKeyConstraint("run_id", "person_id", name=op.f("pk_deputies")),
    )
    op.create_index(op.f("ix_deputies_person_id"), "deputies", ["person_id"], unique=False)
    op.create_table(
        "waits",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("template_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_waits_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["template_id"], ["templates.id"], name=op.f("fk_waits_template_id_templates")),
        sa.PrimaryKeyConstraint("run_id", "template_id", name=op.f("pk_waits")),
    )
    op.create_index(op.f("ix_waits_template_id"), "waits", ["template_id"], unique=False)
    _of_run(
        "baselines",
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("dates", sa.JSON(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("run_id", "number", name=op.f("uq_baselines_run_id")),
        index=False,
    )
    _of_run(
        "acts",
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("shift", sa.Integer(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("undone_at", sa.DateTime(), nullable=True),
    )
    _of_run(
        "comments",
        sa.Column("task_key", sa.String(length=200), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("text", sa.String(length=4000), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "mentions",
        sa.Column("comment_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["comment_id"], ["comments.id"], name=op.f("fk_mentions_comment_id_comments"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_mentions_person_id_people")),
        sa.PrimaryKeyConstraint("comment_id", "person_id", name=op.f("pk_mentions")),
    )
    op.create_index(op.f("ix_mentions_person_id"), "mentions", ["person_id"], unique=False)
    _of_run(
        "proposals",
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("task_key", sa.String(length=200), nullable=True),
        sa.Column("edits", sa.JSON(), nullable=False),
        sa.Column("mode", sa.String(length=10), nullable=False),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("why", sa.String(length=2000), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("answer", sa.String(length=2000), nullable=False),
        sa.Column("answered_at", sa.DateTime(), nullable=True),
        sa.Column("answered_by_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["answered_by_id"], ["people.id"], name=op.f("fk_proposals_answered_by_id_people")),
    )
    runs = sa.table("runs", sa.column("summary", sa.JSON))
    op.get_bind().execute(sa.update(runs).values(summary={}))


def downgrade() -> None:
    op.drop_index(op.f("ix_mentions_person_id"), table_name="mentions")
    op.drop_table("mentions")
    for table in ("proposals", "comments", "acts"):
        op.drop_index(op.f(f"ix_{table}_run_id"), table_name=table)
        op.drop_table(table)
    op.drop_table("baselines")
    op.drop_index(op.f("ix_waits_template_id"), table_name="waits")
    op.drop_table("waits")
    op.drop_index(op.f("ix_deputies_person_id"), table_name="deputies")
    op.drop_table("deputies")
    with op.batch_alter_table("runs") as batch:
        batch.drop_column("held_on")
        batch.drop_column("opens_on")
    op.drop_index(op.f("ix_crew_team_id"), table_name="crew")
    with op.batch_alter_table("crew") as batch:
        batch.drop_constraint(op.f("fk_crew_team_id_teams"), type_="foreignkey")
        batch.drop_column("team_id")
    for column in (*KEPT, "assigned_id"):
        op.drop_index(f"ix_tasks_{column}", table_name="tasks")
    with op.batch_alter_table("tasks") as batch:
        batch.drop_constraint(op.f("fk_tasks_team_id_teams"), type_="foreignkey")
        batch.drop_column("team_id")
        for column in PEOPLE:
            batch.drop_constraint(op.f(f"fk_tasks_{column}_people"), type_="foreignkey")
            batch.drop_column(column)
        for column in ("checked", "before", "ready_on", "signed_on"):
            batch.drop_column(column)
        batch.add_column(sa.Column("open_before", sa.Integer(), nullable=False, server_default="0"))
    op.create_index("ix_tasks_person_id", "tasks", ["person_id"], unique=False)
