"""Subjects with their records, starts of several runs at once, and where anchors have their dates from.

What runs were about so far becomes a subject each.
"""

from __future__ import annotations

import datetime as dt

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "subjects",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("folded", sa.String(length=200), nullable=False),
        sa.Column("position", sa.String(length=200), nullable=False),
        sa.Column("unit", sa.String(length=200), nullable=False),
        sa.Column("first_on", sa.Date(), nullable=True),
        sa.Column("last_on", sa.Date(), nullable=True),
        sa.Column("dates", sa.JSON(), nullable=False),
        sa.Column("manager_id", sa.Integer(), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("created_by_id", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["manager_id"], ["people.id"], name=op.f("fk_subjects_manager_id_people"), ondelete="SET NULL"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_subjects_person_id_people"), ondelete="SET NULL"
        ),
        sa.ForeignKeyConstraint(["created_by_id"], ["people.id"], name=op.f("fk_subjects_created_by_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_subjects")),
        sa.UniqueConstraint("folded", name=op.f("uq_subjects_folded")),
    )
    op.create_index(op.f("ix_subjects_person_id"), "subjects", ["person_id"], unique=False)
    op.create_table(
        "starts",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("token", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_starts_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_starts")),
        sa.UniqueConstraint("token", name=op.f("uq_starts_token")),
    )
    with op.batch_alter_table("runs") as batch:
        batch.add_column(sa.Column("subject_id", sa.Integer(), nullable=True))
        batch.add_column(sa.Column("start_id", sa.Integer(), nullable=True))
        batch.add_column(sa.Column("awaits", sa.JSON(), nullable=False, server_default="{}"))
        batch.create_foreign_key(
            op.f("fk_runs_subject_id_subjects"), "subjects", ["subject_id"], ["id"], ondelete="SET NULL"
        )
        batch.create_foreign_key(op.f("fk_runs_start_id_starts"), "starts", ["start_id"], ["id"])
        batch.create_index(op.f("ix_runs_subject_id"), ["subject_id"], unique=False)
        batch.create_index(op.f("ix_runs_start_id"), ["start_id"], unique=False)
    op.create_table(
        "anchor_sources",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("anchor", sa.String(length=200), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("source_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(
            ["run_id"], ["runs.id"], name=op.f("fk_anchor_sources_run_id_runs"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("run_id", "anchor", name=op.f("pk_anchor_sources")),
    )
    op.create_index("ix_anchor_sources_source", "anchor_sources", ["kind", "source_id"], unique=False)
    _subjects_of_runs()


def _subjects_of_runs() -> None:
    integer, text = sa.Integer, sa.String
    runs = sa.table(
        "runs", sa.column("id", integer), sa.column("subject", text), sa.column("created_by_id", integer),
        sa.column("subject_id", integer),
    )  # fmt: skip
    subjects = sa.table(
        "subjects", sa.column("id", integer), sa.column("name", text), sa.column("folded", text),
        sa.column("position", text), sa.column("unit", text), sa.column("dates", sa.JSON),
        sa.column("person_id", integer), sa.column("created_by_id", integer), sa.column("created_at", sa.DateTime),
    )  # fmt: skip
    people = sa.table("people", sa.column("id", integer), sa.column("name", text))
    bind = op.get_bind()
    known: dict[str, list[int]] = {}
    for number, name in bind.execute(sa.select(people.c.id, people.c.name)).all():
        known.setdefault(name.casefold(), []).append(number)
    about = sa.select(runs.c.id, runs.c.subject, runs.c.created_by_id).where(runs.c.subject != "")
    moment = dt.datetime.now(dt.UTC).replace(tzinfo=None)
    made: dict[str, int] = {}
    for number, name, maker in bind.execute(about.order_by(runs.c.id)).all():
        folded = " ".join(name.split()).casefold()[:200]
        if not folded:
            continue
        if folded not in made:
            made[folded] = len(made) + 1
            ours = known.get(folded, [])
            row = {
                "id": made[folded], "name": " ".join(name.split()), "folded": folded, "position": "", "unit": "",
                "dates": {}, "person_id": ours[0] if len(ours) == 1 else None, "created_by_id": maker,
                "created_at": moment,
            }  # fmt: skip
            bind.execute(sa.insert(subjects).values(row))
        bind.execute(sa.update(runs).where(runs.c.id == number).values(subject_id=made[folded]))


def downgrade() -> None:
    op.drop_index("ix_anchor_sources_source", table_name="anchor_sources")
    op.drop_table("anchor_sources")
    with op.batch_alter_table("runs") as batch:
        batch.drop_index(op.f("ix_runs_start_id"))
        batch.drop_index(op.f("ix_runs_subject_id"))
        batch.drop_constraint(op.f("fk_runs_start_id_starts"), type_="foreignkey")
        batch.drop_constraint(op.f("fk_runs_subject_id_subjects"), type_="foreignkey")
        batch.drop_column("awaits")
        batch.drop_column("start_id")
        batch.drop_column("subject_id")
    op.drop_table("starts")
    op.drop_index(op.f("ix_subjects_person_id"), table_name="subjects")
    op.drop_table("subjects")
