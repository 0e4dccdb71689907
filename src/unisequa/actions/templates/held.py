"""Copied steps, files brought for importing, and who has a template open: held for a while, in the store."""

from __future__ import annotations

import secrets
import time
from dataclasses import dataclass
from typing import Any

from unisequa.actions.people.people import Actor
from unisequa.core.design.clip import Clip
from unisequa.core.documents.template import Template
from unisequa.core.errors import Refused
from unisequa.formats.tables_in import Table
from unisequa.store.queries import held
from unisequa.store.store import Session

MOST_CLIPS, MOST_UPLOADS = 200, 40
# Others are here while they look; a window of one's own is open until it is closed, though it lies behind another
# for a while.
HERE_SECONDS, OPEN_SECONDS = 12.0, 900.0


@dataclass(frozen=True, slots=True)
class Upload:
    """A file that was read: a whole template, or a table of steps."""

    name: str
    template: Template | None = None
    table: Table | None = None


@dataclass(frozen=True, slots=True)
class Here:
    """Somebody with a template open, and the step they are at."""

    name: str
    at: str


def keep_clip(session: Session, actor: Actor, name: str, clip: Clip) -> None:
    """Keep copied steps under the name that the browser gave them."""
    held.keep(session, "clip", actor.id, name, clip.model_dump(mode="json", by_alias=True), MOST_CLIPS)


def find_clip(session: Session, actor: Actor, name: str) -> Clip | None:
    """One's own copied steps of that name, while they are kept."""
    content = held.find(session, "clip", actor.id, name)
    return None if content is None else Clip.model_validate(content)


def keep_upload(session: Session, actor: Actor, upload: Upload) -> str:
    """Keep a file that was read; gives the name it is found by."""
    name = secrets.token_urlsafe(12)
    content: dict[str, Any] = {"name": upload.name}
    if upload.template is not None:
        content["template"] = upload.template.written()
    if upload.table is not None:
        rows = [list(row) for row in upload.table.rows]
        content["table"] = {"names": list(upload.table.names), "rows": rows, "bytewise": upload.table.bytewise}
    held.keep(session, "upload", actor.id, name, content, MOST_UPLOADS)
    return name


def find_upload(session: Session, actor: Actor, name: str) -> Upload:
    """One's own file of that name.

    Raises
    ------
    Refused
        When it is no longer kept.
    """
    content = held.find(session, "upload", actor.id, name)
    if content is None:
        raise Refused({"": "That file is no longer kept here; bring it again."})
    template, table = content.get("template"), content.get("table")
    return Upload(
        content["name"],
        Template.model_validate(template) if template is not None else None,
        None
        if table is None
        else Table(tuple(table["names"]), tuple(map(tuple, table["rows"])), table.get("bytewise", False)),
    )


def look(session: Session, actor: Actor, template_id: int, step: str) -> tuple[Here, ...]:
    """Say that somebody has a template open at a step; gives who else has."""
    at_work(session, actor, template_id, step)
    moment = time.time()
    others = held.others(session, template_id, actor.id, actor.window, moment - HERE_SECONDS, moment - OPEN_SECONDS)
    return tuple(Here("you, in another window" if own else name, at) for name, at, own in others)


def at_work(session: Session, actor: Actor, template_id: int, step: str | None = None) -> None:
    """Say that a window is open, at a step or where it was: whoever edits is there before they next look around."""
    moment = time.time()
    held.look(session, template_id, actor.id, actor.window, step, moment, moment - OPEN_SECONDS)


def leave(session: Session, actor: Actor, template_id: int) -> None:
    """Say that a window is closed: what was done in it can be undone in the next."""
    held.leave(session, template_id, actor.id, actor.window)


def windows_elsewhere(session: Session, actor: Actor, template_id: int) -> list[str]:
    """Somebody's own other windows in which a template is open now; none where it is not said which one this is."""
    if not actor.window:
        return []
    return held.windows_elsewhere(session, template_id, actor.id, actor.window, time.time() - OPEN_SECONDS)
