"""A run on paper: its sheet over as many pages as it needs, then its list; and the sheet as SVG to take along."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import dataclass
from typing import Annotated, cast

from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.baselines import against
from unisequa.actions.runs.beyond import beyond
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.actions.runs.shifts import consider
from unisequa.core.calendars.words import day_words
from unisequa.core.design.editing import slug
from unisequa.store.store import Store
from unisequa.web.drawing.paper import SIZES, Line, Paper, Sheet, pages, svg, whole
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.run.head import RunHead, run_head
from unisequa.web.run.looking import LOOKED, Look, look_in
from unisequa.web.run.sheet import BeyondLine, PhaseLine, RunSheet, TaskLine, run_sheet
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
PaperAsked = Annotated[str, Query(max_length=10)]


@dataclass(frozen=True, slots=True)
class PaperPage:
    """The run as it is printed: the pages of its sheet as SVG, then the list of what stands on it."""

    head: RunHead
    paper: str
    papers: tuple[str, ...]
    pages: tuple[str, ...]
    lines: tuple[PhaseLine | TaskLine | BeyondLine, ...]
    made: str
    query: str


@router.get("/runs/{run_id}/paper")
def printed(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id, paper: PaperAsked = "a4"
) -> Response:
    """The run as pages to print, on A4 or Letter, looked at as the sheet is."""
    size = cast(Paper, paper if paper in SIZES else "a4")
    run, seen = _seen(request, me, store, settings.day(), run_id)
    sheet = _sheet(seen)
    drawn = tuple(svg(sheet, page) for page in pages(sheet, size))
    lines = tuple(line for line in seen.lines if isinstance(line, PhaseLine | TaskLine | BeyondLine))
    made = day_words(settings.day().toordinal(), year=True)
    page = PaperPage(run_head(run, closely=False), size, tuple(SIZES), drawn, lines, made, _look(request).query())
    return render(request, "run/paper.html", page)


@router.get("/runs/{run_id}/sheet.svg")
def as_svg(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """The whole sheet as one drawing."""
    run, seen = _seen(request, me, store, settings.day(), run_id)
    sheet = _sheet(seen)
    name = f"{slug(run.name, fallback='run')}.svg"
    headers = {"content-disposition": f'attachment; filename="{name}"'}
    return Response(svg(sheet, whole(sheet)), media_type="image/svg+xml", headers=headers)


def _seen(request: Request, me: Actor, store: Store, today: dt.date, run_id: int) -> tuple[RunSeen, RunSheet]:
    look = _look(request)
    with store.reading() as session:
        run = see_run(session, me, run_id, today)
        beside = against(session, run, look.against) if look.against else None
        there = beyond(session, me, run)
    return run, run_sheet(consider(run, ()), look, whole=True, beside=beside, beyond=there)


def _look(request: Request) -> Look:
    return look_in({name: request.query_params.get(name, "") for name in LOOKED})


def _sheet(seen: RunSheet) -> Sheet:
    return Sheet([_line(line) for line in seen.lines], json.loads(seen.field))


def _line(line: object) -> Line:
    if isinstance(line, PhaseLine):
        return Line(f"{line.label}  {line.done} of {line.of}", head=True)
    if isinstance(line, BeyondLine):
        return Line(line.title, line.run, line.due, pale=True)
    assert isinstance(line, TaskLine)
    return Line(line.title, line.who or line.role, line.due, line.level, line.parent)
