"""What is done with a run and its tasks: states changed."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from typing import cast
from urllib.parse import quote

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import RedirectResponse, Response

from unisequa.actions.runs import handing, proposing
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import consider
from unisequa.actions.runs.talking import see_more, tick, write_comment
from unisequa.actions.runs.undoing import undo
from unisequa.actions.runs.work import Acted, Deed, act_on_tasks
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.core.work.task_states import Act
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id, day_done
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, asked_in, keys_in
from unisequa.web.run.head import run_head
from unisequa.web.run.panel import task_panel
from unisequa.web.run.side import side
from unisequa.web.run.work import work_on
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/state")
def change_state(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Open, hold, finish or call off a run; going on opens the shift by the days that it was held."""
    state, why = field(form, "state", 20), field(form, "why", 2000)
    try:
        with store.writing() as session:
            becoming = Becoming(state, why, field(form, "open", 5) == "drop")
            offer = set_run_state(session, me, run_id, becoming, settings.day())
    except Refused as error:
        return side(request, me, store, settings, run_id, "facts", error.faults, {"why": why, "state": state})
    if offer is not None:
        return RedirectResponse(f"/runs/{run_id}?edits={quote(json.dumps(offer.edits))}", status_code=303)
    return RedirectResponse(f"/runs/{run_id}", status_code=303)


@router.post("/runs/{run_id}/tasks/{key}/act")
def act(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """Begin, finish, sign off, send back, drop or reopen a task, today or on another day, with a word on it.

    ``in_place`` its panel opens only where that is refused.
    """
    beside = field(form, "in_place", 5) == "yes"
    asked, today = asked_in(form, selected=None if beside else key), settings.day()
    wanted, why, day = cast(Act, field(form, "act", 20)), field(form, "act_why", 2000), field(form, "act_day", 40)
    try:
        deed = Deed(
            wanted, [key], day_done(day, today, month_first=me.month_first), why, field(form, "confirmed", 5) == "yes"
        )
        with store.writing() as session:
            done = act_on_tasks(session, me, run_id, deed, today)
        asked = replace(asked, toast=_toast(done), undo=done.number)
        if done.offer is not None and not asked.documents:
            asked = replace(asked, documents=done.offer.edits, mode=done.offer.mode)
    except Refused as error:
        typed = (("act", wanted), ("why", why), ("day", day))
        asked = replace(
            asked, selected=key, faults=asked.faults + tuple(error.faults.items()), typed=asked.typed + typed
        )
    return answer(request, me, store, settings, run_id, asked)


@router.post("/runs/{run_id}/many")
def act_on_many(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Do something with all chosen tasks, or with none of them: a state, a comment, somebody else."""
    asked, today, what = asked_in(form), settings.day(), field(form, "act", 20)
    why = field(form, "act_why", 2000)
    try:
        keys = keys_in(form)
        if not keys:
            raise Refused({"state": "Choose a task first."})
        with store.writing() as session:
            if what == "comment":
                for key in keys:
                    write_comment(session, me, run_id, key, why)
                asked = replace(asked, toast=f"Written on {count_words(len(keys), 'task')}.")
            else:
                if what == "hand over":
                    done = handing.hand_over(session, me, run_id, keys, number_in(field(form, "to", 12)), today)
                else:
                    day = day_done(field(form, "act_day", 40), today, month_first=me.month_first)
                    done = act_on_tasks(session, me, run_id, Deed(cast(Act, what), keys, day, why), today)
                asked = replace(asked, toast=_toast(done), undo=done.number)
                if done.offer is not None and not asked.documents:
                    asked = replace(asked, documents=done.offer.edits, mode=done.offer.mode)
    except Refused as error:
        asked = replace(asked, toast=str(error), faults=asked.faults + tuple(error.faults.items()))
    return answer(request, me, store, settings, run_id, asked)


@router.post("/runs/{run_id}/tasks/{key}/hand")
def hand(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """Take a task from its queue, put it back, or hand it to somebody."""
    asked, today, what = asked_in(form, selected=key), settings.day(), field(form, "act", 20)
    try:
        with store.writing() as session:
            if what == "take":
                done = handing.take(session, me, run_id, [key], today)
            elif what == "put back":
                done = handing.put_back(session, me, run_id, [key], today)
            else:
                done = handing.hand_over(session, me, run_id, [key], number_in(field(form, "to", 12)), today)
        asked = replace(asked, toast=_toast(done), undo=done.number)
    except Refused as error:
        asked = replace(asked, faults=asked.faults + tuple(error.faults.items()))
    return answer(request, me, store, settings, run_id, asked)


@router.post("/runs/{run_id}/tasks/{key}/comment")
def comment(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """Write on a task; the answer is its panel."""
    text, faults = field(form, "comment", 20_000), {}
    try:
        with store.writing() as session:
            write_comment(session, me, run_id, key, text)
    except Refused as error:
        faults = error.faults
    return _panel(request, me, store, settings, run_id, key, form, faults)


@router.post("/runs/{run_id}/tasks/{key}/propose")
def propose_for_task(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """Tell the keeper by when a task will be done, or what of it remains; the answer is its panel."""
    today, faults = settings.day(), {}
    try:
        by, left, why = field(form, "by", 40), field(form, "left", 12), field(form, "why", 2000)
        with store.writing() as session:
            proposing.propose_for_task(session, me, run_id, key, today, by=by, left=left, why=why)
    except Refused as error:
        faults = error.faults
    return _panel(request, me, store, settings, run_id, key, form, faults)


@router.post("/runs/{run_id}/tasks/{key}/box")
def tick_box(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """Tick a box of a task's instructions, or take the tick away; the answer is its panel."""
    number, on = number_in(field(form, "box", 6)), field(form, "on", 5) == "yes"
    with store.writing() as session:
        tick(session, me, run_id, key, number, on=on)
    return _panel(request, me, store, settings, run_id, key, form, {})


def _panel(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    run_id: int,
    key: str,
    form: FormData,
    faults: Mapping[str, str],
) -> Response:
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        more = see_more(session, me, run, key)
    typed = {name: field(form, name, 20_000) for name in ("comment", "by", "left", "why")} if faults else {}
    panel = task_panel(consider(run, ()), key, more, faults, typed, on_desk=field(form, "on_page", 8) == "desk")
    page = {"panel": panel, "head": run_head(run, closely=False)}
    if faults:
        return form_again(request, "run/_panel.html", page, faults)
    return render(request, "run/_panel.html", page)


@router.post("/runs/{run_id}/undo/{number}")
def undo_act(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, number: Id
) -> Response:
    """Undo what one has just done."""
    asked = replace(asked_in(form), documents=())
    try:
        with store.writing() as session:
            undone = undo(session, me, number, settings.day())
        asked = replace(asked, toast=f"Undone: {undone.words}")
    except Refused as error:
        asked = replace(asked, toast=str(error), faults=tuple(error.faults.items()))
    return answer(request, me, store, settings, run_id, asked)


def answer(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int, asked: Asked) -> Response:
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        piece = work_on(session, me, run, asked)
    if asked.faults:
        return form_again(request, "run/_work.html", {"work": piece}, dict(asked.faults))
    return render(request, "run/_work.html", {"work": piece})


def _toast(done: Acted) -> str:
    moved = f" {count_words(done.moved, 'task')} moved with it." if done.moved else ""
    offer = f" {done.offer.text}." if done.offer else ""
    runs = count_words(done.elsewhere, "run that waits for it moved too", "runs that wait for it moved too")
    return f"{done.words}.{moved}{f' {runs}.' if done.elsewhere else ''}{offer}"
