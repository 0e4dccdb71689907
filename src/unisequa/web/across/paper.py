"""Horizon and load on paper: as SVG over as many pages as they need, heads repeated; and as one drawing."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from typing import Annotated, Any, cast

from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from unisequa.actions.across import horizon as horizon_of
from unisequa.actions.across import load as load_of
from unisequa.actions.across.horizon import Horizon, RunSeen
from unisequa.actions.across.load import Cell, Loads, Period, PersonLoad
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.words import count_words, day_words
from unisequa.store.store import Store
from unisequa.web.across.horizon import asked_in
from unisequa.web.across.load import asked_days, hours_in_cell, periods_from
from unisequa.web.drawing.paper import (
    ACT,
    FONT,
    HAIR,
    INK,
    LATE,
    OFF,
    PALE,
    PAPER,
    SIZES,
    SOFT,
    Line,
    Paper,
    Sheet,
    svg,
    whole,
)
from unisequa.web.drawing.paper import pages as pages_of
from unisequa.web.drawing.scale import days_off, field_of
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
Size = Annotated[str, Query(max_length=10)]
WHO, ROW, HEAD = 190, 22, 42
MOST_ROWS = 3_000


@dataclass(frozen=True, slots=True)
class PaperPage:
    """Pages to print."""

    title: str
    back: str
    path: str
    query: str
    paper: str
    papers: tuple[str, ...]
    pages: tuple[str, ...]
    made: str


@router.get("/horizon/paper")
def horizon_printed(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, paper: Size = "a4"
) -> Response:
    """The horizon as pages to print, asked for as on the page."""
    size = cast(Paper, paper if paper in SIZES else "a4")
    sheet = _horizon(request, me, store, settings.day())
    drawn = tuple(svg(sheet, page) for page in pages_of(sheet, size))
    return _printed(request, "Horizon", "/horizon", size, drawn, settings.day())


@router.get("/horizon/sheet.svg")
def horizon_svg(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """The whole horizon as one drawing."""
    sheet = _horizon(request, me, store, settings.day())
    return _taken_along(svg(sheet, whole(sheet)), "horizon.svg")


@router.get("/load/paper")
def load_printed(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, paper: Size = "a4") -> Response:
    """The load as pages to print."""
    size = cast(Paper, paper if paper in SIZES else "a4")
    rows, periods, unit = _load(request, store, settings.day())
    width, height = SIZES[size]
    per_page = (height - HEAD) // ROW
    parts = [rows[n : n + per_page] for n in range(0, max(len(rows), 1), per_page)]
    drawn = tuple(_load_svg(part, periods, unit, width, HEAD + ROW * len(part) + 4) for part in parts)
    return _printed(request, "Load", "/load", size, drawn, settings.day())


@router.get("/load/sheet.svg")
def load_svg(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """The whole load as one drawing."""
    rows, periods, unit = _load(request, store, settings.day())
    return _taken_along(_load_svg(rows, periods, unit, 1400, HEAD + ROW * len(rows) + 4), "load.svg")


def _taken_along(drawing: str, name: str) -> Response:
    headers = {"content-disposition": f'attachment; filename="{name}"'}
    return Response(drawing, media_type="image/svg+xml", headers=headers)


def _printed(request: Request, title: str, path: str, size: str, drawn: tuple[str, ...], today: dt.date) -> Response:
    query = "&".join(part for part in request.url.query.split("&") if part and not part.startswith("paper="))
    made = day_words(today.toordinal(), year=True)
    page = PaperPage(title, path + (f"?{query}" if query else ""), path, query, size, tuple(SIZES), drawn, made)
    return render(request, "across/paper.html", page)


def _horizon(request: Request, me: Actor, store: Store, today: dt.date) -> Sheet:
    values, asked = asked_in(request.query_params)
    with store.reading() as session:
        found = horizon_of.horizon(session, me, asked, values["by"], values["sort"] or "end", today)
        ids = [number for group in found.groups for number in group.ids][:MOST_ROWS]
        rows: dict[int, RunSeen] = {}
        for n in range(0, len(ids), horizon_of.MOST_AT_ONCE):
            part = horizon_of.rows_of(session, me, ids[n : n + horizon_of.MOST_AT_ONCE], today)
            rows |= {run.id: run for run in part}
    return _sheet(found, rows, today.toordinal())


def _sheet(found: Horizon, rows: Mapping[int, RunSeen], today: int) -> Sheet:
    lines: list[Line] = []
    marks: list[dict[str, Any]] = []
    for group in found.groups:
        if group.label:
            lines.append(Line(f"{group.label}  {count_words(len(group.ids), 'run')}", head=True))
        for number in group.ids:
            if number in rows:
                marks += _marks(rows[number], len(lines))
                lines.append(Line(rows[number].name, rows[number].keeper, rows[number].stands))
    reach = found.reach or (today, today + 60)
    field = field_of([*reach, today])
    model = {
        "first": field.first, "days": field.days, "off": [off for off in days_off(field, found.calendar) if off[2]],
        "plumbs": [("today", today + 0.5, "today")], "marks": marks, "links": [], "hours": False,
    }  # fmt: skip
    return Sheet(lines, model, ("Run", "Keeper", "Where it stands"))


def _marks(run: RunSeen, i: int) -> Iterator[dict[str, Any]]:
    """A run's phases, where its work stands, its deadline."""
    parts = run.phases
    if not parts and run.first is not None and run.last is not None:
        parts = [["", run.name, run.first, run.last, run.over, run.tasks, 0]]
    lanes = 1 + max((part[6] for part in parts), default=0)
    for key, _, first, last, over, tasks, lane in parts:
        done = run.state in {"finished", "called off"} or (tasks and over == tasks)
        state = "done" if done else "under-way" if run.state == "live" and over else "waiting"
        share = over / tasks if tasks else 0
        yield {
            "k": f"{run.id} {key}",
            "i": i,
            "s": [first, last + 1],
            "st": state,
            "lane": lane,
            "lanes": lanes,
            "part": share,
        }
    if run.mark is not None:
        kind = "bad" if run.standing in horizon_of.BAD else "good" if run.standing == "ahead" else "live"
        yield {"k": f"{run.id} mark", "i": i, "s": [run.mark + 0.5, run.mark + 0.5], "st": "waiting", "up": kind}
    if run.deadline is not None:
        yield {"k": f"{run.id} end", "i": i, "s": [run.deadline + 1, run.deadline + 1], "st": "waiting", "up": "end"}


LoadRow = tuple[str, str, tuple[Cell, ...], tuple[str, ...]]
"""A head or a name, a position, the cells, and why there are no hours; without a reason of its own it is a head's."""


def _load(request: Request, store: Store, today: dt.date) -> tuple[list[LoadRow], list[Period], str]:
    unit, by, begin = asked_days(request.query_params, today)
    periods = periods_from(begin, unit)
    with store.reading() as session:
        found: Loads = load_of.loads(session, today, periods, by)
    rows: list[LoadRow] = []
    for group in found.groups:
        if group.label:
            rows.append((group.label, "", group.cells, ()))
        rows += [_person(one) for one in group.people]
    return rows, periods, unit


def _person(one: PersonLoad) -> LoadRow:
    return one.name, one.position, one.cells, one.why


def _load_svg(rows: Sequence[LoadRow], periods: Sequence[Period], unit: str, width: int, height: int) -> str:
    column = (width - WHO) / len(periods)
    drawn = "".join(_load_parts(rows, periods, unit, column, width))
    ground = _rect(0, 0, width, height, PAPER)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}" '
        f'font-family="{escape(FONT)}" font-size="11">{ground}{drawn}</svg>'
    )


def _rect(x: float, y: float, width: float, height: float, fill: str, stroke: str = "none") -> str:
    place = f'x="{round(x, 1)}" y="{round(y, 1)}" width="{round(width, 1)}" height="{round(height, 1)}"'
    return f'<rect {place} fill="{fill}" stroke="{stroke}" stroke-width=".7"/>'


def _words(x: float, y: float, text: str, ink: str, *, heavy: bool = False, size: int = 11) -> str:
    weight = ' font-weight="600"' if heavy else ""
    return f'<text x="{round(x, 1)}" y="{y}" fill="{ink}" font-size="{size}"{weight}>{escape(text)}</text>'


def _load_parts(
    rows: Sequence[LoadRow], periods: Sequence[Period], unit: str, column: float, width: int
) -> Iterator[str]:
    month = ""
    yield _words(0, HEAD - 6, "Hours asked of those they have", SOFT)
    for n, period in enumerate(periods):
        first = dt.date.fromordinal(period.first)
        x = WHO + n * column + 4
        label = {"day": f"{first:%a} {first.day}", "week": f"{first.day} {first:%b}", "month": ""}[unit]
        yield _words(x, HEAD - 6, label, SOFT)
        if f"{first:%b %Y}" != month:
            month = f"{first:%b %Y}"
            yield _words(x, HEAD - 22, month, INK, heavy=True)
    highest = max((cell.has for _, _, cells, why in rows for cell in cells if why), default=1) or 1
    for i, (name, position, cells, why) in enumerate(rows):
        y = HEAD + i * ROW
        yield _rect(0, y + ROW, width, 0.6, HAIR)
        yield _words(0, y + 15, _short(name, 20), INK, heavy=not why)
        yield _words(112, y + 15, _short(position, 13), SOFT)
        for n, cell in enumerate(cells):
            yield from _cell(WHO + n * column, y, column, cell, why[n] if why else None, highest)


def _cell(x: float, y: int, column: float, cell: Cell, why: str | None, highest: int) -> Iterator[str]:
    asked, has = hours_in_cell(cell.asked), hours_in_cell(cell.has)
    if why and not cell.asked:
        yield _rect(x, y, column, ROW, OFF)
        yield _words(x + 4, y + 15, _short(why, 12), SOFT)
        return
    over = cell.asked > cell.has
    if why is not None:
        tall = 16 * cell.has / highest
        full = min(tall, tall * cell.asked / cell.has) if cell.has else 0
        yield _rect(x + 4, y + 19 - tall, 7, tall, "none", SOFT)
        yield _rect(x + 4, y + 19 - full, 7, full, PALE, LATE if over or cell.over else ACT)
    text = f"{asked} of {has}" if cell.asked else f"{has} free" if cell.has else ""
    ink = LATE if over else INK if cell.asked else SOFT
    yield _words(x + (14 if why is not None else 4), y + 15, text, ink, heavy=over, size=10)


def _short(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
