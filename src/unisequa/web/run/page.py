"""A run as sheet or list, and the panel of one of its tasks."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import consider
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, as_zoom
from unisequa.web.run.head import VIEWS, RunHead, run_head
from unisequa.web.run.panel import TaskPanel, task_panel
from unisequa.web.run.side import side
from unisequa.web.run.work import Work, work_on
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
    run_id: int,
    view: str = "sheet",
    task: str = "",
    zoom: str = "day",
) -> Response:
    """A run in one of its views."""
    if view in {"crew", "facts", "history"}:
        return side(request, me, store, settings, run_id, view)
    view = "list" if view == "list" else "sheet"
    asked = Asked(zoom=as_zoom(zoom), selected=task, view=view)
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    piece = work_on(run, asked)
    return render(request, "run/page.html", RunPage("runs", VIEWS, view, piece.head, piece))


@router.get("/runs/{run_id}/tasks/{key}")
def panel(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int, key: str) -> Response:
    """The panel of one task."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    run.task(key)
    return render(request, "run/_panel.html", PanelPiece(task_panel(consider(run, ()), key), run_head(run)))
