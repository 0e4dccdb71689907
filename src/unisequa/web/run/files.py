"""Files kept with tasks."""

from __future__ import annotations

from urllib.parse import quote

from fastapi import APIRouter
from starlette.datastructures import UploadFile
from starlette.responses import FileResponse, JSONResponse, Response

from unisequa.actions.runs.filing import file_in, keep_file, remove_file
from unisequa.web.inputs import Id
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf

router = APIRouter()


@router.post("/runs/{run_id}/tasks/{key}/files")
def add(me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str) -> Response:
    """Keep a file with a task."""
    file = form.get("file")
    content, name = (file.file.read(), file.filename or "") if isinstance(file, UploadFile) else (b"", "")
    keep_file(store, me, settings.data, run_id, key, name, content)
    return JSONResponse({"kept": True})


@router.post("/runs/{run_id}/files/{number}/remove")
def remove(me: SignedIn, form: Posted, store: StoreOf, run_id: Id, number: Id) -> Response:
    """Take a file out again."""
    with store.writing() as session:
        remove_file(session, me, run_id, number)
    return JSONResponse({"kept": False})


@router.get("/runs/{run_id}/files/{digest}")
def get(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id, digest: str) -> Response:
    """A file of a run; always saved, never shown as a page of ours."""
    with store.reading() as session:
        name, place = file_in(session, me, settings.data, run_id, digest)
    disposition = f"attachment; filename*=UTF-8''{quote(name)}"
    return FileResponse(place, media_type="application/octet-stream", headers={"content-disposition": disposition})
