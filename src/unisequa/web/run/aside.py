"""What if: shifts kept aside under a name, taken up again, dropped."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.runs import in_hand
from unisequa.actions.runs.in_hand import Held
from unisequa.actions.runs.seeing import see_run
from unisequa.core.errors import Refused
from unisequa.web.inputs import Id
from unisequa.web.run.acts import answer
from unisequa.web.run.asked import asked_in
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/aside")
def keep(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Keep the shift at hand aside under a name."""
    asked, name = asked_in(form), field(form, "name", 200)
    held = Held(asked.documents, asked.mode, asked.why)
    try:
        with store.writing() as session:
            in_hand.keep_aside(session, me, see_run(session, me, run_id, settings.day()), held, name)
        asked = replace(asked, documents=(), why="", mode="push", toast=f"Kept aside as “{' '.join(name.split())}”.")
    except Refused as error:
        asked = replace(asked, toast=str(error), faults=tuple(error.faults.items()))
    return answer(request, me, store, settings, run_id, asked)


@router.post("/runs/{run_id}/asides/{number}")
def take_up(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, number: Id
) -> Response:
    """Consider a shift again that was kept aside; it stays there too."""
    asked = asked_in(form)
    with store.writing() as session:
        run = see_run(session, me, run_id, settings.day())
        held = in_hand.aside(session, me, run_id, number)
        in_hand.hold(session, me, run, held)
    asked = replace(asked, documents=held.edits, mode=held.mode, why=held.why)
    return answer(request, me, store, settings, run_id, asked)


@router.post("/runs/{run_id}/asides/{number}/drop")
def drop(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, number: Id
) -> Response:
    """Drop a shift that is kept aside."""
    with store.writing() as session:
        see_run(session, me, run_id, settings.day())
        name = in_hand.drop_aside(session, me, run_id, number)
    return answer(request, me, store, settings, run_id, replace(asked_in(form), toast=f"“{name}” is dropped."))
