"""The released templates that others may include."""

from __future__ import annotations

from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from unisequa.core.document import Template
from unisequa.core.includes import Library
from unisequa.store.models import TemplateRow
from unisequa.store.plans import template_of


@dataclass(frozen=True, slots=True)
class Shelf:
    """Released templates as a library, and the id of each by its name."""

    library: Library = field(default_factory=Library)
    ids: dict[str, int] = field(default_factory=dict)


def shelf_for(session: Session, template: Template, *, all_of_them: bool = False) -> Shelf:
    """The newest released edition of every template, when this one includes any."""
    if not template.includes and not all_of_them:
        return Shelf()
    found: list[tuple[str, Template]] = []
    ids: dict[str, int] = {}
    for row in session.scalars(
        select(TemplateRow).options(selectinload(TemplateRow.editions)).order_by(TemplateRow.id)
    ):
        released = [edition for edition in row.editions if edition.state == "released"]
        if released:
            inner = template_of(released[-1])
            found.append((inner.name, inner))
            ids.setdefault(inner.name, row.id)
    return Shelf(Library(found), ids)
