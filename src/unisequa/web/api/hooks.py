"""Calls from outside, at a secret address: what a hand-off waits for."""

from __future__ import annotations

import secrets
from typing import Annotated, Any

from fastapi import APIRouter, Body, Header, Path, Request
from starlette.responses import JSONResponse, Response

from unisequa.actions.happening import call
from unisequa.web.api.problems import ApiError
from unisequa.web.session import SettingsOf, StoreOf

router = APIRouter(tags=["hooks"])
Sent = Annotated[dict[str, Any], Body(description="what is handed on, by name", examples=[{"starts": "2027-01-11"}])]
WebhookId = Annotated[str | None, Header(max_length=150, description="by which the same call is known again")]


@router.post("/hooks/in/{secret}", operation_id="call_in", status_code=202)
def call_in(
    request: Request,
    store: StoreOf,
    settings: SettingsOf,
    secret: Annotated[str, Path(max_length=200, examples=["an-address-of-a-hand-off"])],
    body: Sent,
    webhook_id: WebhookId = None,
) -> Response:
    """Tell a hand-off that what it waits for has happened. The address is its key; no token goes along."""
    with store.writing() as session:
        there = call(session, secret, body, webhook_id or secrets.token_hex(8), settings.day())
    if not there:
        raise ApiError(404, "No hand-off waits at this address.")
    return JSONResponse({"accepted": True}, 202)
