"""What names mean by id, rights that tell starting from looking, and administrators.

Names of included and awaited templates are settled as the owner of the template that names them would settle them now;
where editions were settled already, by those. Who might start a template might look at its runs as well: that is now
said.
"""

from __future__ import annotations

import re
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_EDITIONS = sa.table(
    "editions", *(sa.column(name, sa.Integer) for name in ("id", "template_id", "number")),
    sa.column("state", sa.String), sa.column("name_key", sa.String),
    *(sa.column(name, sa.JSON) for name in ("document", "pins", "meant", "unmet")),
)  # fmt: skip
_TEMPLATES = sa.table(
    "templates", sa.column("id", sa.Integer), sa.column("owner_id", sa.Integer), sa.column("open_to", sa.String)
)
_RIGHTS = sa.table(
    "template_rights", *(sa.column(name, sa.Integer) for name in ("template_id", "person_id")),
    sa.column("right", sa.String),
)  # fmt: skip
_RUNS = sa.table("runs", sa.column("id", sa.Integer), sa.column("pins", sa.JSON(none_as_null=True)))


def _name_key(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or name


def upgrade() -> None:
    with op.batch_alter_table("people") as table:
        table.add_column(sa.Column("administrator", sa.Boolean(), nullable=False, server_default=sa.false()))
    with op.batch_alter_table("templates") as table:
        table.alter_column("open_to", existing_type=sa.String(length=10), type_=sa.String(length=20))
    with op.batch_alter_table("template_rights") as table:
        table.alter_column("right", existing_type=sa.String(length=10), type_=sa.String(length=20))
    with op.batch_alter_table("editions") as table:
        table.add_column(sa.Column("meant", sa.JSON(), nullable=False, server_default="{}"))
        table.add_column(sa.Column("unmet", sa.JSON(), nullable=False, server_default="{}"))
    connection = op.get_bind()
    connection.execute(sa.update(_TEMPLATES).where(_TEMPLATES.c.open_to == "start").values(open_to="start and look"))
    connection.execute(sa.update(_RIGHTS).where(_RIGHTS.c.right == "start").values(right="start and look"))
    _settle(connection)


def _settle(connection: Any) -> None:
    columns = (_EDITIONS.c.id, _EDITIONS.c.template_id, _EDITIONS.c.number, _EDITIONS.c.state, _EDITIONS.c.name_key)
    template_of = {row.id: row.template_id for row in connection.execute(sa.select(*columns))}
    newest: dict[int, Any] = {}
    for row in connection.execute(sa.select(*columns).where(_EDITIONS.c.state == "released").order_by("number")):
        newest[row.template_id] = row
    owners = {row.id: row.owner_id for row in connection.execute(sa.select(_TEMPLATES))}
    seen = {(row.id, None) for row in connection.execute(sa.select(_TEMPLATES)) if row.open_to != "nothing"}
    seen |= {(row.template_id, row.person_id) for row in connection.execute(sa.select(_RIGHTS))}

    def sees(person_id: int, template_id: int) -> bool:
        return owners[template_id] == person_id or bool({(template_id, None), (template_id, person_id)} & seen)

    def keyed(pins: Any) -> dict[str, int] | None:
        return {str(template_of[n]): n for n in pins.values() if n in template_of} if pins is not None else None

    every = connection.execute(
        sa.select(_EDITIONS.c.id, _EDITIONS.c.template_id, _EDITIONS.c.document, _EDITIONS.c.pins)
    )
    for row in every.all():
        names = {include["template"] for include in row.document.get("includes", ())}
        names |= {wait["template"] for step in row.document.get("steps", ()) for wait in step.get("waits_for", ())}
        pins = {_name_key(name): template_of[n] for name, n in (row.pins or {}).items() if n in template_of}
        owner, meant, unmet = owners[row.template_id], {}, {}
        for key in {_name_key(name) for name in names}:
            alike = (n for n, edition in sorted(newest.items()) if edition.name_key == key and sees(owner, n))
            number = pins.get(key) or next(alike, None)
            if number is None:
                unmet[key] = owner
            else:
                meant[key] = number
        if names or row.pins is not None:
            values = {"meant": meant, "unmet": unmet, "pins": keyed(row.pins) if row.pins is not None else sa.null()}
            connection.execute(sa.update(_EDITIONS).where(_EDITIONS.c.id == row.id).values(**values))
    for number, pins in connection.execute(sa.select(_RUNS.c.id, _RUNS.c.pins)).all():
        if pins is not None:
            connection.execute(sa.update(_RUNS).where(_RUNS.c.id == number).values(pins=keyed(pins)))


def downgrade() -> None:
    connection = op.get_bind()
    named = sa.table("editions", sa.column("id", sa.Integer), sa.column("name", sa.String))
    names: dict[int, str] = {row.id: row.name for row in connection.execute(sa.select(named)).all()}
    for kept in (_EDITIONS, _RUNS):
        for number, pins in connection.execute(sa.select(kept.c.id, kept.c.pins)).all():
            if pins is not None:
                by_name = {names[n]: n for n in pins.values() if n in names}
                connection.execute(sa.update(kept).where(kept.c.id == number).values(pins=by_name))
    both = ("start and look", "start")
    connection.execute(sa.update(_TEMPLATES).where(_TEMPLATES.c.open_to.in_(both)).values(open_to="start"))
    connection.execute(sa.update(_RIGHTS).where(_RIGHTS.c.right.in_(both)).values(right="start"))
    with op.batch_alter_table("editions") as table:
        table.drop_column("meant")
        table.drop_column("unmet")
    with op.batch_alter_table("template_rights") as table:
        table.alter_column("right", existing_type=sa.String(length=20), type_=sa.String(length=10))
    with op.batch_alter_table("templates") as table:
        table.alter_column("open_to", existing_type=sa.String(length=20), type_=sa.String(length=10))
    with op.batch_alter_table("people") as table:
        table.drop_column("administrator")
