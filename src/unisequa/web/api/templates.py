"""Templates: what can be started, their open files, drafts written by programs."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, Request
from starlette.responses import Response

from unisequa.actions.programs.once import Answer
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import LibraryEntry, keep_template, library, shown_template
from unisequa.actions.templates.seeing import see_edition
from unisequa.core.documents.checks import read_template
from unisequa.store.store import Session
from unisequa.web.api.calling import (
    BASE,
    After,
    Designs,
    Id,
    IfNoneMatch,
    Key,
    Limit,
    Reads,
    cursor_in,
    etag_of,
    page_of,
    unless_known,
    written,
)
from unisequa.web.api.shapes import Listed
from unisequa.web.inputs import Number
from unisequa.web.session import SettingsOf, StoreOf

router = APIRouter(tags=["templates"])
File = Annotated[
    dict[str, Any],
    Body(
        description="a template file (unisequa-template/1)",
        examples=[
            {"format": "unisequa-template/1", "name": "Cash count", "steps": [{"key": "count", "title": "Count"}]}
        ],
    ),
]


@router.get("/templates", operation_id="list_templates", response_model=Listed)
def templates(request: Request, me: Reads, store: StoreOf, limit: Limit = 50, after: After = "") -> Response:
    """The templates that may be seen, and which of them can be started."""
    above = cursor_in(after) or 0
    with store.reading() as session:
        entries = sorted(library(session, me.actor).entries, key=lambda one: one.id)
    items = [_item(one) for one in entries if one.id > above]
    return page_of(request, items[: limit + 1], limit, lambda one: int(one["id"]))


def _item(one: LibraryEntry) -> dict[str, Any]:
    return {
        "id": one.id, "name": one.name, "category": one.category, "purpose": one.purpose, "owner": one.owner,
        "edition": one.edition, "state": one.state, "steps": one.steps, "days": one.days, "startable": one.startable,
        "tags": list(one.tags),
    }  # fmt: skip


@router.get("/templates/{template_id}", operation_id="get_template", responses={304: {"description": "As you have it"}})
def template(
    me: Reads, store: StoreOf, settings: SettingsOf, template_id: Id, if_none_match: IfNoneMatch = None
) -> dict[str, Any]:
    """One template: what a start asks for."""
    with store.reading() as session:
        seen = shown_template(session, me.actor, template_id)
    document = seen.template
    body = {
        "id": seen.template_id, "name": seen.name, "owner": seen.owner, "edition": seen.number, "state": seen.state,
        "grid": document.grid, "purpose": document.purpose,
        "anchors": [{"key": a.key, "label": a.label, "required": a.required} for a in document.anchors],
        "roles": [{"key": r.key, "label": r.label, "filled_by": r.fill.by} for r in document.roles],
        "facts": [
            {"key": f.key, "label": f.label, "kind": f.kind, "required": f.required, "choices": list(f.choices)}
            for f in document.facts
        ],
        "steps": len(document.steps),
    }  # fmt: skip
    return unless_known(if_none_match, etag_of(body, settings.day()), lambda: body)  # type: ignore[return-value]


@router.get("/templates/{template_id}/file", operation_id="get_template_file")
def template_file(me: Reads, store: StoreOf, template_id: Id, edition: Number = None) -> dict[str, Any]:
    """The open file of a template, of the newest edition where none is named."""
    with store.reading() as session:
        if edition is None:
            return dict(shown_template(session, me.actor, template_id).template.written())
        return dict(see_edition(session, me.actor, template_id, edition).template.written())


@router.post("/templates", operation_id="create_template", status_code=201)
def create(request: Request, me: Designs, body: File, key: Key = None) -> dict[str, Any]:
    """A template file as a new template's draft."""

    def act(session: Session) -> Answer:
        edition = keep_template(session, me.actor, read_template(body), said="written by a program")
        number = edition.template_id
        made = {"id": number, "name": edition.name, "edition": edition.number, "state": edition.state}
        return Answer(201, made, {"location": f"{BASE}/templates/{number}"})

    return written(request, me, key, body, act)  # type: ignore[return-value]


@router.put("/templates/{template_id}/draft", operation_id="put_draft")
def put_draft(request: Request, me: Designs, template_id: Id, body: File, key: Key = None) -> dict[str, Any]:
    """A template file as what the draft says; a draft is opened where there is none."""

    def act(session: Session) -> Answer:
        see_edition(session, me.actor, template_id)
        document = read_template(body)
        edition = edit_draft(session, me.actor, template_id, lambda _: document)
        made = {"id": template_id, "name": edition.name, "edition": edition.number, "state": edition.state,
                "revision": edition.revision}  # fmt: skip
        return Answer(200, made)

    return written(request, me, key, body, act)  # type: ignore[return-value]
