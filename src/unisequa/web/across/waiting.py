"""A run that is to wait for another: which task for which, and where their dates then do not hold, the shift to see."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.across.considering import take_in_hand
from unisequa.actions.finding import Found, find
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.drawn_waits import Drawable, TaskChoice, draw_wait, drawable
from unisequa.actions.runs.seeing import see_run
from unisequa.core.calendars.words import DateWords
from unisequa.core.errors import Refused
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import HoldWaits
from unisequa.core.terms import number_in
from unisequa.store.store import Session
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
_OVER = ("finished", "called off")
Word = Annotated[str, Query(max_length=200)]


@dataclass(frozen=True, slots=True)
class Option:
    """A task to choose: its key, and its title with its dates."""

    key: str
    words: str


@dataclass(frozen=True, slots=True)
class WaitPage:
    """Two runs, and the tasks of both; or, while one of them is to be chosen, what was found of it."""

    section: str
    run_id: int
    run: str
    key: str
    of_id: int = 0
    of: str = ""
    of_key: str = ""
    waiting: tuple[Option, ...] = ()
    awaited: tuple[Option, ...] = ()
    text: str = ""
    found: tuple[Found, ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/horizon/wait")
def choose(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf,
    run: Word = "", of: Word = "", key: Word = "", text: Word = "",
) -> Response:  # fmt: skip
    """Which task of a run waits for which of another; without ``of``, the other run is found first."""
    run_id, of_id, today = number_in(run), number_in(of), settings.day()
    if not run_id:
        return RedirectResponse("/horizon", status_code=303)
    with store.reading() as session:
        if of_id:
            try:
                page = _page(drawable(session, me, of_id, run_id, today), today, key)
            except Refused as error:
                page = _searching(session, me, run_id, key, text, settings, error.faults)
        else:
            page = _searching(session, me, run_id, key, text, settings, {})
    return render(request, "across/wait.html", page)


def _searching(
    session: Session, me: Actor, run_id: int, key: str, text: str, settings: SettingsOf, faults: Mapping[str, str]
) -> WaitPage:
    run = see_run(session, me, run_id, settings.day())
    found = tuple(
        one
        for one in find(session, me, text)
        if one.kind == "run" and one.path != f"/runs/{run_id}" and not one.beside.endswith(_OVER)
    )
    return WaitPage("horizon", run.id, run.name, key, text=text, found=found, faults=faults)


def _page(
    found: Drawable, today: dt.date, key: str = "", of_key: str = "", faults: Mapping[str, str] | None = None
) -> WaitPage:
    said = DateWords.seen_on(today)

    def options(tasks: tuple[TaskChoice, ...]) -> tuple[Option, ...]:
        return tuple(Option(one.key, f"{one.title}, {_dates(one, said)}" if one.first else one.title) for one in tasks)

    return WaitPage(
        "horizon", found.target_id, found.target, key, found.source_id, found.source, of_key,
        options(found.waiting), options(found.awaited), faults=faults or {},
    )  # fmt: skip


def _dates(one: TaskChoice, said: DateWords) -> str:
    first, last = one.first or one.last, one.last or one.first
    return "" if first is None or last is None else said.span(first.toordinal(), last.toordinal())


@router.post("/horizon/wait")
def draw(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Draw it. Where the task can then not stand where it does, the run opens with what would follow."""
    run_id, of_id = number_in(text_field(form, "run", 12)), number_in(text_field(form, "of", 12))
    key, of_key, today = text_field(form, "task", 200), text_field(form, "awaited", 200), settings.day()
    try:
        with store.writing() as session:
            draw_wait(session, me, run_id, key, of_id, of_key, today)
            seen = see_run(session, me, run_id, today)
            if seen.may_consider and cascade(seen.plan, (HoldWaits(key),), "push").changes:
                take_in_hand(session, me, run_id, [{"edit": "hold_waits", "task": key}], today)
    except Refused as error:
        with store.reading() as session:
            page = _page(drawable(session, me, of_id, run_id, today), today, key, of_key, error.faults)
        return form_again(request, "across/wait.html", page, error.faults)
    return RedirectResponse(f"/runs/{run_id}?task={key}", status_code=303)
