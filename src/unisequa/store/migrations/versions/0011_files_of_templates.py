"""Which files belong to which template: those that its editions name, or named."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    files = op.create_table(
        "files",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("template_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name=op.f("fk_files_template_id_templates"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_files")),
        sa.UniqueConstraint("template_id", "digest", name=op.f("uq_files_template_id")),
    )
    op.create_index(op.f("ix_files_digest"), "files", ["digest"], unique=False)
    editions = sa.table(
        "editions", sa.column("id", sa.Integer), sa.column("template_id", sa.Integer), sa.column("document", sa.JSON)
    )
    edits = sa.table("template_edits", sa.column("edition_id", sa.Integer), sa.column("difference", sa.JSON))
    connection = op.get_bind()
    found: set[tuple[int, str]] = set()
    template_of: dict[int, int] = {}
    for number, template_id, document in connection.execute(sa.select(editions)).all():
        template_of[number] = template_id
        found |= {(template_id, digest) for digest in _digests(document)}
    for edition_id, difference in connection.execute(sa.select(edits)).all():
        found |= {(template_of[edition_id], digest) for digest in _digests(difference)}
    if found:
        connection.execute(sa.insert(files), [{"template_id": a, "digest": b} for a, b in sorted(found)])


def _digests(part: Any) -> set[str]:
    if isinstance(part, dict):
        own = {part["sha256"]} if isinstance(part.get("sha256"), str) else set()
        return own.union(*map(_digests, part.values()))
    return set().union(*map(_digests, part)) if isinstance(part, list) else set()


def downgrade() -> None:
    op.drop_index(op.f("ix_files_digest"), table_name="files")
    op.drop_table("files")
