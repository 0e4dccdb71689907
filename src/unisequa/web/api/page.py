"""For other programs: one's tokens, and the API to read."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor
from unisequa.actions.programs.feeds import FeedSeen, feeds
from unisequa.actions.programs.tokens import SCOPES, TokenSeen, end_token, make_token, tokens
from unisequa.actions.webhooks.hooks import EVENTS, WebhookSeen, webhooks
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.errors import DateRangeError, Refused, TypedError
from unisequa.store.store import Store
from unisequa.web.api.app import DESCRIPTION
from unisequa.web.api.calling import BASE
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class ProgramsPage:
    """One's tokens; ``made`` is a new one, which is shown this once."""

    section: str
    tokens: tuple[TokenSeen, ...]
    scopes: Mapping[str, str]
    address: str
    feeds: tuple[FeedSeen, ...] = ()
    made: str = ""
    feed_made: str = ""
    hooks: tuple[WebhookSeen, ...] = ()
    hook_made: str = ""
    typed: Mapping[str, str] = field(default_factory=dict)
    chosen: tuple[str, ...] = ("read",)
    faults: Mapping[str, str] = field(default_factory=dict)
    events: Mapping[str, str] = field(default_factory=lambda: EVENTS)


@dataclass(frozen=True, slots=True)
class Operation:
    """Something that the API does."""

    method: str
    path: str
    summary: str
    scope: str
    params: tuple[tuple[str, str], ...]
    body: str


@dataclass(frozen=True, slots=True)
class ReadingPage:
    """The API to read."""

    section: str
    about: str
    address: str
    groups: tuple[tuple[str, tuple[Operation, ...]], ...]


@router.get("/account/programs")
def programs(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """One's tokens."""
    return render(request, "api/tokens.html", programs_page(me, store, settings.day()))


def programs_page(me: Actor, store: Store, today: dt.date, **more: Any) -> ProgramsPage:
    """One's tokens and feeds, with what else the page shows."""
    with store.reading() as session:
        own, seen, hooks = tokens(session, me, today), feeds(session, me), webhooks(session, me)
    return ProgramsPage("", own, SCOPES, BASE, seen, hooks=hooks, **more)


@router.post("/account/programs")
def make(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """A new token, shown once."""
    today = settings.day()
    typed = {name: text_field(form, name, 200) for name in ("name", "until")}
    chosen = tuple(str(value)[:20] for value in form.getlist("scope"))
    try:
        until = _until(typed["until"], today, me)
        with store.writing() as session:
            token = make_token(session, me, typed["name"], chosen, until, today)
    except Refused as error:
        page = programs_page(me, store, today, typed=typed, chosen=chosen, faults=error.faults)
        return form_again(request, "api/tokens.html", page, error.faults)
    return render(request, "api/tokens.html", programs_page(me, store, today, made=token))


def _until(text: str, today: dt.date, me: Actor) -> dt.date | None:
    if not text.strip():
        return None
    try:
        return typed_date(text, today=today, base=None, calendar=WorkingCalendar(), month_first=me.month_first)
    except (TypedError, DateRangeError) as error:
        raise Refused({"until": str(error)}) from None


@router.post("/account/programs/{number}/end")
def end(me: SignedIn, form: Posted, store: StoreOf, number: Id) -> Response:
    """Have a token count no more."""
    with store.writing() as session:
        end_token(session, me, number)
    return RedirectResponse("/account/programs", status_code=303)


@router.get("/account/programs/api")
def reading(request: Request, me: SignedIn) -> Response:
    """What other programs may ask for, to read."""
    described = request.app.state.api.openapi()
    groups: dict[str, list[Operation]] = {}
    for path, methods in described["paths"].items():
        for method, one in methods.items():
            groups.setdefault(one.get("tags", [""])[0], []).append(_operation(described, method, path, one))
    page = ReadingPage("", DESCRIPTION, BASE, tuple((name, tuple(ops)) for name, ops in groups.items()))
    return render(request, "api/reading.html", page)


def _operation(described: Mapping[str, Any], method: str, path: str, one: Mapping[str, Any]) -> Operation:
    params = tuple(
        (param["name"], param.get("description") or param["schema"].get("description", ""))
        for param in one.get("parameters", ())
        if param["in"] != "path"
    )
    scope = (
        "" if one["operationId"] == "call_in" else {"get": "read"}.get(method) or _SCOPE.get(one["operationId"], "read")
    )
    return Operation(method.upper(), path, one.get("description", ""), scope, params, _example(described, one))


_SCOPE = {
    "create_template": "design", "put_draft": "design", "start_run": "start", "put_subject": "start",
    "apply_shift": "shift", "take_shift_back": "shift", "act_on_task": "work",
}  # fmt: skip


def _example(described: Mapping[str, Any], one: Mapping[str, Any]) -> str:
    """A body that could be sent, from the examples of its parts."""
    content = one.get("requestBody", {}).get("content", {}).get("application/json")
    if not content:
        return ""
    schema = content["schema"]
    if "$ref" in schema:
        schema = described["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
    if schema.get("examples"):
        return json.dumps(schema["examples"][0], ensure_ascii=False, indent=2)
    made = {}
    for name, part in schema.get("properties", {}).items():
        if part.get("examples"):
            made[name] = part["examples"][0]
        elif name in schema.get("required", ()):
            made[name] = part.get("default", "…")
    return json.dumps(made, ensure_ascii=False, indent=2)
