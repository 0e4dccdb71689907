"""Runs: rehearsed, started, read, shifted."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from unisequa.actions.programs.once import Answer
from unisequa.actions.programs.reading import run_lines, shift_changes
from unisequa.actions.programs.starting import choices_told, left_out
from unisequa.actions.runs.seeing import RunSeen, how_it_stands, see_run
from unisequa.actions.runs.shifts import apply_shift, read_edits, take_back
from unisequa.actions.starting.choices import Wanted
from unisequa.actions.starting.creating import start_run
from unisequa.actions.starting.rehearsing import rehearse
from unisequa.core.errors import Refused, ShiftError
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.result import Cascade
from unisequa.formats.cascade_document import cascade_document
from unisequa.formats.plan_document import plan_document
from unisequa.store.store import Session
from unisequa.web.api.calling import (
    BASE,
    After,
    Day,
    Id,
    IfMatch,
    IfNoneMatch,
    Key,
    Limit,
    Reads,
    Shifts,
    Starts,
    check_match,
    cursor_in,
    page_of,
    run_etag,
    unless_known,
    written,
)
from unisequa.web.api.shapes import Considered, Listed, Name, Shift, Start
from unisequa.web.inputs import Number
from unisequa.web.session import SettingsOf, StoreOf

router = APIRouter(tags=["runs"])
State = Literal["", "prepared", "live", "on hold", "finished", "called off"]
_ETAG = {"ETag": {"schema": {"type": "string"}}}


@router.post("/rehearsals", operation_id="rehearse")
def rehearsal(me: Reads, store: StoreOf, settings: SettingsOf, body: Start) -> dict[str, Any]:
    """The plan that a start would make; nothing is created."""
    with store.reading() as session:
        choices = choices_told(session, me.actor, body.model_dump())
        plan = rehearse(session, me.actor, body.template, body.edition, choices, settings.day())
        return plan_document(plan)


@router.get("/runs", operation_id="list_runs", response_model=Listed)
def runs(
    request: Request,
    me: Reads,
    store: StoreOf,
    settings: SettingsOf,
    limit: Limit = 50,
    after: After = "",
    state: State = "",
    template: Number = None,
    subject: Name = "",
    due_before: Day | None = Query(default=None),
) -> Response:
    """The runs that may be seen, the latest first; ``due_before`` those with something open due before a day."""
    today = settings.day()
    with store.reading() as session:
        found = run_lines(
            session, me.actor, today, state=state, template_id=template, subject=subject, due_before=due_before,
            below=cursor_in(after), most=limit + 1,
        )  # fmt: skip
    items = [{**one, "etag": run_etag(one["version"], today)} for one in found]
    return page_of(request, items, limit, lambda one: int(one["id"]))


@router.post(
    "/runs",
    operation_id="start_run",
    status_code=201,
    responses={201: {"headers": {"Location": {"schema": {"type": "string"}}, **_ETAG}}},
)
def start(request: Request, me: Starts, settings: SettingsOf, body: Start, key: Key = None) -> dict[str, Any]:
    """Start a run."""
    today = settings.day()

    def act(session: Session) -> Answer:
        choices = choices_told(session, me.actor, body.model_dump())
        wanted = Wanted(body.template, body.edition, choices)
        number = start_run(session, me.actor, wanted.template_id, wanted.number, choices, today)
        seen = see_run(session, me.actor, number, today)
        made = {
            "id": seen.id, "name": seen.name, "state": seen.state, "version": seen.version,
            "tasks": len(seen.tasks), "left_out": left_out(seen),
        }  # fmt: skip
        return Answer(201, made, {"location": f"{BASE}/runs/{number}", "etag": run_etag(seen.version, today)})

    return written(request, me, key, body, act)  # type: ignore[return-value]


@router.get(
    "/runs/{run_id}",
    operation_id="get_run",
    responses={200: {"headers": _ETAG}, 304: {"description": "As you have it"}},
)
def run(
    me: Reads, store: StoreOf, settings: SettingsOf, run_id: Id, if_none_match: IfNoneMatch = None
) -> dict[str, Any]:
    """One run with its plan."""
    today = settings.day()
    with store.reading() as session:
        seen = see_run(session, me.actor, run_id, today)
    return unless_known(if_none_match, run_etag(seen.version, today), lambda: run_body(seen))  # type: ignore[return-value]


def run_body(seen: RunSeen) -> dict[str, Any]:
    """A run as programs read it."""
    stands = how_it_stands(seen, closely=False)
    return {
        "id": seen.id, "name": seen.name, "state": seen.state, "version": seen.version, "keeper": seen.keeper,
        "template": {"id": seen.template_id, "name": seen.template_name, "edition": seen.edition},
        "subject": seen.subject or None,
        "outlook": {"is": stands.standing, "why": stands.reason} if stands.standing else None,
        "plan": {**plan_document(seen.plan), "state": seen.state},
    }  # fmt: skip


@router.post("/runs/{run_id}/cascade", operation_id="consider_shift")
def consider(me: Reads, store: StoreOf, settings: SettingsOf, run_id: Id, body: Considered) -> dict[str, Any]:
    """What would follow from edits; nothing is changed."""
    with store.reading() as session:
        seen = see_run(session, me.actor, run_id, settings.day())
    return cascade_document(_cascade(seen, body))


def _cascade(seen: RunSeen, body: Considered) -> Cascade:
    try:
        return cascade(seen.plan, read_edits(body.edits, seen.plan), body.mode)
    except ShiftError as error:
        raise Refused({"edits": f"{error}."}) from error


@router.post("/runs/{run_id}/shifts", operation_id="apply_shift", status_code=201, responses={201: {"headers": _ETAG}})
def shift(
    request: Request,
    me: Shifts,
    settings: SettingsOf,
    run_id: Id,
    body: Shift,
    if_match: IfMatch = None,
    key: Key = None,
) -> dict[str, Any]:
    """Apply edits to the run that they were worked out on."""
    today = settings.day()

    def act(session: Session) -> Answer:
        seen = see_run(session, me.actor, run_id, today)
        check_match(if_match, run_etag(seen.version, today), lambda: run_body(seen))
        done = apply_shift(session, me.actor, run_id, seen.version, body.edits, today, body.why, body.mode)
        after, changes = shift_changes(session, me.actor, run_id, done.number)
        made = {"number": done.number, "version": after, "changes": changes}
        return Answer(201, made, {"etag": run_etag(after, today)})

    return written(request, me, key, body, act)  # type: ignore[return-value]


@router.post(
    "/runs/{run_id}/shifts/{number}/take-back", operation_id="take_shift_back", responses={200: {"headers": _ETAG}}
)
def back(
    request: Request,
    me: Shifts,
    settings: SettingsOf,
    run_id: Id,
    number: Id,
    if_match: IfMatch = None,
    key: Key = None,
) -> dict[str, Any]:
    """Take a shift back; it stays in the history."""
    today = settings.day()

    def act(session: Session) -> Answer:
        seen = see_run(session, me.actor, run_id, today)
        check_match(if_match, run_etag(seen.version, today), lambda: run_body(seen))
        stands = take_back(session, me.actor, run_id, number, today)
        after, changes = shift_changes(session, me.actor, run_id, number, back=True)
        made = {"number": number, "version": after, "changes": changes, "stands": stands}
        return Answer(200, made, {"etag": run_etag(after, today)})

    return written(request, me, key, {}, act)  # type: ignore[return-value]
