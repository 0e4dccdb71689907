"""Views that somebody names."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.responses import RedirectResponse, Response

from unisequa.actions.runs.seeing import run_of
from unisequa.actions.runs.views import keep_view, remove_view
from unisequa.web.inputs import Id
from unisequa.web.run.asked import as_view
from unisequa.web.run.looking import LOOKED, look_in
from unisequa.web.session import Posted, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/views")
def keep(me: SignedIn, form: Posted, store: StoreOf, run_id: Id) -> Response:
    """Keep how the run is looked at now under a name."""
    look = look_in({name: field(form, name, 100) for name in LOOKED})
    view = as_view(field(form, "view", 10))
    query = look.query(**({} if view == "sheet" else {"view": view}))
    with store.writing() as session:
        run_of(session, run_id, me)
        keep_view(session, me, field(form, "name", 200), query)
    return RedirectResponse(f"/runs/{run_id}" + (f"?{query}" if query else ""), status_code=303)


@router.post("/runs/{run_id}/views/{number}/remove")
def remove(me: SignedIn, form: Posted, store: StoreOf, run_id: Id, number: Id) -> Response:
    """Take a view off."""
    with store.writing() as session:
        run_of(session, run_id, me)
        remove_view(session, me, number)
    return RedirectResponse(f"/runs/{run_id}", status_code=303)
