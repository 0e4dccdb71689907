"""Names of templates: each is one template's among those that somebody sees."""

from __future__ import annotations

from unisequa.actions.people.people import Actor
from unisequa.core.documents.includes import name_key
from unisequa.core.errors import Refused
from unisequa.store.queries.templates import names_seen_by
from unisequa.store.store import Session
from unisequa.store.tables import TemplateRow


def taken_names(session: Session, actor: Actor, row: TemplateRow | None = None) -> set[str]:
    """The names, as they are compared, of the templates that somebody sees beside one."""
    return {name_key(name) for number, name in names_seen_by(session, actor.id) if row is None or number != row.id}


def check_name(
    session: Session, actor: Actor, name: str, row: TemplateRow | None = None, before: str | None = None
) -> None:
    """Refuse a new name that another template has which its author sees; one that stays as ``before`` is left."""
    if before is not None and name_key(before) == name_key(name):
        return
    if name_key(name) in taken_names(session, actor, row):
        raise Refused({"name": f"There is a template “{name}” already; give this one another name."})


def free_name(session: Session, actor: Actor, name: str) -> str:
    """The name, with a number behind it where its author sees another template of that name."""
    taken, tried, n = taken_names(session, actor), name[:200], 2
    while name_key(tried) in taken:
        tried, n = f"{name[:194]} {n}", n + 1
    return tried
