"""A template: its page, and what the sheet's script asks for."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from starlette.responses import JSONResponse, Response

from unisequa.actions.people.accounts import set_widths, widths_of
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.held import Here, find_clip, keep_clip
from unisequa.actions.templates.held import leave as leave_window
from unisequa.actions.templates.held import look as look_at
from unisequa.actions.templates.rehearsals import Rehearsal, days_rehearsed
from unisequa.actions.templates.seeing import see_edition
from unisequa.actions.templates.sheet import edit_sheet, news, see_sheet, take_back
from unisequa.core.design.clip import copied
from unisequa.core.design.editing import slug
from unisequa.core.documents.reading import faults_of
from unisequa.core.documents.template import Template
from unisequa.core.errors import ActionError, EditError, Refused
from unisequa.formats.files import write_json, write_yaml
from unisequa.settings import Settings
from unisequa.store.store import Store
from unisequa.web.errors import json_error
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import PostedJson, SettingsOf, SignedIn, StoreOf
from unisequa.web.template.ops import MEASURES, DaysKnown, SentEdit, edit_of
from unisequa.web.template.view import as_sent

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
    widths: str


class Widths(BaseModel):
    """The columns that somebody gave a width of their own, in px."""

    model_config = ConfigDict(extra="forbid")

    widths: dict[Literal["r", "w", "d", "f", "da", "sl"], Annotated[int, Field(ge=1, le=2000)]]


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
    template_id: Id,
    edition: Number = None,
    step: str = "",
) -> Response:
    """A template: the draft for who may edit it, or the newest released edition."""
    with store.reading() as session:
        seen = see_sheet(session, me, template_id, settings.day(), edition)
        widths = widths_of(session, me)
    page = TemplatePage(
        "library",
        template_id,
        seen.edition.name,
        seen.edition.owner,
        seen.edition.number,
        seen.edition.changeable,
        seen.edition.may("change a draft"),
        step[:200],
        json.dumps(as_sent(seen), ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c"),
        LOOK_SECONDS,
        json.dumps(widths, separators=(",", ":")),
    )
    return render(request, "template/page.html", page)


@router.get("/templates/{template_id}/file")
def template_file(
    me: SignedIn, store: StoreOf, template_id: Id, edition: Number = None, form: str = "json"
) -> Response:
    """The edition as its open document, in JSON or YAML."""
    with store.reading() as session:
        template = see_edition(session, me, template_id, edition).template
    name = slug(template.name, fallback="template")
    if form == "yaml":
        return _download(write_yaml(template.written()), f"{name}.yaml", "application/yaml")
    return _download(write_json(template.written()), f"{name}.json", "application/json")


def _download(content: str | bytes, name: str, kind: str) -> Response:
    return Response(content, media_type=kind, headers={"content-disposition": f'attachment; filename="{name}"'})


def _answered(content: Any, status: int = 200) -> JSONResponse:
    return JSONResponse(content, status)


def _rehearsal(body: Any) -> Rehearsal | None:
    """The rehearsal in a body, if one is on; what is none counts as none."""
    try:
        given = body.get("rehearsal") if isinstance(body, dict) else None
        return Rehearsal.model_validate(given) if given is not None else None
    except ValidationError:
        return None


def _number(body: Any) -> int | None:
    number = body.get("edition") if isinstance(body, dict) else None
    return number if isinstance(number, int) else None


def _unreadable(error: ValidationError) -> Refused:
    fault = faults_of(error)[0]
    return Refused({"": f"That cannot be read: {fault.path} {fault.message}"})


@router.post("/templates/{template_id}/edit")
def edit(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """Make one edit of the draft; answers with the sheet, or with what was at fault and the sheet as it stands."""
    try:
        sent = SentEdit.model_validate(body)
    except ValidationError as error:
        raise _unreadable(error) from error
    made: list[str] = []
    rehearsal = _rehearsal(body)
    measures = getattr(sent.edit, "field", "") in MEASURES

    def days_known(template: Template) -> DaysKnown:
        days, calendar = days_rehearsed(session, me, template, rehearsal, settings.day()) if measures else ({}, None)
        return DaysKnown(days, calendar, me.month_first)

    names_others = getattr(sent.edit, "part", "") == "includes" or getattr(sent.edit, "field", "") == "waits_for"
    try:
        with store.writing() as session:
            edit_sheet(
                session,
                me,
                template_id,
                lambda library: edit_of(
                    sent.edit, library, lambda name: find_clip(session, me, name), made, days_known
                ),
                names_others=names_others,
            )
    except ActionError as error:
        sheet = _sheet_now(store, me, settings, template_id, rehearsal)
        return json_error(error.status, str(error), error, sheet=sheet)
    with store.reading() as session:  # drawn once the edit is through, so that nobody waits for the drawing
        seen = see_sheet(session, me, template_id, settings.day(), None, rehearsal)
    return _answered({"sheet": as_sent(seen), "made": made})


def _sheet_now(
    store: Store, me: Actor, settings: Settings, template_id: int, rehearsal: Rehearsal | None
) -> dict[str, Any] | None:
    try:
        with store.reading() as session:
            return as_sent(see_sheet(session, me, template_id, settings.day(), None, rehearsal))
    except ActionError:
        return None


@router.post("/templates/{template_id}/undo")
def undo(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """Take one's own latest edit back."""
    return _taken_back(me, body, store, settings, template_id, "Undone", again=False)


@router.post("/templates/{template_id}/redo")
def redo(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """Do again what was taken back."""
    return _taken_back(me, body, store, settings, template_id, "Done again", again=True)


def _taken_back(
    me: Actor, body: Any, store: Store, settings: Settings, template_id: int, words: str, *, again: bool
) -> Response:
    with store.writing() as session:
        taken = take_back(session, me, template_id, again=again)
    with store.reading() as session:
        seen = see_sheet(session, me, template_id, settings.day(), None, _rehearsal(body))
    return _answered({"sheet": as_sent(seen), "note": taken.passed_over or f"{words}: {taken.text}"})


@router.post("/templates/{template_id}/sheet")
def sheet(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """The sheet as it stands, on dates when a rehearsal is given."""
    with store.reading() as session:
        seen = see_sheet(session, me, template_id, settings.day(), _number(body), _rehearsal(body))
    return _answered({"sheet": as_sent(seen)})


@router.post("/account/widths")
def keep_widths(me: SignedIn, body: PostedJson, store: StoreOf) -> Response:
    """Have the columns of the sheet be so wide on every machine."""
    try:
        chosen = Widths.model_validate(body)
    except ValidationError as error:
        raise _unreadable(error) from error
    with store.writing() as session:
        set_widths(session, me, {str(name): width for name, width in chosen.widths.items()})
    return _answered({})


@router.post("/templates/{template_id}/look")
def look(me: SignedIn, body: PostedJson, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """Who else is here; and the sheet with what they have changed, when they have."""
    try:
        looked = Looked.model_validate(body)
    except ValidationError as error:
        raise _unreadable(error) from error
    with store.reading() as session:
        editor = see_edition(session, me, template_id).may("change a draft")
        since = news(session, me, template_id, looked.edition, looked.revision, settings.day(), _rehearsal(body))
    others: tuple[Here, ...] = ()
    if editor:
        with store.writing() as session:
            others = look_at(session, me, template_id, looked.at)
    return _answered(
        {
            "others": [{"name": one.name, "at": one.at} for one in others],
            "changes": list(since.changes),
            "sheet": as_sent(since.sheet) if since.sheet else None,
            "undo": since.undo,
            "redo": since.redo,
        }
    )


@router.post("/templates/{template_id}/leave")
def leave(me: SignedIn, body: PostedJson, store: StoreOf, template_id: Id) -> Response:
    """This window is closed."""
    with store.writing() as session:
        if see_edition(session, me, template_id).may("change a draft"):
            leave_window(session, me, template_id)
    return _answered({})


@router.post("/templates/{template_id}/clip")
def clip(me: SignedIn, body: PostedJson, store: StoreOf, template_id: Id) -> Response:
    """Keep steps that were copied, under the name that the browser has put on the clipboard."""
    name = str(body.get("clip", ""))[:80] if isinstance(body, dict) else ""
    keys = [str(key) for key in body.get("keys", [])] if isinstance(body, dict) else []
    with store.writing() as session:
        template = see_edition(session, me, template_id, _number(body)).template
        try:
            keep_clip(session, me, name, copied(template, keys))
        except EditError as error:
            raise Refused({error.field: str(error)}) from error
    return _answered({"kept": len(keys)})
