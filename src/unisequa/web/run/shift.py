"""Shifting a run: considered, applied, taken back."""

from __future__ import annotations

import json
from dataclasses import replace

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import Response

from unisequa.actions.errors import Refused, Stale
from unisequa.actions.runs import shifts as actions
from unisequa.actions.runs.runs import run_of, task_of
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DateRangeError, ShiftError, TypedError
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits.codec import written
from unisequa.store.plans import plan_of
from unisequa.store.tables import Person
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, asked_in, joined, read_edits, typed_edit
from unisequa.web.run.views import work
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/work")
def consider(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: int
) -> Response:
    """The run with the shift being considered; nothing is changed.

    ``kind``, ``key`` and ``value`` add an edit: a date as typed or as a bar was let go on.
    """
    asked = _with_typed(me, form, store, settings, run_id) if field(form, "kind", 20) else asked_in(form)
    return _answer(request, me, store, settings, run_id, asked)


def _with_typed(me: Person, form: FormData, store: StoreOf, settings: SettingsOf, run_id: int) -> Asked:
    kind, key, value = field(form, "kind", 20), field(form, "key", 200), field(form, "value", 100)
    asked = asked_in(form)
    with store.reading() as session:
        run = run_of(session, run_id, me)
        task_of(run, key)
        plan = plan_of(run, settings.day())
        try:
            edits = read_edits(asked.documents, plan)
            shown = cascade(plan, edits, asked.mode).after() if edits else plan
            edit = typed_edit(shown, kind, key, value, today=settings.day())
        except (TypedError, DateRangeError, ShiftError) as error:
            return replace(asked, faults=((kind, str(error)),), typed=((kind, value),), selected=key)
    edits = joined(edits, edit)
    return replace(asked, documents=tuple(written(one, plan.grid) for one in edits))


def _answer(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int, asked: Asked, status: int = 200
) -> Response:
    with store.reading() as session:
        piece = work(session, me, run_id, asked, settings.day())
    faulty = bool(asked.faults) or (status == 200 and len(json.loads(piece.edits)) < len(asked.documents))
    return render(request, "run/_work.html", {"work": piece}, status=422 if faulty else status)


@router.post("/runs/{run_id}/shift")
def apply(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: int) -> Response:
    """Apply the shift; where the run has changed meanwhile, show it worked out anew instead."""
    asked = asked_in(form)
    version = field(form, "version", 12)
    try:
        with store.writing() as session:
            number = int(version) if version.isdigit() else -1
            shift = actions.apply_shift(
                session, me, run_id, number, asked.documents, settings.day(), asked.why, asked.mode
            )
            moved = count_words(len(shift.changes), "task")
    except Stale as error:
        return _answer(request, me, store, settings, run_id, replace(asked, stale=str(error)), 409)
    except Refused as error:
        return _answer(request, me, store, settings, run_id, replace(asked, faults=tuple(error.faults.items())))
    done = replace(asked, documents=(), why="", mode="push", toast=f"Shift {shift.number} applied: {moved} moved.")
    return _answer(request, me, store, settings, run_id, done)


@router.post("/runs/{run_id}/shifts/{number}/take-back")
def take_back(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: int, number: int
) -> Response:
    """Give the tasks that a shift moved their dates back."""
    asked = asked_in(form)
    try:
        with store.writing() as session:
            actions.take_back(session, me, run_id, number, settings.day())
        asked = replace(asked, documents=(), toast=f"Shift {number} is taken back.")
    except Refused as error:
        asked = replace(asked, toast=str(error))
        return _answer(request, me, store, settings, run_id, asked, 422)
    return _answer(request, me, store, settings, run_id, asked)
