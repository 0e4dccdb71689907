"""Shifting a run: considered, applied, taken back."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable
from dataclasses import replace

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import Response

from unisequa.actions.runs import proposing
from unisequa.actions.runs import shifts as actions
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.core.calendars.grid import Grid, read_span
from unisequa.core.calendars.typed import typed_moment
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DateRangeError, Refused, ShiftError, Stale, TypedError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import AddLink, Due, Duration, Edit, Move, MoveAnchor, RemoveLink
from unisequa.core.shift.edits.codec import written
from unisequa.core.terms import MOST_DAYS, number_in
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, asked_in, keys_in
from unisequa.web.run.work import Work, see_work, work_on
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@router.post("/runs/{run_id}/work")
def consider(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """The run with the shift being considered; nothing is changed.

    ``kind``, ``key`` and ``value`` add an edit: a date as typed or as a bar was let go on.
    """
    asked = asked_in(form)
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        if field(form, "kind", 20):
            asked = _with_typed(run, asked, form, settings.day())
        piece = work_on(session, me, run, asked)
    return _answer(request, piece, asked)


def _with_typed(run: RunSeen, asked: Asked, form: FormData, today: dt.date) -> Asked:
    kind, first, value = field(form, "kind", 20), field(form, "key", 200), field(form, "value", 100)
    edits = actions.read_edits(asked.documents, run.plan)
    for key in keys_in(form) or [first]:
        run.task(key)
        try:
            edits = joined(edits, typed_edit(run.plan, edits, asked, kind, key, value, today=today))
        except (TypedError, DateRangeError, ShiftError) as error:
            return replace(asked, faults=((kind, str(error)),), typed=((kind, value),), selected=key)
    return replace(asked, documents=tuple(written(one, run.plan.grid) for one in edits))


def with_anchor(run: RunSeen, asked: Asked, key: str, text: str, today: dt.date) -> Asked:
    """What is asked, with an anchor put on the day that was typed."""
    if key not in run.plan.anchors or not run.may_change:
        return asked
    grid, at = run.plan.grid, run.plan.anchors[key]
    try:
        day = typed_moment(text, today=today, base=_moment(grid, at), calendar=run.plan.calendars[None], grid=grid)
    except (TypedError, DateRangeError) as error:
        return replace(asked, toast=f"{run.plan.labels[key]}: {error}.")
    slot = grid.of(day)
    if grid.per_day > 1 and not isinstance(day, dt.datetime):
        slot = run.plan.calendars[None].roll_forward(slot)
    return replace(asked, documents=(*asked.documents, written(MoveAnchor(key, slot), grid)))


def _moment(grid: Grid, at: int | None) -> dt.datetime | None:
    """What a date, or a time, is counted from."""
    if at is None:
        return None
    moment = grid.moment(at)
    return moment if isinstance(moment, dt.datetime) else dt.datetime.combine(moment, dt.time())


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
        toast = f"Shift {made.number} applied: {count_words(made.moved, 'task')} moved."
        asked = replace(asked, documents=(), why="", mode="push", toast=toast, proposal=0)
    except Stale as error:
        words = str(error) if error.version is not None else actions.WORKED_OUT_ANEW
        asked, status = replace(asked, stale=words), error.status
    except Refused as error:
        asked = replace(asked, faults=tuple(error.faults.items()))
    with store.reading() as session:
        piece = see_work(session, me, run_id, today, asked)
    return _answer(request, piece, asked, status)


@router.post("/runs/{run_id}/propose")
def propose(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Send the shift being considered to whoever may apply it."""
    asked, today = asked_in(form), settings.day()
    try:
        with store.writing() as session:
            proposing.propose(session, me, run_id, asked.documents, today, mode=asked.mode, why=asked.why)
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
            actions.take_back(session, me, run_id, number, today)
        asked = replace(asked, documents=(), toast=f"Shift {number} is taken back.")
    except Refused as error:
        asked, status = replace(asked, toast=str(error)), error.status
    with store.reading() as session:
        piece = see_work(session, me, run_id, today, asked)
    return _answer(request, piece, asked, status)


def joined(edits: Iterable[Edit], edit: Edit) -> tuple[Edit, ...]:
    """The edits with one more, which takes the place of those it overrules."""
    kept = tuple(one for one in edits if (one.task, one.holds) != (edit.task, edit.holds) or one.holds is None)
    return (*kept, edit)


def typed_edit(
    plan: Plan, edits: tuple[Edit, ...], asked: Asked, kind: str, key: str, text: str, *, today: dt.date
) -> Edit:
    """An edit from what somebody typed into a field of a task, or from the day its bar was let go on.

    ``kind`` is move, due or duration; ``end`` gives the duration that makes the task's last day the one typed.
    Relative dates count from where the edits so far have put the task.

    Raises
    ------
    TypedError
    """
    if kind == "duration":
        if plan.grid.per_day > 1:
            return Duration(key, _length(plan, key, text))
        digits = text.strip().removesuffix("d").strip()
        if not digits.isascii() or not digits.isdigit() or int(digits) > MOST_DAYS:
            raise TypedError(f'"{text}" is no number of working days; type 1, 2, 3 …')
        return Duration(key, int(digits))
    if kind == "after":
        return AddLink(_named(plan, text), key)
    if kind == "unlink":
        return RemoveLink(text, key)
    position = plan.position(key)
    task, read, grid = plan.tasks[position], _considered(plan, edits, asked, position), plan.grid
    calendar = plan.calendars.of(task)
    base = _moment(grid, read and read[0 if kind == "move" else 1])
    moment = typed_moment(text, today=today, base=base, calendar=calendar, grid=grid)
    if grid.per_day > 1 and not isinstance(moment, dt.datetime):
        raise TypedError(f'"{text}" is a day; give a time with it, such as fri 19:40')
    day = grid.of(moment)
    if kind == "end" and read:
        return Duration(key, max(1, calendar.count(read[0], grid.exclusive(day))))
    if kind not in {"move", "due"}:
        raise TypedError("That cannot be changed here.")
    return Move(key, day) if kind == "move" else Due(key, day)


def _named(plan: Plan, text: str) -> str:
    """The key of the task that a title, or a key, means."""
    word = text.strip()
    if word in plan.positions:
        return word
    found = [task.key for task in plan.tasks if task.title.casefold() == word.casefold()]
    if len(found) == 1:
        return found[0]
    raise TypedError(f"“{word}” is {'no task of this run' if not found else 'the title of several tasks'}")


def _length(plan: Plan, key: str, text: str) -> int:
    """How long a task of hours takes, as typed."""
    try:
        slots = read_span(text, plan.calendars.of(plan.tasks[plan.position(key)]).per_day)
    except ValueError as error:
        raise TypedError(str(error)) from None
    if not 0 <= slots <= MOST_DAYS * plan.grid.per_day:
        raise TypedError(f'"{text}" is no length of time here; type 20m or 1h 30m')
    return slots


def _considered(plan: Plan, edits: tuple[Edit, ...], asked: Asked, position: int) -> tuple[int, int] | None:
    """The dates of a task as people read them, with the edits so far."""
    return cascade(plan, edits, asked.mode).read_after(position) if edits else plan.read(position)
