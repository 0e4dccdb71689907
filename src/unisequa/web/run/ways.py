"""What it would take to have a task done by a day: proposals, each of which can join the shift."""

from __future__ import annotations

import json
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import consider, read_kept
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DateRangeError, ShiftError, TypedError
from unisequa.core.shift.edits.codec import written
from unisequa.core.shift.ways import ways_to
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.run.asked import asked_in
from unisequa.web.run.typing import Standing, Typed
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()
MOST = 8


@dataclass(frozen=True, slots=True)
class WayLine:
    """A proposal: its words, what it costs, its mode, and its edits as JSON."""

    text: str
    cost: str
    mode: str
    edits: str


@dataclass(frozen=True, slots=True)
class WaysPiece:
    """The proposals for a task, or why there are none."""

    ways: tuple[WayLine, ...]
    said: str


@router.post("/runs/{run_id}/tasks/{key}/ways")
def ways(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """What it would take to have a task done by the date in ``value``, with the shift at hand as it is."""
    asked = asked_in(form)
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    run.task(key)
    edits, _ = read_kept(asked.documents, run.plan)
    plan = consider(run, edits, asked.mode).after
    read = plan.read(plan.position(key))
    try:
        typed = Typed(Standing(plan), settings.day(), key, field(form, "value", 100), month_first=me.month_first)
        want = typed.moment(read and read[1])
        found = ways_to(plan, key, want, MOST)
    except (TypedError, DateRangeError, ShiftError) as error:
        return render(request, "run/_ways.html", WaysPiece((), f"{error}."))
    said = plan.dates_in_words()
    lines = tuple(
        WayLine(
            one.text[:1].upper() + one.text[1:],
            f"{count_words(one.moved, 'task')} changed, done {said[one.finish]}",
            one.mode,
            json.dumps([written(edit, plan.grid) for edit in one.edits]),
        )
        for one in found
    )
    by = said[want]
    done = read is not None and read[1] <= want
    told = (
        "" if lines else f"It is done by {by} already." if done else f"Nothing that can be changed has it done by {by}."
    )
    return render(request, "run/_ways.html", WaysPiece(lines, told))
