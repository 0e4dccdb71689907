"""Bringing a template, or a list of steps, from a file: looked at first, made only when it is right."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from fastapi import APIRouter, Request
from starlette.datastructures import FormData, UploadFile
from starlette.responses import FileResponse, JSONResponse, RedirectResponse, Response

from unisequa.actions.people.people import Actor
from unisequa.actions.templates import files
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.held import Upload, find_upload, keep_upload
from unisequa.actions.templates.library import keep_template, may_edit
from unisequa.actions.templates.seeing import see_edition
from unisequa.core.calendars.words import count_words
from unisequa.core.design.brought import look_at
from unisequa.core.design.editing import changed, slug
from unisequa.core.design.fields.entries import field_text
from unisequa.core.design.following import follows_words, links_into
from unisequa.core.design.linking import names_of
from unisequa.core.design.part_tables import Parts, split_parts
from unisequa.core.design.parts import anchors_named
from unisequa.core.design.rows import rows
from unisequa.core.documents.template import Template
from unisequa.core.errors import DocumentError, EditError, Refused
from unisequa.core.terms import number_in
from unisequa.formats.apart import read_apart
from unisequa.formats.networks import network_graphml
from unisequa.formats.step_tables import steps_csv, steps_xlsx
from unisequa.formats.tables_in import ENCODINGS, Table
from unisequa.store.store import Session
from unisequa.web.brought import BroughtPiece, Choice, piece_of, wishes_in
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
MOST_FAULTS = 100
MOST_SHOWN = 300
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@dataclass(frozen=True, slots=True)
class ImportPage:
    """Where a file is chosen; ``faults`` are those of the one that was tried."""

    section: str
    faults: tuple[str, ...] = ()
    name: str = ""


@dataclass(frozen=True, slots=True)
class StepLine:
    """A step as it would be."""

    number: int
    title: str
    phase: str
    role: str
    due: str
    days: str
    follows: str
    depth: int


@dataclass(frozen=True, slots=True)
class ImportPreview:
    """What a file would become; nothing is made yet."""

    section: str
    token: str
    name: str
    brought: BroughtPiece | None
    template: str
    category: str
    anchors: str
    into: int
    targets: tuple[tuple[int, str], ...]
    lines: tuple[StepLine, ...]
    count: int
    whole: bool = False
    problems: Mapping[str, str] = field(default_factory=dict)


@router.get("/import")
def import_page(request: Request, me: SignedIn) -> Response:
    """Choose a file."""
    return render(request, "library/import.html", ImportPage("library"))


@router.post("/import")
def bring(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Read a file, and go on to what would come of it; or say why it cannot be read."""
    file = form.get("file")
    if not isinstance(file, UploadFile) or not file.filename:
        page = ImportPage("library", ("Choose a file first.",))
        return form_again(request, "library/import.html", page, {"file": page.faults[0]})
    content, name = file.file.read(), file.filename[:200]
    try:
        upload = read_upload(content, name)
    except DocumentError as error:
        faults = tuple(str(fault) for fault in error.faults[:MOST_FAULTS])
        page = ImportPage("library", faults, name)
        return form_again(request, "library/import.html", page, {"file": "; ".join(faults)})
    with store.writing() as session:
        token = keep_upload(session, me, upload)
    return RedirectResponse(f"/import/{token}", status_code=303)


def read_upload(content: bytes, name: str) -> Upload:
    """What a file is: a template in JSON or YAML, else a table; read in a process of its own.

    Raises
    ------
    DocumentError
    """
    found = read_apart(content, name)
    if found.template is not None:
        return Upload(name, template=Template.model_validate(found.template))
    return Upload(name, table=Table(found.names, found.rows, found.bytewise))


@router.get("/import/{token}")
def look(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, token: str) -> Response:
    """What the file would become."""
    with store.reading() as session:
        upload = find_upload(session, me, token)
        page = _preview(session, me, token, upload, FormData(), settings.day())
    return render(request, "library/import_preview.html", page)


@router.post("/import/{token}")
def decide(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, token: str) -> Response:
    """Show it with other columns, or make it."""
    with store.reading() as session:
        upload = find_upload(session, me, token)
    if text_field(form, "act", 10) == "make":
        try:
            with store.writing() as session:
                where = _make(session, me, upload, form, settings.day())
            return RedirectResponse(f"/templates/{where}", status_code=303)
        except Refused as error:
            problems = dict(error.faults)
    else:
        problems = {}
    with store.reading() as session:
        page = _preview(session, me, token, upload, form, settings.day(), problems)
    if problems:
        return form_again(request, "library/import_preview.html", page, problems)
    return render(request, "library/import_preview.html", page)


def _target(session: Session, me: Actor, form: FormData) -> tuple[int, Template | None]:
    into = text_field(form, "into", 10)
    if not (number := number_in(into)):
        return 0, None
    edition = see_edition(session, me, number)
    if not edition.may("change a draft"):
        raise Refused({"into": "You may not change that template."})
    return number, edition.template


def _base(form: FormData, upload: Upload) -> Template:
    """The new template that a table's steps are put into, with the anchors that were named."""
    name = " ".join(text_field(form, "template", 300).split()) or upload.name.rpartition(".")[0] or upload.name
    category = " ".join(text_field(form, "category", 80).split())
    try:
        return Template(name=name[:200], category=category, anchors=anchors_named(text_field(form, "anchors", 2000)))
    except EditError as error:
        raise Refused({"anchors": f"Anchors: {error}."}) from error
    except ValueError:
        raise Refused({"template": "A template needs a name of up to 200 characters."}) from None


def _preview(
    session: Session,
    me: Actor,
    token: str,
    upload: Upload,
    form: FormData,
    today: dt.date,
    problems: Mapping[str, str] | None = None,
) -> ImportPreview:
    into, target = _target(session, me, form)
    template = target or _base(form, upload)
    piece: BroughtPiece | None = None
    lines: tuple[StepLine, ...] = ()
    whole = False
    if upload.table:
        wishes, fault = wishes_in(form, me, today)
        parts, cells = _parts(upload.table, form)
        template, whole = _with_parts(template, parts, form, into), parts is not None
        piece = piece_of(template, cells, wishes, fault, form)
        if upload.table.bytewise:
            chosen = text_field(form, "encoding", 20) or next(iter(ENCODINGS))
            piece = replace(piece, encodings=tuple(Choice(name, name, name == chosen) for name in ENCODINGS))
    else:
        template = upload.template or template
        lines = _lines(template)
    return ImportPreview(
        "library", token, upload.name, piece,
        text_field(form, "template", 300) or template.name,
        text_field(form, "category", 80) or template.category,
        text_field(form, "anchors", 2000) or ", ".join(anchor.label for anchor in template.anchors),
        into, may_edit(session, me), lines, piece.steps if piece else len(template.steps), whole, problems or {},
    )  # fmt: skip


def _parts(table: Table, form: FormData) -> tuple[Parts | None, Sequence[Sequence[str]]]:
    """The tables beside the steps that a file has if it was written here, and the steps' own cells."""
    try:
        return split_parts(table.written_in(text_field(form, "encoding", 20)).cells)
    except DocumentError as error:
        raise Refused({"": "; ".join(str(fault) for fault in error.faults[:5])}) from error


def _with_parts(template: Template, parts: Parts | None, form: FormData, into: int) -> Template:
    """The template that the steps are put into, with what the file says beside them; its own name where it has one."""
    if parts is None:
        return template
    try:
        whole = parts.on(template)
    except DocumentError as error:
        raise Refused({"": "; ".join(str(fault) for fault in error.faults[:5])}) from error
    named = template if into or "template" in form else whole
    return whole.model_copy(update={"name": named.name, "category": named.category})


def _lines(template: Template) -> tuple[StepLine, ...]:
    labels = {phase.key: phase.label for phase in template.phases}
    names, links = names_of(template), links_into(template)
    return tuple(
        StepLine(
            i, row.step.title, labels.get(row.phase or "", ""), field_text(template, row.step, "role"),
            field_text(template, row.step, "when"), field_text(template, row.step, "duration"),
            follows_words(links.get(row.step.key, []), names), row.depth,
        )
        for i, row in enumerate(rows(template)[:MOST_SHOWN], 1)
    )  # fmt: skip


def _make(session: Session, me: Actor, upload: Upload, form: FormData, today: dt.date) -> int:
    into, target = _target(session, me, form)
    if upload.template:
        template = upload.template
    else:
        assert upload.table
        wishes, fault = wishes_in(form, me, today)
        parts, cells = _parts(upload.table, form)
        brought = look_at(_with_parts(target or _base(form, upload), parts, form, into), cells, wishes)
        if fault or brought.faults:
            count = count_words(len(brought.faults) or 1, "cell")
            raise Refused({"": f"Nothing is made yet: {count} to mend, red below."})
        template = brought.template if parts is None else parts.with_steps(brought.template)
    said = f"imported from {upload.name}"
    if into:
        edit_draft(session, me, into, lambda _: changed(template))
        return into
    return keep_template(session, me, template, said=said).template_id


@router.get("/templates/{template_id}/steps.{form}")
def steps_file(me: SignedIn, store: StoreOf, template_id: Id, form: str, edition: Number = None) -> Response:
    """The steps as CSV or XLSX, or their network as GraphML."""
    with store.reading() as session:
        template = see_edition(session, me, template_id, edition).template
    name = slug(template.name, fallback="template")
    kinds: dict[str, tuple[str, Any]] = {
        "csv": ("text/csv", steps_csv), "xlsx": (XLSX, steps_xlsx),
        "graphml": ("application/graphml+xml", network_graphml),
    }  # fmt: skip
    if form not in kinds:
        raise Refused({"": "Steps come as csv, xlsx or graphml."})
    kind, write = kinds[form]
    return Response(
        write(template), media_type=kind, headers={"content-disposition": f'attachment; filename="{name}.{form}"'}
    )


@router.post("/templates/{template_id}/attachments")
def attach(me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id) -> Response:
    """Keep a file with a step."""
    file = form.get("file")
    content, name = (file.file.read(), file.filename or "") if isinstance(file, UploadFile) else (b"", "")
    kept = files.keep_file(store, me, settings.data, template_id, name, content)
    with store.writing() as session:
        files.attach(session, me, template_id, text_field(form, "key", 80), kept)
    return JSONResponse({"kept": True})


@router.get("/templates/{template_id}/attachments/{digest}")
def attached(
    me: SignedIn, store: StoreOf, settings: SettingsOf, template_id: Id, digest: str, edition: Number = None
) -> Response:
    """A file kept with a step; always saved, never shown as a page of ours."""
    from urllib.parse import quote

    with store.reading() as session:
        kept, place = files.attachment(session, me, settings.data, template_id, edition, digest)
    disposition = f"attachment; filename*=UTF-8''{quote(kept.name)}"
    return FileResponse(place, media_type="application/octet-stream", headers={"content-disposition": disposition})
