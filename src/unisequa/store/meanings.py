"""Which template a name means that another one includes or waits for.

Names stand in files; what is kept goes by id. A name is settled once, when it is written, among what its writer may
see; where two that they see have the same name, it is followed by its owner's in brackets. A name that means nothing
yet is looked up again for whoever wrote it, never for anybody else.
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy.orm import Session

from unisequa.core.documents.includes import name_key
from unisequa.core.documents.template import Template
from unisequa.store.queries.templates import NamedTemplate, files_of, files_seen_by, named_templates
from unisequa.store.tables import Edition, FileOfTemplate

Meant = dict[str, int]
"""Name as it is compared → template's id."""


def named_by(template: Template, *, waits: bool = True) -> set[str]:
    """The names of templates that one includes, and of those that its steps wait for."""
    awaited = {wait.template for step in template.steps for wait in step.waits_for} if waits else set()
    return awaited | {include.template for include in template.includes}


def shown_names(templates: Iterable[NamedTemplate]) -> dict[str, int]:
    """The names by which somebody chooses among the templates that are open to them, each for one of them."""
    alike: dict[str, list[NamedTemplate]] = {}
    for one in templates:
        alike.setdefault(name_key(one.name), []).append(one)
    names: dict[str, int] = {}
    for same in alike.values():
        for one in same:
            name = one.name if len(same) == 1 else f"{one.name} ({one.owner})"[-200:]
            names.setdefault(name if name not in names else f"{name} {one.id}"[-200:], one.id)
    return names


def lookup(session: Session, person_id: int, keys: Iterable[str]) -> Meant:
    """What names mean to somebody: the one template of that name that is open to them, of several their own."""
    keys = set(keys)
    if not keys:
        return {}
    templates = named_templates(session, person_id)
    found = {name_key(name): number for name, number in shown_names(templates).items()}
    mine = [one for one in templates if one.owner_id == person_id]
    own = {name_key(one.name): one.id for one in mine}
    return {key: number for key in keys if (number := found.get(key, own.get(key))) is not None}


def settle(session: Session, edition: Edition, template: Template, writer: int, before: Iterable[Edition] = ()) -> None:
    """Settle the names in an edition that is about to say what ``template`` says.

    Parameters
    ----------
    writer : int
        Id of whoever writes it.
    before : iterable of Edition
        What was settled before: of a name that the edition does not have yet and that means nothing to its writer, in
        the first of these that has it.
    """
    keys = {name_key(name) for name in named_by(template)}
    meant: Meant = {key: number for key, number in edition.meant.items() if key in keys} if edition.meant else {}
    unmet: dict[str, int] = {}
    writers: dict[int, set[str]] = {}
    for key in keys - meant.keys():
        writers.setdefault((edition.unmet or {}).get(key, writer), set()).add(key)
    for person_id, names in writers.items():
        meant |= lookup(session, person_id, names)
        unmet |= dict.fromkeys(names - meant.keys(), person_id)
    for key in list(unmet):
        earlier = next((one.meant[key] for one in before if key in (one.meant or {})), None)
        if earlier is not None:
            meant[key] = earlier
            del unmet[key]
    edition.meant, edition.unmet = meant, unmet


def settle_files(session: Session, template_id: int, template: Template, writer: int) -> None:
    """Settle which of the files that a template names came with it: those its writer sees in another one."""
    named = {kept.sha256 for step in template.steps for kept in step.attachments}
    if new := named - files_of(session, template_id) if named else set():
        for digest in sorted(files_seen_by(session, writer, new)):
            session.add(FileOfTemplate(template_id=template_id, digest=digest))


def meanings(session: Session, edition: Edition) -> Meant:
    """What the names in an edition mean, those too that were unmet when they were written and no longer are."""
    meant: Meant = dict(edition.meant)
    writers: dict[int, set[str]] = {}
    for key, person_id in edition.unmet.items():
        writers.setdefault(person_id, set()).add(key)
    for person_id, names in writers.items():
        meant |= lookup(session, person_id, names)
    return meant
