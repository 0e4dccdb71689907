"""Files kept with templates: in the data folder, by the SHA-256 of what is in them."""

from __future__ import annotations

import hashlib
from pathlib import Path

from unisequa.actions.access import check_may
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.seeing import edition_of, template_row
from unisequa.core.design.editing import change_step, index_of
from unisequa.core.documents.template import Attachment, Template
from unisequa.core.errors import NotThere, Refused
from unisequa.store.documents import template_of
from unisequa.store.files import place_of, write_once
from unisequa.store.queries.templates import files_of
from unisequa.store.store import Session, Store
from unisequa.store.tables import Edition, FileOfTemplate

MOST_BYTES = 25 * 1024 * 1024


def keep_file(store: Store, actor: Actor, folder: Path, template_id: int, name: str, content: bytes) -> Attachment:
    """Put a file on disk that is about to be attached; the same file twice is kept once.

    It is there, synced with its folder, before the transaction that names it begins.
    """
    with store.reading() as session:
        check_may(template_row(session, template_id), actor, "change a draft")
    return on_disk(folder, name, content)


def on_disk(folder: Path, name: str, content: bytes) -> Attachment:
    """A file written to the data folder, if it is none too large; nothing names it yet.

    Raises
    ------
    Refused
        Field ``file``.
    """
    name = " ".join(name.replace("\\", "/").rpartition("/")[2].split())[:200]
    if not name or not content:
        raise Refused({"file": "That file is empty; choose another."})
    if len(content) > MOST_BYTES:
        raise Refused({"file": f"{name} is larger than {MOST_BYTES // 1024 // 1024} MB; keep a link to it instead."})
    digest = hashlib.sha256(content).hexdigest()
    write_once(place_of(folder, digest), content)
    return Attachment(name=name, sha256=digest, size=len(content))


def attach(session: Session, actor: Actor, template_id: int, key: str, kept: Attachment) -> Edition:
    """Attach a file that is on disk to a step of the draft."""
    check_may(template_row(session, template_id), actor, "change a draft")

    def edit(template: Template) -> Template:
        step = template.steps[index_of(template.steps, key, "step")]
        others = [a.model_dump() for a in step.attachments if a.sha256 != kept.sha256]
        return change_step(template, key, attachments=[*others, kept.model_dump()])

    if kept.sha256 not in files_of(session, template_id):
        session.add(FileOfTemplate(template_id=template_id, digest=kept.sha256))
        session.flush()
    return edit_draft(session, actor, template_id, edit)


def attachment(
    session: Session, actor: Actor, folder: Path, template_id: int, number: int | None, digest: str
) -> tuple[Attachment, Path]:
    """A file of an edition that somebody may see, and where it is. One that a document only names is not here."""
    template = template_of(edition_of(session, actor, template_id, number))
    for step in template.steps:
        for kept in step.attachments:
            if kept.sha256 == digest:
                place = place_of(folder, digest)
                if digest not in files_of(session, template_id) or not place.exists():
                    raise NotThere(f"{kept.name} is not kept here; it came with a template from elsewhere.")
                return kept, place
    raise NotThere("There is no such file in this edition.")
