"""Shifting a run: considered, applied, taken back."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import replace

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import Response

from unisequa.actions.runs import proposing
from unisequa.actions.runs import shifts as actions
from unisequa.actions.runs.in_hand import Held, hold, in_hand, let_go, step
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.core.calendars.words import as_sentence, count_words
from unisequa.core.errors import DateRangeError, Refused, ShiftError, Stale, TypedError
from unisequa.core.shift.edits import Edit
from unisequa.core.shift.edits.codec import written
from unisequa.core.shift.edits.saying import said_of
from unisequa.core.terms import number_in
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, asked_in, keys_in
from unisequa.web.run.typing import Standing, Typed, joined, of_tasks, typed_edit
from unisequa.web.run.work import Work, at_hand, considered_of, see_work, work_on
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/work")
def consider(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """The run with the shift being considered, which is kept for its maker; no date is changed.

    ``kind``, ``key``, ``value`` and ``also`` add an edit: a date as typed or as a bar was let go on. ``step`` goes
    back or on through what was done to the shift. A page that holds no edit, and was not ``emptied``, goes on from what
    is at hand: it was opened before that was begun elsewhere.
    """
    asked, back = asked_in(form), {"back": True, "on": False}.get(field(form, "step", 5))
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        if not asked.documents and back is None and field(form, "emptied", 5) != "yes":
            asked = at_hand(run, asked, in_hand(session, me, run))
        held = Held(asked.documents, asked.mode, asked.why) if asked.documents else None
        if field(form, "kind", 20):
            asked = _with_typed(run, asked, form, settings.day(), month_first=me.month_first)
        considered = considered_of(run, asked) if back is None else None
    try:
        with store.writing() as session:
            helds = [held] if held is not None else []
            if considered is not None and not asked.faults:  # what cannot be carried out is told, and not kept
                fits = tuple(written(edit, run.plan.grid) for edit in considered.edits)
                helds.append(Held(fits, asked.mode, asked.why))
            hand = hold(session, me, run, *helds)
            if back is not None:
                hand = step(session, me, run, back=back)
                held = hand.held
                asked = replace(asked, documents=held.edits, mode=held.mode, why=held.why)
    except Refused as error:
        asked, hand = replace(asked, toast=str(error)), None
    with store.reading() as session:
        piece = work_on(session, me, run, asked, hand, considered)
    return _answer(request, piece, asked)


def _with_typed(run: RunSeen, asked: Asked, form: FormData, today: dt.date, *, month_first: bool) -> Asked:
    kind, first, value = field(form, "kind", 20), field(form, "key", 200), field(form, "value", 200)
    edits = actions.read_edits(asked.documents, run.plan)
    standing = Standing(run.plan, edits, asked.mode)
    merged: Edit | None = None
    for key in keys_in(form) or [first]:
        if of_tasks(kind):
            run.task(key)
        typed = Typed(standing, today, key, value, field(form, "also", 200), month_first)
        try:
            made = typed_edit(kind, typed)
            edits, replaced = _instead(edits, made, form) or joined(edits, made, run.plan)
        except (TypedError, DateRangeError, ShiftError) as error:
            selected = key if of_tasks(kind) else asked.selected
            return replace(asked, faults=((kind, str(error)),), typed=((kind, value),), selected=selected)
        merged = replaced or merged
    asked = replace(asked, documents=tuple(written(one, run.plan.grid) for one in edits))
    if merged is not None and edits and merged.kind != edits[-1].kind:
        said = said_of(merged, run.plan)
        asked = replace(asked, toast=f"In place of: {said.of} {said.what}.")
    return asked


def _instead(edits: tuple[Edit, ...], made: Edit, form: FormData) -> tuple[tuple[Edit, ...], None] | None:
    """The edits with one in the place of another, where it was typed into that one's line."""
    place = field(form, "instead", 5)
    if not place.isdigit() or int(place) >= len(edits):
        return None
    return tuple(made if n == int(place) else edit for n, edit in enumerate(edits)), None


def with_anchor(run: RunSeen, asked: Asked, key: str, text: str, today: dt.date, *, month_first: bool = False) -> Asked:
    """What is asked, with an anchor put on the day that was typed.

    Raises
    ------
    Refused
        The field ``anchor.KEY``, where no day is read in what was typed.
    """
    if key not in run.plan.anchors or not run.may_consider:
        return asked
    edits = actions.read_edits(asked.documents, run.plan)
    try:
        standing = Standing(run.plan, edits, asked.mode)
        made = typed_edit("anchor", Typed(standing, today, key, text, month_first=month_first))
    except (TypedError, DateRangeError) as error:
        raise Refused({f"anchor.{key}": as_sentence(str(error))}) from error
    edits, _ = joined(edits, made, run.plan)
    return replace(asked, documents=tuple(written(one, run.plan.grid) for one in edits))


def _answer(request: Request, piece: Work, asked: Asked, status: int = 200) -> Response:
    faulty = bool(asked.faults) or (status == 200 and len(json.loads(piece.edits)) < len(asked.documents))
    if faulty or status != 200:
        faults = dict(asked.faults) or {"": asked.stale or asked.toast or "An edit of the shift no longer fits."}
        return form_again(request, "run/_work.html", {"work": piece}, faults, 422 if faulty else status)
    return render(request, "run/_work.html", {"work": piece})


@router.post("/runs/{run_id}/shift")
def apply(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Apply the shift; where the run has changed meanwhile, show it worked out anew instead."""
    asked, today = asked_in(form), settings.day()
    text = field(form, "version", 12)
    version = number_in(text) if text != "0" else -1
    status = 200
    try:
        with store.writing() as session:
            made = actions.apply_shift(session, me, run_id, version, asked.documents, today, asked.why, asked.mode)
            if asked.proposal:
                proposing.applied(session, me, run_id, asked.proposal)
            let_go(session, me, run_id)
        toast = f"Shift {made.number} applied: {count_words(made.moved, 'task')} moved.{_beyond(made)}"
        asked = replace(asked, documents=(), why="", mode="push", toast=toast, proposal=0)
    except Stale as error:
        words = str(error) if error.version is not None else actions.WORKED_OUT_ANEW
        asked, status = replace(asked, stale=words), error.status
    except Refused as error:
        asked = replace(asked, faults=tuple(error.faults.items()))
    with store.reading() as session:
        piece = see_work(session, me, run_id, today, asked)
    return _answer(request, piece, asked, status)


def _beyond(made: actions.Applied) -> str:
    """What a shift did in other runs, in words."""
    parts = []
    if made.elsewhere:
        parts.append(count_words(made.elsewhere, "other run moved with it", "other runs moved with it"))
    if made.asked:
        parts.append(count_words(made.asked, "keeper of another run is asked", "keepers of other runs are asked"))
    return f" {'; '.join(parts)}." if parts else ""


@router.post("/runs/{run_id}/propose")
def propose(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Send the shift being considered to whoever may apply it."""
    asked, today = asked_in(form), settings.day()
    try:
        with store.writing() as session:
            proposing.propose(session, me, run_id, asked.documents, today, mode=asked.mode, why=asked.why)
            let_go(session, me, run_id)
        asked = replace(asked, documents=(), why="", mode="push", toast="Sent to the run's keeper.")
    except Refused as error:
        asked = replace(asked, faults=tuple(error.faults.items()))
    with store.reading() as session:
        piece = see_work(session, me, run_id, today, asked)
    return _answer(request, piece, asked)


@router.post("/runs/{run_id}/proposals/{number}/decline")
def decline(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, number: Id
) -> Response:
    """Answer a proposal with a word, or take back one's own."""
    asked = asked_in(form)
    try:
        with store.writing() as session:
            proposing.decline(session, me, run_id, number, asked.why)
            let_go(session, me, run_id)
        asked = replace(asked, documents=(), why="", mode="push", toast="Answered.", proposal=0)
    except Refused as error:
        asked = replace(asked, faults=tuple(error.faults.items()))
    with store.reading() as session:
        piece = see_work(session, me, run_id, settings.day(), asked)
    return _answer(request, piece, asked)


@router.post("/runs/{run_id}/shifts/{number}/take-back")
def take_back(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, number: Id
) -> Response:
    """Give the tasks that a shift moved their dates back."""
    asked, today, status = asked_in(form), settings.day(), 200
    try:
        with store.writing() as session:
            stands = actions.take_back(session, me, run_id, number, today)
        asked = replace(asked, documents=(), toast=" ".join([f"Shift {number} is taken back.", *stands]))
    except Refused as error:
        asked, status = replace(asked, toast=str(error)), error.status
    with store.reading() as session:
        piece = see_work(session, me, run_id, today, asked)
    return _answer(request, piece, asked, status)
