"""Files kept with tasks of runs."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "task_files",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("task_key", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_task_files_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_task_files_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_task_files")),
    )
    op.create_index(op.f("ix_task_files_run_id"), "task_files", ["run_id"], unique=False)


def downgrade() -> None:
    op.drop_index(op.f("ix_task_files_run_id"), table_name="task_files")
    op.drop_table("task_files")
