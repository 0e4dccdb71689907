"""What watches a server asks it; nobody is signed in for that."""

from __future__ import annotations

from fastapi import APIRouter, Request
from starlette.responses import PlainTextResponse

from unisequa.actions.people.people import people
from unisequa.core.errors import ActionError, StoreError
from unisequa.web.session import store_of

router = APIRouter(include_in_schema=False)
ROUTERS = (router,)


@router.get("/healthz")
def alive() -> PlainTextResponse:
    """Whether the process answers."""
    return PlainTextResponse("ok")


@router.get("/readyz")
def ready(request: Request) -> PlainTextResponse:
    """Whether the data can be read."""
    try:
        with store_of(request).reading() as session:
            people(session)
    except (ActionError, StoreError) as error:
        return PlainTextResponse(str(error), 503)
    return PlainTextResponse("ok")
