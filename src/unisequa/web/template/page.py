"""A template: its page, and what the sheet's script asks for."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from starlette.responses import JSONResponse, Response

from unisequa.actions.access import may
from unisequa.actions.errors import ActionError, NotAllowed, NotThere, Refused
from unisequa.actions.templates import drafts
from unisequa.actions.templates.editions import edition_of
from unisequa.actions.templates.rehearsals import Rehearsal
from unisequa.actions.templates.shelf import newest, shelf_of
from unisequa.core.design.clip import copied
from unisequa.core.design.editing import slug
from unisequa.core.documents.reading import faults_of
from unisequa.core.errors import EditError
from unisequa.formats.files import write_json, write_yaml
from unisequa.store.documents import template_of
from unisequa.store.tables import Edition, Person
from unisequa.web.pages import render
from unisequa.web.session import PostedJson, SettingsOf, SignedIn, StoreOf
from unisequa.web.template.clips import Clips, Here, Presence
from unisequa.web.template.ops import Asked as AskedEdit
from unisequa.web.template.ops import edit_of
from unisequa.web.template.view import Asked, may_change, sheet_of

router = APIRouter()
LOOK_SECONDS = 3


@dataclass(frozen=True, slots=True)
class TemplatePage:
    """The page around the sheet; ``model`` is the sheet as JSON."""

    section: str
    id: int
    name: str
    owner: str
    edition: int
    editable: bool
    editor: bool
    selected: str
    model: str
    every: float


class Looked(BaseModel):
    """What the script says of itself when it looks for the changes of others."""

    model_config = ConfigDict(extra="forbid")

    revision: int
    edition: int
    at: Annotated[str, Field(max_length=200)] = ""
    rehearsal: dict[str, Any] | None = None


@router.get("/templates/{template_id}")
def template_page(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    template_id: int,
    edition: int | None = None,
    step: str = "",
) -> Response:
    """A template: the draft for who may edit it, or the newest released edition."""
    with store.reading() as session:
        row = edition_of(session, me, template_id, edition)
        model = sheet_of(session, me, row, Asked(settings.day()))
        page = TemplatePage(
            "library",
            template_id,
            row.template.name,
            row.template.owner.name,
            row.number,
            may_change(row, me),
            may(row.template, me, "edit"),
            step[:200],
            json.dumps(model, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c"),
            LOOK_SECONDS,
        )
    return render(request, "template/page.html", page)


@router.get("/templates/{template_id}/file")
def template_file(
    me: SignedIn, store: StoreOf, template_id: int, edition: int | None = None, form: str = "json"
) -> Response:
    """The edition as its open document, in JSON or YAML."""
    with store.reading() as session:
        row = edition_of(session, me, template_id, edition)
        template = template_of(row)
    name = slug(template.name, fallback="template")
    if form == "yaml":
        return _download(write_yaml(template.written()), f"{name}.yaml", "application/yaml")
    return _download(write_json(template.written()), f"{name}.json", "application/json")


def _download(content: str | bytes, name: str, kind: str) -> Response:
    return Response(content, media_type=kind, headers={"content-disposition": f'attachment; filename="{name}"'})


def _answered(found: Any, status: int = 200) -> JSONResponse:
    return JSONResponse(found, status)


def _rehearsal(body: Any) -> dict[str, Any] | None:
    """The rehearsal in a body, if one is on; what is none counts as none."""
    try:
        found = body.get("rehearsal") if isinstance(body, dict) else None
        return Rehearsal.model_validate(found).model_dump() if found is not None else None
    except ValidationError:
        return None


def _refused(error: ActionError, sheet: dict[str, Any] | None = None) -> JSONResponse:
    status = 404 if isinstance(error, NotThere) else 403 if isinstance(error, NotAllowed) else 422
    field = next(iter(error.faults), "") if isinstance(error, Refused) else ""
    return _answered({"message": str(error), "field": field, "sheet": sheet}, status)


def _wrong(error: ValidationError) -> JSONResponse:
    fault = faults_of(error)[0]
    return _answered({"message": f"That cannot be read: {fault.path} {fault.message}", "field": ""}, 422)


@router.post("/templates/{template_id}/edit")
def edit(
    request: Request, me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: int
) -> Response:
    """Make one edit of the draft; answers with the sheet, or with what was at fault and the sheet as it stands."""
    try:
        asked = AskedEdit.model_validate(body)
    except ValidationError as error:
        return _wrong(error)
    made: list[str] = []
    clips: Clips = request.app.state.clips
    shown = Asked(settings.day(), _rehearsal(body))
    try:
        with store.writing() as session:
            shelf = shelf_of(session, drafts.template_row(session, template_id).editions[-1])
            if getattr(asked.edit, "part", "") == "includes" or getattr(asked.edit, "field", "") == "waits_for":
                shelf = newest(session, me)
            change = edit_of(asked.edit, shelf.library, lambda name: clips.find(me.id, name), made)
            row = drafts.edit_draft(session, me, template_id, change)
            sheet = sheet_of(session, me, row, shown)
    except ActionError as error:
        return _refused(error, _sheet_now(store, me, template_id, shown))
    return _answered({"sheet": sheet, "made": made})


def _sheet_now(store: Any, me: Person, template_id: int, asked: Asked) -> dict[str, Any] | None:
    try:
        with store.reading() as session:
            return sheet_of(session, me, edition_of(session, me, template_id), asked)
    except ActionError:
        return None


@router.post("/templates/{template_id}/undo")
def undo(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: int) -> Response:
    """Take one's own latest edit back."""
    return _back(me, body, store, settings, template_id, drafts.undo, "Undone")


@router.post("/templates/{template_id}/redo")
def redo(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: int) -> Response:
    """Do again what was taken back."""
    return _back(me, body, store, settings, template_id, drafts.redo, "Done again")


def _back(
    me: Person, body: Any, store: StoreOf, settings: SettingsOf, template_id: int, way: Any, word: str
) -> Response:
    rehearsal = _rehearsal(body)
    try:
        with store.writing() as session:
            taken = way(session, me, template_id)
            row: Edition = edition_of(session, me, template_id)
            sheet = sheet_of(session, me, row, Asked(settings.day(), rehearsal))
    except ActionError as error:
        return _refused(error)
    return _answered({"sheet": sheet, "note": taken.passed_over or f"{word}: {taken.text}"})


@router.post("/templates/{template_id}/sheet")
def sheet(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: int) -> Response:
    """The sheet as it stands, on dates when a rehearsal is given."""
    rehearsal = _rehearsal(body)
    number = body.get("edition") if isinstance(body, dict) else None
    try:
        with store.reading() as session:
            row = edition_of(session, me, template_id, number if isinstance(number, int) else None)
            found = sheet_of(session, me, row, Asked(settings.day(), rehearsal))
    except ActionError as error:
        return _refused(error)
    return _answered({"sheet": found})


@router.post("/templates/{template_id}/look")
def look(
    request: Request, me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: int
) -> Response:
    """Who else is here; and the sheet with what they have changed, when they have."""
    try:
        asked = Looked.model_validate(body)
    except ValidationError as error:
        return _wrong(error)
    presence: Presence = request.app.state.presence
    changes: list[str] = []
    found = None
    try:
        with store.reading() as session:
            row = edition_of(session, me, template_id)
            newer = row.number != asked.edition and row.number > asked.edition and may(row.template, me, "edit")
            others = presence.look(template_id, me.id, Here(me.name, asked.at)) if may(row.template, me, "edit") else []
            if newer or (row.number == asked.edition and row.revision != asked.revision):
                since = asked.revision if row.number == asked.edition else 0
                edits = drafts.edits_since(session, row, since)
                changes = [f"{e.person.name}: {e.text}" for e in edits if e.person_id != me.id]
                found = sheet_of(session, me, row, Asked(settings.day(), _rehearsal(body)))
    except ActionError as error:
        return _refused(error)
    return _answered(
        {"others": [{"name": one.name, "at": one.at} for one in others], "changes": changes, "sheet": found}
    )


@router.post("/templates/{template_id}/clip")
def clip(request: Request, me: SignedIn, body: PostedJson, store: StoreOf, template_id: int) -> Response:
    """Keep steps that were copied, under the name that the browser has put on the clipboard."""
    name = str(body.get("clip", ""))[:80] if isinstance(body, dict) else ""
    keys = [str(key) for key in body.get("keys", [])] if isinstance(body, dict) else []
    number = body.get("edition") if isinstance(body, dict) else None
    clips: Clips = request.app.state.clips
    try:
        with store.reading() as session:
            row = edition_of(session, me, template_id, number if isinstance(number, int) else None)
            clips.keep(me.id, name, copied(template_of(row), keys))
    except EditError as error:
        return _refused(Refused({error.field: str(error)}))
    except ActionError as error:
        return _refused(error)
    return _answered({"kept": len(keys)})
