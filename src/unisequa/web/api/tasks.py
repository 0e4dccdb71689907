"""Tasks: listed, read, worked on."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, Literal, cast

from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from unisequa.actions.programs.once import Answer
from unisequa.actions.programs.reading import task_lines, task_seen
from unisequa.actions.runs.handing import take
from unisequa.actions.runs.seeing import RunSeen
from unisequa.actions.runs.talking import write_comment
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.core.errors import Refused
from unisequa.core.work.task_states import Act as TaskAct
from unisequa.core.work.task_states import acts
from unisequa.formats.plan_document import task_document
from unisequa.store.store import Session
from unisequa.web.api.calling import (
    After,
    Day,
    Id,
    IfMatch,
    IfNoneMatch,
    Key,
    Limit,
    Reads,
    Works,
    check_match,
    cursor_in,
    etag_of,
    page_of,
    unless_known,
    written,
)
from unisequa.web.api.shapes import Act, Listed
from unisequa.web.session import SettingsOf, StoreOf

router = APIRouter(tags=["tasks"])
Mine = Annotated[
    Literal["", "yes", "true", "1", "no", "false", "0"],
    Query(description="one's own, in live runs; alone it means yes"),
]
State = Literal["", "waiting", "ready", "under way", "in review", "done", "dropped"]


@router.get("/tasks", operation_id="list_tasks", response_model=Listed)
def tasks(
    request: Request,
    me: Reads,
    store: StoreOf,
    settings: SettingsOf,
    limit: Limit = 50,
    after: After = "",
    mine: Mine = "no",
    state: State = "",
    due_before: Day | None = Query(default=None),
) -> Response:
    """Tasks of the runs that may be seen; ``mine`` those that are one's own, in live runs."""
    today, asked = settings.day(), mine not in {"no", "false", "0"}
    with store.reading() as session:
        found = task_lines(
            session, me.actor, today, mine=asked, state=state, due_before=due_before, above=cursor_in(after),
            most=limit + 1,
        )  # fmt: skip
    items = [{**one, "etag": etag_of(one, today)} for one in found]
    return page_of(request, items, limit, lambda one: int(one["id"]))


@router.get(
    "/tasks/{task_id}",
    operation_id="get_task",
    responses={200: {"headers": {"ETag": {"schema": {"type": "string"}}}}, 304: {"description": "As you have it"}},
)
def task(
    me: Reads, store: StoreOf, settings: SettingsOf, task_id: Id, if_none_match: IfNoneMatch = None
) -> dict[str, Any]:
    """One task."""
    today = settings.day()
    with store.reading() as session:
        seen, key = task_seen(session, me.actor, task_id, today)
    body = task_body(seen, key, task_id)
    return unless_known(if_none_match, etag_of(body, today), lambda: body)  # type: ignore[return-value]


def task_body(run: RunSeen, key: str, number: int) -> dict[str, Any]:
    """A task as programs read it, with what may be done with it."""
    task, plan = run.tasks[key], run.plan
    state = cast(Any, run.state_of(key))
    may = [one.act for one in acts(state, may_skip=task.may_skip or run.may_change)] if task.may_work else []
    signs = [act for act in may if act in {"sign off", "send back"}]
    may = [act for act in may if act not in signs] + (["sign off", "send back"] if task.may_sign_off else [])
    if run.state != "live" or run.is_parent(key):
        may = []
    return {
        "id": number, "run": {"id": run.id, "name": run.name, "state": run.state}, **task_document(plan, key),
        "state": state, "who": task.who, "instructions": task.instructions, "kind": task.kind, "gate": task.gate,
        "sign_off_role": task.sign_off_role, "may": may + (["comment"] if run.may_comment else []),
    }  # fmt: skip


@router.post(
    "/tasks/{task_id}/acts",
    operation_id="act_on_task",
    responses={200: {"headers": {"ETag": {"schema": {"type": "string"}}}}},
)
def act(
    request: Request, me: Works, settings: SettingsOf, task_id: Id, body: Act, if_match: IfMatch = None, key: Key = None
) -> dict[str, Any]:
    """Begin, finish, sign off, send back, drop, reopen, comment, or take from a queue."""
    today = settings.day()

    def do(session: Session) -> Answer:
        seen, task_key = task_seen(session, me.actor, task_id, today)
        before = task_body(seen, task_key, task_id)
        check_match(if_match, etag_of(before, today), lambda: before)
        if body.act == "comment":
            write_comment(session, me.actor, seen.id, task_key, body.text)
        elif body.act == "take":
            take(session, me.actor, seen.id, [task_key], today)
        else:
            act_name: TaskAct = body.act
            deed = Deed(act_name, [task_key], _on(body.on), body.why or body.text, body.confirmed)
            act_on_tasks(session, me.actor, seen.id, deed, today)
        session.expire_all()
        after, _ = task_seen(session, me.actor, task_id, today)
        made = task_body(after, task_key, task_id)
        return Answer(200, made, {"etag": etag_of(made, today)})

    return written(request, me, key, body, do)  # type: ignore[return-value]


def _on(text: str | None) -> dt.date | None:
    if text is None:
        return None
    try:
        return dt.datetime.fromisoformat(text) if "T" in text else dt.date.fromisoformat(text)
    except ValueError:
        raise Refused({"on": f'"{text}" is no date; write it as 2026-11-30, or 2026-11-30T19:40.'}) from None
