"""A run as sheet or list, and the panel of one of its tasks."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.in_hand import InHand, in_hand
from unisequa.actions.runs.in_hand import aside as kept_aside
from unisequa.actions.runs.proposing import proposal as proposed
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.talking import see_more
from unisequa.core.errors import Refused
from unisequa.settings import Settings
from unisequa.store.store import Store
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, as_view, as_zoom, documents_in
from unisequa.web.run.head import VIEWS, RunHead, run_head
from unisequa.web.run.looking import LOOKED, look_in
from unisequa.web.run.panel import TaskPanel, task_panel
from unisequa.web.run.shift import with_anchor
from unisequa.web.run.side import side
from unisequa.web.run.work import Work, at_hand, considered_of, work_on
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()


@dataclass(frozen=True, slots=True)
class RunPage:
    """The sheet or the list of a run."""

    section: str
    views: tuple[tuple[str, str], ...]
    view: str
    head: RunHead
    work: Work


@dataclass(frozen=True, slots=True)
class PanelPiece:
    """The panel alone."""

    panel: TaskPanel
    head: RunHead


@router.get("/runs/{run_id}")
def run_page(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    run_id: Id,
    view: str = "sheet",
    task: str = "",
    zoom: str = "day",
    edits: str = "",
    anchor: str = "",
    to: str = "",
    proposal: Number = None,
    aside: Number = None,
    saved: str = "",
) -> Response:
    """A run in one of its views; ``edits`` are a shift made ready, ``anchor`` and ``to`` one of an anchor, as
    typed, ``proposal`` the number of one that somebody has sent, ``aside`` that of one that is kept aside."""
    if view in {"crew", "facts", "history"}:
        return side(request, me, store, settings, run_id, view, saved=saved == "yes")
    view = as_view(view)
    look = look_in({name: request.query_params.get(name, "") for name in LOOKED})
    asked = Asked(zoom=as_zoom(zoom), selected=task, view=view, documents=documents_in(edits), look=look)
    try:
        piece = _piece(me, store, settings, run_id, asked, proposal, aside, (anchor, to))
    except Refused as error:
        if not anchor:
            raise
        # shown where the day was typed
        return side(request, me, store, settings, run_id, "facts", error.faults, {f"anchor.{anchor}": to})
    return render(request, "run/page.html", RunPage("runs", VIEWS, view, piece.head, piece))


def _piece(
    me: Actor,
    store: Store,
    settings: Settings,
    run_id: int,
    asked: Asked,
    proposal: int | None,
    aside: int | None,
    anchor: tuple[str, str],
) -> Work:
    """The part of the page that is asked for, with a shift that is sent, kept aside, in hand or of an anchor."""
    with store.reading() as session:
        if proposal is not None:
            sent = proposed(session, me, run_id, proposal)
            if sent.state == "open":
                asked = replace(asked, documents=sent.edits, mode=sent.mode, proposal=sent.number)
            else:
                asked = replace(asked, toast=f"This proposal is {sent.state}.")
        run = see_run(session, me, run_id, settings.day())
        if aside is not None:
            asked = at_hand(run, asked, InHand(kept_aside(session, me, run_id, aside)))
        elif not asked.documents and proposal is None:
            asked = at_hand(run, asked, in_hand(session, me, run))
        key, day = anchor
        if key:
            asked = with_anchor(run, asked, key, day, settings.day(), month_first=me.month_first)
        return work_on(session, me, run, asked)


PIECES = {"row": "run/_menu.html", "date": "run/_why.html"}
"""What is shown of a task at its row, by where it is asked for."""


@router.get("/runs/{run_id}/tasks/{key}")
def panel(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id, key: str, on: str = ""
) -> Response:
    """The panel of one task; ``on`` the desk it is without what shifts dates. With the shift in hand, on a row it is a
    menu of what can be done there, on a date what holds it."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        run.task(key)
        more = see_more(session, me, run, key)
        asked = at_hand(run, Asked(), in_hand(session, me, run)) if on in PIECES else Asked()
    piece = task_panel(considered_of(run, asked), key, more, on_desk=on == "desk")
    return render(request, PIECES.get(on, "run/_panel.html"), PanelPiece(piece, run_head(run, closely=False)))
