"""Handing over: everything of somebody between two days, to one or to several, seen before it is done."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.handing_over import Handing, considered, hand_all
from unisequa.actions.people.people import Actor, people
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.calendars.words import DateWords, count_words
from unisequa.core.errors import DateRangeError, Refused, TypedError
from unisequa.core.terms import number_in
from unisequa.store.store import Store
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
Words = Annotated[str, Query(max_length=60)]
Whole = Annotated[int, Query(ge=0, lt=2**31)]
Many = Annotated[list[Annotated[int, Query(ge=0, lt=2**31)]], Query(max_length=200)]


@dataclass(frozen=True, slots=True)
class Line:
    """A task with whom it would go to."""

    name: str
    run_id: int
    run: str
    key: str
    title: str
    state: str
    dates: str
    effort: str
    to: int | None
    fault: str
    behind: str = ""


@dataclass(frozen=True, slots=True)
class HandingPage:
    """The page: whose, when, and all of it."""

    section: str
    person: Actor
    everybody: tuple[tuple[int, str], ...]
    first: str
    last: str
    run: int
    among: frozenset[int]
    heirs: tuple[tuple[int, str, bool, str], ...]
    lines: tuple[Line, ...]
    shared: tuple[tuple[str, int], ...]
    done: str = ""
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/hand-over")
def handing(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    person: Whole = 0,
    first: Words = "",
    last: Words = "",
    run: Whole = 0,
    to: Many = [],  # noqa: B006
    done: Whole = 0,
) -> Response:
    """What there is to hand over, and to whom it would go."""
    page = _page(store, me, person or me.id, first, last, run, to, settings.day())
    if done:
        page = replace(page, done=f"{count_words(done, 'task')} handed over.")
    return render(request, "handing/page.html", page)


@router.post("/hand-over")
def hand(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Hand it over, all that was chosen or nothing."""
    person = number_in(text_field(form, "person", 12)) or me.id
    first, last = text_field(form, "first", 60), text_field(form, "last", 60)
    run = number_in(text_field(form, "run", 12)) or 0
    chosen: dict[tuple[int, str], int] = {}
    for name in form:
        run_id, _, key = name.removeprefix("task.").partition("/")
        to = number_in(text_field(form, name, 12))
        if name.startswith("task.") and number_in(run_id) and key and to:
            chosen[number_in(run_id), key[:200]] = to
    try:
        with store.writing() as session:
            hand_all(session, me, person, chosen, settings.day())
    except Refused as error:
        page = _page(store, me, person, first, last, run, (), settings.day(), chosen, error.faults)
        return form_again(request, "handing/page.html", page, error.faults)
    query = f"person={person}&done={len(chosen)}" + (f"&run={run}" if run else "")
    return RedirectResponse(f"/hand-over?{query}", status_code=303)


def _page(
    store: Store,
    me: Actor,
    person: int,
    first: str,
    last: str,
    run: int,
    among: Sequence[int],
    today: dt.date,
    chosen: Mapping[tuple[int, str], int] | None = None,
    faults: Mapping[str, str] | None = None,
) -> HandingPage:
    told = dict(faults or {})
    days: dict[str, dt.date | None] = {"first": None, "last": None}
    for name, text in (("first", first), ("last", last)):
        if text.strip():
            try:
                days[name] = typed_date(
                    text, today=today, base=days["first"], calendar=WorkingCalendar(), month_first=me.month_first
                )
            except (TypedError, DateRangeError) as error:
                told[name] = str(error)
    if days["first"] and days["last"] and days["last"] < days["first"]:
        told["last"] = "The last day lies before the first."
    with store.reading() as session:
        seen = considered(session, me, person, days["first"], days["last"], run or None, among)
        everybody = tuple((one.id, one.name) for one in people(session))
    names = {one.id: one.name for one in seen.heirs}
    lines = _lines(seen, chosen, told, days["last"], today)
    counts: dict[str, int] = {}
    for line in lines:
        if line.to:
            name = names.get(line.to, "")
            counts[name] = counts.get(name, 0) + 1
    heirs = tuple((one.id, one.name, one.mate, one.away) for one in seen.heirs)
    return HandingPage(
        "people", seen.person, everybody, first, last, run, frozenset(among), heirs, lines, tuple(counts.items()),
        faults=told,
    )  # fmt: skip


def _lines(
    seen: Handing,
    chosen: Mapping[tuple[int, str], int] | None,
    faults: Mapping[str, str],
    last: dt.date | None,
    today: dt.date,
) -> tuple[Line, ...]:
    said = DateWords.seen_on(today)
    return tuple(
        Line(
            task.name,
            task.run_id,
            task.run,
            task.key,
            task.title,
            task.state,
            said.span(task.days[0].toordinal(), task.days[1].toordinal()) if task.days else "undated",
            f"{task.minutes / 60:g} h" if task.minutes else "",
            chosen.get((task.run_id, task.key)) if chosen is not None else task.to,
            faults.get(task.name, ""),
            _behind(task.key, last) if last else "",
        )
        for task in seen.tasks
    )


def _behind(key: str, last: dt.date) -> str:
    """The shift that has a task start behind the last of some days, as a page takes it."""
    move = {"edit": "move", "task": key, "start": (last + dt.timedelta(days=1)).isoformat()}
    return quote(json.dumps([move]))
