"""Leave: who is away when, what leave would do before it is entered, and leave read from a calendar file."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.datastructures import UploadFile
from starlette.responses import RedirectResponse, Response

from unisequa.actions.across import leave as actions
from unisequa.actions.across.leave import LeaveLine
from unisequa.actions.handing_over import asks_for
from unisequa.actions.house import leave as house
from unisequa.core.calendars.words import DateWords, count_words, hours_words, span_words
from unisequa.core.errors import DocumentError, Fault, Refused
from unisequa.core.terms import number_in
from unisequa.formats.apart import read_apart
from unisequa.store.store import Session
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
Words = Annotated[str, Query(max_length=200)]
MOST_TASKS = 40
SHORT = 6 * 60
"""Minutes below which an event of a calendar file is taken for an appointment, not for a day away."""


@dataclass(frozen=True, slots=True)
class EffectsSeen:
    """What leave would do, in words; its tasks with their runs."""

    said: str
    days: str
    tasks: tuple[tuple[int, str, str, str, str], ...]
    more: int
    over: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SpanRead:
    """Days read from a file: in words, what for, and as a form sends them."""

    days: str
    label: str
    value: str
    past: bool
    ticked: bool
    told: str


@dataclass(frozen=True, slots=True)
class LeavePage:
    """The page."""

    section: str
    months: tuple[tuple[str, tuple[LeaveLine, ...]], ...]
    people: tuple[tuple[int, str], ...]
    typed: Mapping[str, str]
    faults: Mapping[str, str] = field(default_factory=dict)
    effects: EffectsSeen | None = None
    read: tuple[SpanRead, ...] = ()
    file: str = ""
    told: str = ""
    left_out: tuple[str, ...] = ()


@router.get("/leave")
def leave(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    who: Annotated[str, Query(max_length=12)] = "",
    first: Words = "",
    last: Words = "",
    label: Words = "",
    added: Annotated[int, Query(ge=0, le=10_000)] = 0,
) -> Response:
    """Leave of everybody; with days given, what leave on them would do."""
    typed = {"who": who or str(me.id), "first": first, "last": last, "label": label}
    today, faults, seen = settings.day(), dict[str, str](), None
    with store.reading() as session:
        if first or last:
            try:
                found = actions.effects(session, me, number_in(typed["who"]), first, last, today)
                seen = _effects(found, today)
            except Refused as error:
                faults = dict(error.faults)
        told = f"{count_words(added, 'leave', 'stretches of leave')} entered." if added else ""
        page = LeavePage("people", *_lists(session, me, settings), typed, faults, seen, told=told)
    return render(request, "across/leave.html", page, status=422 if faults else 200)


@router.post("/leave")
def add(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Enter leave, for oneself or for others."""
    typed = {name: text_field(form, name, 200) for name in ("who", "first", "last", "label")}
    person_id = number_in(typed["who"])
    try:
        with store.writing() as session:
            days = house.add(session, me, person_id, typed["first"], typed["last"], typed["label"], settings.day())
            asked = asks_for(session, me, person_id, *days)
    except Refused as error:
        return _again(request, me, store, settings, typed, error.faults)
    if asked:
        return RedirectResponse(f"/hand-over?person={person_id}&first={days[0]}&last={days[1]}", status_code=303)
    return RedirectResponse("/leave?added=1", status_code=303)


@router.post("/leave/off")
def take_off(me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Be there after all."""
    with store.writing() as session:
        house.remove(session, me, number_in(text_field(form, "who", 12)), number_in(text_field(form, "leave", 12)))
    return RedirectResponse("/leave", status_code=303)


@router.post("/leave/read")
def read(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """The days in a calendar file, to be looked at before they are taken in."""
    typed = {"who": text_field(form, "who", 12) or str(me.id), "first": "", "last": "", "label": ""}
    file = form.get("file")
    if not isinstance(file, UploadFile) or not file.filename:
        return _again(request, me, store, settings, typed, {"file": "Choose a calendar file (.ics)."})
    name = file.filename[:200]
    try:
        if not name.lower().endswith(".ics"):
            raise DocumentError([Fault(name, "is no calendar file; choose one that ends in .ics")])
        found = read_apart(file.file.read(), name).leave
    except DocumentError as error:
        said = "; ".join(f"{fault.path} {fault.message}" for fault in error.faults)
        return _again(request, me, store, settings, typed, {"file": f"{said}."})
    with store.reading() as session:
        spans = tuple(_read_spans(session, me, number_in(typed["who"]), found, settings.day()))
        page = LeavePage("people", *_lists(session, me, settings), typed, read=spans, file=name)
    return render(request, "across/leave.html", page)


def _read_spans(
    session: Session, me: SignedIn, person_id: int, found: Sequence[tuple[str, str, str, int]], today: dt.date
) -> Iterator[SpanRead]:
    """What was read of a file, with what it would do; hours of a day are no day away unless somebody says so."""
    now = dt.date(today.year, today.month, today.day)
    days = [(dt.date.fromisoformat(first), dt.date.fromisoformat(last)) for first, last, _, _ in found]
    counts = actions.lying_on(session, me, person_id, days, now)
    for (first, last, label, minutes), (_, end), count in zip(found, days, counts, strict=True):
        told = [f"only {hours_words(minutes)}" if 0 < minutes < SHORT else "", "over" if end < now else ""]
        told += [f"{count_words(count, 'task')} on these days" if count and end >= now else ""]
        value = json.dumps([first, last, label])
        ticked = end >= now and not 0 < minutes < SHORT
        yield SpanRead(_days(first, last), label, value, end < now, ticked, ", ".join(filter(None, told)))


@router.post("/leave/take-in")
def take_in(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Enter the days that were chosen of a file."""
    typed = {"who": text_field(form, "who", 12), "first": "", "last": "", "label": ""}
    spans = _spans([str(value) for value in form.getlist("span")])
    with store.writing() as session:
        added, left_out = actions.take_in(session, me, number_in(typed["who"]), spans, settings.day())
    with store.reading() as session:
        told = f"{count_words(added, 'stretch of leave', 'stretches of leave')} entered."
        page = LeavePage("people", *_lists(session, me, settings), typed, told=told, left_out=tuple(left_out))
    return render(request, "across/leave.html", page)


def _spans(texts: Sequence[str]) -> list[tuple[str, str, str]]:
    """Days as the form sends them."""
    spans = []
    for text in texts[:2000]:
        try:
            first, last, label = (str(part) for part in json.loads(text))
            _days(first, last)
        except (ValueError, TypeError, RecursionError):
            raise Refused({"span": "These days could not be read; choose the file once more."}) from None
        spans.append((first, last, label))
    return spans


def _days(first: str, last: str) -> str:
    a, b = (dt.date.fromisoformat(text) for text in (first, last))
    return span_words(a.toordinal(), b.toordinal(), year=True)


def _again(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    typed: Mapping[str, str],
    faults: Mapping[str, str],
) -> Response:
    with store.reading() as session:
        page = LeavePage("people", *_lists(session, me, settings), typed, faults)
    return form_again(request, "across/leave.html", page, faults)


def _lists(
    session: Session, me: SignedIn, settings: SettingsOf
) -> tuple[tuple[tuple[str, tuple[LeaveLine, ...]], ...], tuple[tuple[int, str], ...]]:
    months: dict[str, list[LeaveLine]] = {}
    today = settings.day()
    for line in actions.leave_ahead(session, me, today):
        first = max(line.first, dt.date(today.year, today.month, today.day))
        months.setdefault(f"{first:%B %Y}", []).append(line)
    return tuple((month, tuple(lines)) for month, lines in months.items()), actions.those_for(session, me)


def _effects(found: actions.Effects, today: dt.date) -> EffectsSeen:
    said = DateWords.seen_on(today)
    tasks = found.tasks
    hours = f"{hours_words(found.hours)} of work would be missing" if found.hours else "No hours would be missing"
    lie = f"{count_words(len(tasks), 'task')} would lie on these days" if tasks else "no task lies on these days"
    return EffectsSeen(
        f"{found.who} would be away {_days(found.first.isoformat(), found.last.isoformat())}. {hours}; {lie}.",
        f"{found.first.isoformat()} {found.last.isoformat()}",
        tuple(
            (one.run_id if one.seen else 0, one.key, one.title, one.run, said.span(one.first, one.last))
            for one in tasks[:MOST_TASKS]
        ),
        max(0, len(tasks) - MOST_TASKS),
        tuple(
            f"{hours_words(one.asked)} would be asked of {hours_words(one.has)}, "
            + (f"on {said[one.first]}" if one.first == one.last else said.span(one.first, one.last))
            for one in found.over
        ),
    )
