"""What happens by itself: rules, what is due when, and messages in lines that each person chooses."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rules",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("template_id", sa.Integer(), nullable=True),
        sa.Column("of_template_id", sa.Integer(), nullable=True),
        sa.Column("event", sa.String(length=40), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("on_since", sa.DateTime(), nullable=True),
        sa.Column("by_id", sa.Integer(), nullable=False),
        sa.Column("keeper_id", sa.Integer(), nullable=True),
        sa.Column("stopped", sa.String(length=500), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["template_id"], ["templates.id"], name=op.f("fk_rules_template_id_templates")),
        sa.ForeignKeyConstraint(["of_template_id"], ["templates.id"], name=op.f("fk_rules_of_template_id_templates")),
        sa.ForeignKeyConstraint(["by_id"], ["people.id"], name=op.f("fk_rules_by_id_people")),
        sa.ForeignKeyConstraint(["keeper_id"], ["people.id"], name=op.f("fk_rules_keeper_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rules")),
    )
    for column in ("template_id", "of_template_id", "event", "state"):
        op.create_index(op.f(f"ix_rules_{column}"), "rules", [column], unique=False)
    with op.batch_alter_table("runs") as table:
        table.add_column(sa.Column("rule_id", sa.Integer(), nullable=True))
        table.add_column(sa.Column("origin", sa.JSON(), nullable=True))
        table.create_foreign_key(op.f("fk_runs_rule_id_rules"), "rules", ["rule_id"], ["id"], ondelete="SET NULL")
        table.create_index(op.f("ix_runs_rule_id"), ["rule_id"], unique=False)
    op.create_table(
        "due",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=200), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("try_at", sa.DateTime(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("error", sa.String(length=1000), nullable=False),
        sa.Column("told", sa.String(length=1000), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("rule_id", sa.Integer(), nullable=True),
        sa.Column("run_id", sa.Integer(), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("done_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["rule_id"], ["rules.id"], name=op.f("fk_due_rule_id_rules"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_due_run_id_runs"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_due_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_due")),
        sa.UniqueConstraint("key", name=op.f("uq_due_key")),
    )
    op.create_index("ix_due_state", "due", ["state", "try_at"], unique=False)
    for column in ("rule_id", "run_id"):
        op.create_index(op.f(f"ix_due_{column}"), "due", [column], unique=False)
    with op.batch_alter_table("outbox") as table:
        table.add_column(sa.Column("line", sa.String(length=20), nullable=False, server_default=""))
        table.add_column(sa.Column("how", sa.String(length=10), nullable=False, server_default=""))
        table.add_column(sa.Column("sent_in", sa.String(length=200), nullable=True))
        table.add_column(sa.Column("task_key", sa.String(length=200), nullable=True))
        table.add_column(sa.Column("left_at", sa.DateTime(), nullable=True))
        table.add_column(sa.Column("error", sa.String(length=500), nullable=False, server_default=""))
        table.create_index(op.f("ix_outbox_sent_in"), ["sent_in"], unique=False)
        table.create_index("ix_outbox_leaves", ["kind", "state", "due_at"], unique=False)
    with op.batch_alter_table("people") as table:
        table.add_column(sa.Column("phone", sa.String(length=40), nullable=False, server_default=""))
        table.add_column(sa.Column("notices", sa.JSON(), nullable=False, server_default="{}"))
        table.add_column(sa.Column("unseen", sa.Integer(), nullable=False, server_default="0"))


def downgrade() -> None:
    with op.batch_alter_table("people") as table:
        for column in ("unseen", "notices", "phone"):
            table.drop_column(column)
    with op.batch_alter_table("outbox") as table:
        table.drop_index("ix_outbox_leaves")
        table.drop_index(op.f("ix_outbox_sent_in"))
        for column in ("error", "left_at", "task_key", "sent_in", "how", "line"):
            table.drop_column(column)
    op.drop_table("due")
    with op.batch_alter_table("runs") as table:
        table.drop_index(op.f("ix_runs_rule_id"))
        table.drop_constraint(op.f("fk_runs_rule_id_rules"), type_="foreignkey")
        table.drop_column("origin")
        table.drop_column("rule_id")
    op.drop_table("rules")
