"""What a task waits for in other runs because somebody drew it: taken out again."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from unisequa.actions.runs.drawn_waits import take_wait_out
from unisequa.core.errors import Refused
from unisequa.web.inputs import Id
from unisequa.web.run.acts import answer
from unisequa.web.run.asked import asked_in
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf

router = APIRouter()


@router.post("/runs/{run_id}/tasks/{key}/waits/{number}/remove")
def take_out(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf,
    run_id: Id, key: str, number: Id, of: Annotated[str, Query(max_length=200)] = "",
) -> Response:  # fmt: skip
    """Let a task no longer wait for what somebody drew."""
    asked = asked_in(form, selected=key)
    try:
        with store.writing() as session:
            words = take_wait_out(session, me, run_id, key, number, of, settings.day())
        asked = replace(asked, toast=f"{words}.")
    except Refused as error:
        asked = replace(asked, faults=asked.faults + tuple(error.faults.items()))
    return answer(request, me, store, settings, run_id, asked)
