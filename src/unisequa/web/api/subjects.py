"""Subjects: records from the system that owns them."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request
from starlette.responses import Response

from unisequa.actions.programs.once import Answer
from unisequa.actions.programs.records import RecordSeen, Told, keep_record, record, records
from unisequa.actions.subjects import SubjectSeen
from unisequa.store.store import Session
from unisequa.web.api.calling import (
    BASE,
    After,
    IfNoneMatch,
    Key,
    Limit,
    Reads,
    Starts,
    cursor_in,
    etag_of,
    page_of,
    unless_known,
    written,
)
from unisequa.web.api.shapes import Listed, SubjectTold
from unisequa.web.session import SettingsOf, StoreOf

router = APIRouter(tags=["subjects"])
Kind = Annotated[str, Path(max_length=40, pattern=r"^[A-Za-z0-9][A-Za-z0-9 _.-]*$", examples=["person"])]
Ref = Annotated[str, Path(max_length=200, pattern=r"^[A-Za-z0-9][A-Za-z0-9 _.:@-]*$", examples=["E-1042"])]
MOST = 10_000


@router.get("/subjects", operation_id="list_subjects", response_model=Listed)
def subjects(
    request: Request,
    me: Reads,
    store: StoreOf,
    limit: Limit = 50,
    after: After = "",
    q: Annotated[str, Query(max_length=200)] = "",
) -> Response:
    """The subjects that may be chosen among, or those whose name holds some words."""
    above = cursor_in(after) or 0
    with store.reading() as session:
        found = sorted(records(session, me.actor, q.replace("\x00", ""), MOST), key=lambda one: one.id)
    items = [_body(one) for one in found if one.id > above]
    return page_of(request, items[: limit + 1], limit, lambda one: int(one["id"]))


@router.get("/subjects/{kind}/{ref}", operation_id="get_subject", responses={304: {"description": "As you have it"}})
def subject(
    me: Reads, store: StoreOf, settings: SettingsOf, kind: Kind, ref: Ref, if_none_match: IfNoneMatch = None
) -> dict[str, Any]:
    """One record, by its system's name for it."""
    with store.reading() as session:
        body = _record(record(session, me.actor, kind, ref))
    return unless_known(if_none_match, etag_of(body, settings.day()), lambda: body)  # type: ignore[return-value]


@router.put("/subjects/{kind}/{ref}", operation_id="put_subject", responses={201: {"description": "It is new"}})
def put(
    request: Request, me: Starts, settings: SettingsOf, kind: Kind, ref: Ref, body: SubjectTold, key: Key = None
) -> dict[str, Any]:
    """What the system that owns a record says of it."""

    def act(session: Session) -> Answer:
        told = Told(body.name, body.position, body.unit, body.manager, body.dates)
        kept, new = keep_record(session, me.actor, kind, ref, told, settings.day())
        return Answer(201 if new else 200, _record(kept), {"location": f"{BASE}/subjects/{kind}/{ref}"})

    return written(request, me, key, body, act)  # type: ignore[return-value]


def _body(one: SubjectSeen) -> dict[str, Any]:
    return {
        "id": one.id, "name": one.name, "position": one.position, "unit": one.unit, "manager": one.manager or None,
        "dates": {label: day.isoformat() for label, day in one.dates.items()},
    }  # fmt: skip


def _record(seen: RecordSeen) -> dict[str, Any]:
    return {"kind": seen.kind, "ref": seen.ref, **_body(seen.subject)}
