"""Files kept with templates: in the data folder, by the SHA-256 of what is in them."""

from __future__ import annotations

import hashlib
from pathlib import Path

from unisequa.actions.people.people import Actor
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.seeing import edition_of
from unisequa.core.design.editing import change_step, index_of
from unisequa.core.documents.template import Attachment, Template
from unisequa.core.errors import NotThere, Refused
from unisequa.store.documents import template_of
from unisequa.store.store import Session
from unisequa.store.tables import Edition

MOST_BYTES = 25 * 1024 * 1024


def attach(
    session: Session, actor: Actor, folder: Path, template_id: int, key: str, name: str, content: bytes
) -> Edition:
    """Keep a file with a step of the draft; the same file twice is kept once."""
    name = " ".join(name.replace("\\", "/").rpartition("/")[2].split())[:200]
    if not name or not content:
        raise Refused({"file": "That file is empty; choose another."})
    if len(content) > MOST_BYTES:
        raise Refused({"file": f"{name} is larger than {MOST_BYTES // 1024 // 1024} MB; keep a link to it instead."})
    digest = hashlib.sha256(content).hexdigest()

    def edit(template: Template) -> Template:
        step = template.steps[index_of(template.steps, key, "step")]
        kept = [a.model_dump() for a in step.attachments if a.sha256 != digest]
        new = Attachment(name=name, sha256=digest, size=len(content))
        return change_step(template, key, attachments=[*kept, new.model_dump()])

    edition = edit_draft(session, actor, template_id, edit)
    place = _place(folder, digest)
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        half = place.with_suffix(".half")
        half.write_bytes(content)
        half.replace(place)
    return edition


def attachment(
    session: Session, actor: Actor, folder: Path, template_id: int, number: int | None, digest: str
) -> tuple[Attachment, Path]:
    """A file of an edition that somebody may see, and where it is."""
    template = template_of(edition_of(session, actor, template_id, number))
    for step in template.steps:
        for kept in step.attachments:
            if kept.sha256 == digest:
                place = _place(folder, digest)
                if not place.exists():
                    raise NotThere(f"{kept.name} is not kept here; it came with a template from elsewhere.")
                return kept, place
    raise NotThere("There is no such file in this edition.")


def _place(folder: Path, digest: str) -> Path:
    return folder / "attachments" / digest[:2] / digest
