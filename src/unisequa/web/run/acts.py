"""What is done with a run and its tasks: states changed."""

from __future__ import annotations

from dataclasses import replace
from typing import cast

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.runs.life import set_run_state
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.work import act_on_task
from unisequa.core.errors import Refused
from unisequa.core.work.task_states import Act
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.run.asked import asked_in
from unisequa.web.run.work import work_on
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/state")
def change_state(request: Request, me: SignedIn, form: Posted, store: StoreOf, run_id: int) -> Response:
    """Open, hold, finish or call off a run."""
    with store.writing() as session:
        set_run_state(session, me, run_id, field(form, "state", 20))
    return RedirectResponse(f"/runs/{run_id}", status_code=303)


@router.post("/runs/{run_id}/tasks/{key}/act")
def act(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: int, key: str
) -> Response:
    """Begin, finish, sign off, send back, drop or reopen a task."""
    asked = asked_in(form, selected=key)
    faults: tuple[tuple[str, str], ...] = ()
    try:
        with store.writing() as session:
            wanted = cast(Act, field(form, "act", 20))
            confirmed = field(form, "confirmed", 5) == "yes"
            act_on_task(session, me, run_id, key, wanted, settings.day(), confirmed=confirmed)
    except Refused as error:
        faults = tuple(error.faults.items())
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    piece = work_on(run, replace(asked, faults=asked.faults + faults))
    if faults:
        return form_again(request, "run/_work.html", {"work": piece}, dict(faults))
    return render(request, "run/_work.html", {"work": piece})
