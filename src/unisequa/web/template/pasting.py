"""A table pasted into the sheet: what it would make, shown and mended before it is put in."""

from __future__ import annotations

import json
from dataclasses import dataclass

from fastapi import APIRouter, Request
from pydantic import ValidationError
from starlette.responses import JSONResponse, Response

from unisequa.actions.templates.sheet import edit_sheet, see_draft, see_sheet
from unisequa.core.design.brought import look_at
from unisequa.core.documents.template import Template
from unisequa.core.errors import EditError, Refused
from unisequa.web.brought import BroughtPiece, cells_of, piece_of, wishes_in
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field
from unisequa.web.template.ops import Where
from unisequa.web.template.view import as_sent

router = APIRouter()
MOST_PASTED = 2_000_000


@dataclass(frozen=True, slots=True)
class PastingPiece:
    """The box: the table as it was pasted, where it goes, and what it would make."""

    id: int
    table: str
    where: str
    place: str
    b: BroughtPiece


@router.post("/templates/{template_id}/paste")
def paste(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """What a pasted table would make; or with ``act=make`` its steps put in, and the sheet."""
    text, where = field(form, "table", MOST_PASTED), field(form, "where", 1000)
    place = _where(where)
    wishes, day_fault = wishes_in(form, me, settings.day())
    cells = cells_of(text)
    if field(form, "act", 10) == "make" and not day_fault:
        made: list[str] = []

        def edit(template: Template) -> Template:
            brought = look_at(template, cells, wishes, place.place(template))
            if brought.faults:
                raise EditError("table", "there are cells to mend, red below")
            made.extend(brought.keys)
            return brought.template

        with store.writing() as session:
            edit_sheet(session, me, template_id, lambda library: edit)
        with store.reading() as session:
            seen = see_sheet(session, me, template_id, settings.day())
        return JSONResponse({"sheet": as_sent(seen), "made": made})
    with store.reading() as session:
        template = see_draft(session, me, template_id)
    piece = PastingPiece(
        template_id, text, where, _goes(template, place),
        piece_of(template, cells, wishes, day_fault, form, place.place(template)),
    )  # fmt: skip
    return render(request, "template/_paste.html", piece)


def _where(text: str) -> Where:
    try:
        return Where.model_validate(json.loads(text or "{}"))
    except (ValidationError, json.JSONDecodeError):
        raise Refused({"": "That is no place among the rows; paste again."}) from None


def _goes(template: Template, where: Where) -> str:
    """Where the steps go, in words."""
    if where.after:
        title = next((step.title for step in template.steps if step.key == where.after), "")
        return f"behind {title}" if title else ""
    return next((f"into {phase.label}" for phase in template.phases if phase.key == where.phase), "")
