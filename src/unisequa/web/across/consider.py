"""A shift begun by dragging a run or a task elsewhere than on its own page: it opens there, to be looked at."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.across.considering import take_in_hand
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/consider")
def consider(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Take edits of a run in hand, and go there. ``edits`` is a list of their documents."""
    run_id = number_in(field(form, "run", 12))
    documents = _documents(field(form, "edits", 20_000))
    with store.writing() as session:
        take_in_hand(session, me, run_id, documents, settings.day())
    key = next((str(one["task"]) for one in documents if "task" in one), "")
    return RedirectResponse(f"/runs/{run_id}" + (f"?task={key}" if key else ""), status_code=303)


def _documents(text: str) -> list[dict[str, Any]]:
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, list) or not found or not all(isinstance(one, dict) for one in found):
        raise Refused({"edits": "This says no edit that is known; go back and try it again."})
    return found
