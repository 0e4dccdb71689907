"""The record of a subject: what is known of it, and the runs about it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor, people
from unisequa.actions.subjects import (
    FIRST_DAY,
    LAST_DAY,
    Record,
    SubjectSeen,
    add_subject,
    as_seen,
    change_subject,
    may_add,
    may_change,
    runs_about,
    subject_row,
)
from unisequa.actions.templates.library import kinds_of_subjects, usual_for
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.calendars.words import day_words
from unisequa.core.errors import DateRangeError, NotAllowed, Refused, TypedError
from unisequa.core.terms import number_in
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
FIELDS = ("name", "kind", "position", "unit", "manager", "first", "last")


@dataclass(frozen=True, slots=True)
class RecordPage:
    """A record, or the form for a new one (``id`` 0). ``held`` says which of its dates runs have from it."""

    section: str
    id: int
    subject: SubjectSeen | None
    values: Mapping[str, str]
    may: bool
    managers: tuple[tuple[int, str], ...]
    runs: tuple[tuple[int, str, str], ...] = ()
    dates: tuple[tuple[str, str], ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)
    kinds: tuple[str, ...] = ()
    usual: tuple[tuple[int, str, str], ...] = ()


@router.get("/subjects/new")
def new(request: Request, me: SignedIn, store: StoreOf) -> Response:
    """The form for somebody new."""
    with store.reading() as session:
        if not may_add(session, me):
            raise NotAllowed("Subjects are added by whoever starts runs. Ask an administrator.")
        page = RecordPage(
            "people",
            0,
            None,
            dict.fromkeys(FIELDS, ""),
            True,
            _managers(people(session)),
            kinds=tuple(kinds_of_subjects(session, me)),
        )
    return render(request, "joiners/record.html", page)


@router.get("/subjects/{number}")
def record(request: Request, me: SignedIn, store: StoreOf, number: Id) -> Response:
    """What is known of one."""
    return render(request, "joiners/record.html", _page(me, store, number))


@router.post("/subjects")
def add(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Keep a new one."""
    try:
        with store.writing() as session:
            number = add_subject(session, me, _read(form, settings.day(), month_first=me.month_first), settings.day())
    except Refused as error:
        with store.reading() as session:
            page = RecordPage(
                "people",
                0,
                None,
                _typed(form),
                True,
                _managers(people(session)),
                faults=error.faults,
                kinds=tuple(kinds_of_subjects(session, me)),
            )
        return form_again(request, "joiners/record.html", page, error.faults)
    return RedirectResponse(f"/subjects/{number}", status_code=303)


@router.post("/subjects/{number}")
def change(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, number: Id) -> Response:
    """Have it say something else."""
    try:
        with store.writing() as session:
            change_subject(session, me, number, _read(form, settings.day(), month_first=me.month_first), settings.day())
    except Refused as error:
        page = _page(me, store, number, _typed(form), error.faults)
        return form_again(request, "joiners/record.html", page, error.faults)
    return RedirectResponse(f"/subjects/{number}", status_code=303)


def _page(
    me: Actor,
    store: StoreOf,
    number: int,
    typed: Mapping[str, str] | None = None,
    faults: Mapping[str, str] | None = None,
) -> RecordPage:
    with store.reading() as session:
        row = subject_row(session, me, number)
        seen = as_seen(row)
        values = {
            "name": seen.name, "kind": seen.kind, "position": seen.position, "unit": seen.unit,
            "manager": str(seen.manager_id or ""),
            "first": _day(seen.dates.get(FIRST_DAY)), "last": _day(seen.dates.get(LAST_DAY)),
        }  # fmt: skip
        return RecordPage(
            "people",
            number,
            seen,
            typed or values,
            may_change(session, me, row),
            _managers(people(session)),
            tuple((run.id, run.name, run.state) for run in runs_about(session, me, number)),
            tuple((name, day_words(day, year=True)) for name, day in seen.dates.items()),
            faults or {},
            tuple(kinds_of_subjects(session, me)),
            tuple(usual_for(session, me, seen.kind)),
        )


def _day(day: dt.date | None) -> str:
    return day.isoformat() if day else ""


def _managers(found: list[Actor]) -> tuple[tuple[int, str], ...]:
    return tuple((one.id, one.name) for one in found)


def _typed(form: FormData) -> dict[str, str]:
    return {name: text_field(form, name, 200) for name in FIELDS}


def _read(form: FormData, today: dt.date, *, month_first: bool) -> Record:
    typed = _typed(form)
    days: dict[str, dt.date | None] = {}
    faults: dict[str, str] = {}
    for name in ("first", "last"):
        days[name] = None
        if text := typed[name].strip():
            try:
                days[name] = typed_date(
                    text, today=today, base=None, calendar=WorkingCalendar(), month_first=month_first
                )
            except (TypedError, DateRangeError) as error:
                faults[name] = str(error)
    if faults:
        raise Refused(faults)
    manager = number_in(typed["manager"]) or None
    first, last = days["first"], days["last"]
    return Record(typed["name"], typed["position"], typed["unit"], manager, first, last, typed["kind"])
