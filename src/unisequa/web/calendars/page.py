"""The pages of the working calendars."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Query, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.access import check_administrator
from unisequa.actions.calendar_changes import LeftRun, Touched, change_with_runs, left_runs, touched
from unisequa.actions.house import calendars as managing
from unisequa.actions.house.calendars import CalendarSeen
from unisequa.actions.people.people import Actor
from unisequa.core.calendars.holidays import countries
from unisequa.core.calendars.words import count_words, day_words, names_words, span_words
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.errors import NotThere, Refused
from unisequa.store.store import Session, Store
from unisequa.web.calendars.year import Year, draw_year
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
Words = Annotated[str, Query(max_length=200)]
Counted = Annotated[int, Query(ge=0, lt=2**31)]
YearAsked = Annotated[int | None, Query(ge=1900, le=2200)]


@dataclass(frozen=True, slots=True)
class CalendarLine:
    """A calendar in the list."""

    id: int
    name: str
    usual: bool
    week: str
    holidays: str
    closures: int
    used_by: int


@dataclass(frozen=True, slots=True)
class CalendarsPage:
    """All calendars, and the form for a new one as it was filled in."""

    section: str
    calendars: tuple[CalendarLine, ...]
    may_change: bool
    countries: tuple[tuple[str, str], ...]
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ClosureLine:
    """A closure that is not over: its days as they are kept, and in words."""

    first: str
    last: str
    words: str
    label: str


@dataclass(frozen=True, slots=True)
class CalendarPage:
    """One calendar with a year of it drawn; ``extra`` are days worked all the same, as kept and in words;
    ``changed_by`` who changes it, where that is not who looks at it."""

    section: str
    calendar: CalendarSeen
    year: Year
    may_change: bool
    days: tuple[tuple[str, bool], ...]
    hours: str
    holidays: str
    closures: tuple[ClosureLine, ...]
    extra: tuple[tuple[str, str], ...]
    countries: tuple[tuple[str, str], ...]
    left: tuple[LeftRun, ...] = ()
    told: str = ""
    changed_by: str = ""
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class TouchedPage:
    """What a change of a calendar would move, before it is made; ``sent`` is what was typed, to be sent again."""

    section: str
    calendar_id: int
    name: str
    what: str
    touched: Touched
    sent: tuple[tuple[str, str], ...]


def _choices() -> tuple[tuple[str, str], ...]:
    """Countries and their parts as they are chosen: ``GB`` or ``GB-ENG``."""
    chosen = []
    for code, name, parts in countries():
        chosen.append((code, name))
        chosen.extend((f"{code}-{part}", f"{name}: {part}") for part in parts)
    return tuple(chosen)


def _holidays_words(document: CalendarDocument) -> str:
    if document.holidays is None:
        return "none"
    names = {code: name for code, name, _ in countries()}
    country = names.get(document.holidays.country, document.holidays.country)
    return f"{country}: {document.holidays.subdivision}" if document.holidays.subdivision else country


def _hours_words(document: CalendarDocument) -> str:
    return ", ".join(f"{first} to {last}" for first, last in document.hours)


def _line(one: CalendarSeen) -> CalendarLine:
    document = one.document
    week = names_words([name[:3] for name, works in zip(DAYS, document.week, strict=True) if works == "1"])
    closures = len(document.closures)
    return CalendarLine(one.id, document.name, one.usual, week, _holidays_words(document), closures, len(one.used_by))


@router.get("/calendars")
def calendars(request: Request, me: SignedIn, store: StoreOf, named: Words = "", first: Words = "") -> Response:
    """All calendars; ``named`` leads to that one, with the ``first`` day of a closure typed in."""
    if named:
        with store.reading() as session:
            number = managing.number_of(session, named)
        return RedirectResponse(f"/calendars/{number}?first={quote(first)}#first", status_code=303)
    return render(request, "calendars/list.html", _list(me, store))


def _list(
    me: Actor, store: Store, typed: Mapping[str, str] | None = None, faults: Mapping[str, str] | None = None
) -> CalendarsPage:
    with store.reading() as session:
        lines = tuple(_line(one) for one in managing.calendars(session))
    return CalendarsPage("calendars", lines, me.administrator, _choices(), typed or {}, faults or {})


@router.post("/calendars")
def add(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """A new calendar."""
    typed = {name: text_field(form, name, 300) for name in ("name", "holidays")}
    country, _, part = typed["holidays"].partition("-")
    try:
        with store.writing() as session:
            number = managing.add(session, me, typed["name"], country, part)
    except Refused as error:
        return form_again(request, "calendars/list.html", _list(me, store, typed, error.faults), error.faults)
    return RedirectResponse(f"/calendars/{number}", status_code=303)


@router.get("/calendars/{calendar_id}")
def calendar(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    calendar_id: Id,
    year: YearAsked = None,
    first: Words = "",
    shifted: Counted = 0,
    asked: Counted = 0,
) -> Response:
    """One calendar; ``first`` is the first day of a closure, typed in; after a change it says what became of runs."""
    page = _page(me, store, settings.day(), calendar_id, year, {"first": first})
    return render(request, "calendars/page.html", replace(page, told=_told(shifted, asked)))


def _told(shifted: int, asked: int) -> str:
    """What became of the runs when a calendar was changed."""
    parts = [count_words(shifted, "run was shifted", "runs were shifted")] if shifted else []
    left = (
        "run stands as it was until its keeper says otherwise",
        "runs stand as they were until their keepers say otherwise",
    )
    parts += [count_words(asked, *left)] if asked else []
    return f"{', '.join(parts)}." if parts else ""


def _page(
    me: Actor,
    store: Store,
    today: dt.date,
    calendar_id: int,
    year: int | None = None,
    typed: Mapping[str, str] | None = None,
    faults: Mapping[str, str] | None = None,
) -> CalendarPage:
    with store.reading() as session:
        seen = managing.calendar(session, calendar_id)
        left = left_runs(session, me, calendar_id)
        changed_by = "" if me.administrator else managing.changed_by(session)
    document = seen.document
    closures = tuple(
        ClosureLine(
            one.from_.isoformat(),
            one.to.isoformat(),
            span_words(one.from_.toordinal(), one.to.toordinal(), year=True),
            one.label,
        )
        for one in managing.closures_of(document, today)
    )
    extra = tuple((day.isoformat(), day_words(day, year=True)) for day in document.extra_working_days if day >= today)
    holidays = document.holidays
    chosen = f"{holidays.country}-{holidays.subdivision}" if holidays and holidays.subdivision else ""
    return CalendarPage(
        "calendars",
        seen,
        draw_year(document, year or today.year),
        me.administrator,
        tuple((name, works == "1") for name, works in zip(DAYS, document.week, strict=True)),
        _hours_words(document),
        chosen or (holidays.country if holidays else ""),
        closures,
        extra,
        _choices() if me.administrator else (),
        left,
        "",
        changed_by,
        typed or {},
        faults or {},
    )


@router.post("/calendars/{calendar_id}/{what}")
def change(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, calendar_id: Id, what: str
) -> Response:
    """Change a calendar: its days and hours, its holidays, closures, extra days, its name; or remove it."""
    check_administrator(me)
    typed = {
        name: text_field(form, name, 1000)
        for name in ("name", "hours", "holidays", "first", "last", "label", "day", "from", "to")
    }
    week = "".join("1" if str(number) in form.getlist("week") else "0" for number in range(7))
    today = settings.day()
    changes: dict[str, Callable[[], managing.Change]] = {
        "days": lambda: managing.with_fields(week=week, hours=_hours(typed["hours"])),
        "holidays": lambda: managing.with_fields(holidays=_holidays(typed["holidays"])),
        "close": lambda: managing.closing(
            typed["first"], typed["last"], typed["label"], today, month_first=me.month_first
        ),
        "open": lambda: managing.opening_again(typed["from"], typed["to"]),
        "work": lambda: managing.working_on(typed["day"], today, month_first=me.month_first),
        "rest": lambda: managing.resting_on(typed["day"]),
    }
    ways: dict[str, Callable[[Session], Any]] = {
        "rename": lambda s: managing.rename(s, me, calendar_id, typed["name"]),
        "usual": lambda s: managing.make_usual(s, me, calendar_id),
        "remove": lambda s: managing.remove(s, me, calendar_id),
    }
    if what not in changes and what not in ways:
        raise NotThere("That is not done with a calendar.")
    told = ""
    try:
        if what in changes:
            how, runs = changes[what](), text_field(form, "runs", 10)
            if runs not in {"shift", "leave"}:
                with store.reading() as session:
                    seen = touched(session, me, calendar_id, how, today)
                    name = managing.calendar(session, calendar_id).document.name
                if seen.runs or seen.more:
                    sent = tuple((key, str(value)) for key, value in form.multi_items() if key not in {"csrf", "runs"})
                    page = TouchedPage("calendars", calendar_id, name, what, seen, sent)
                    return render(request, "calendars/touched.html", page)
            with store.writing() as session:
                carried = change_with_runs(session, me, calendar_id, how, today, shift=runs != "leave")
            told = f"?shifted={carried.shifted}&asked={carried.asked}"
        else:
            with store.writing() as session:
                ways[what](session)
    except Refused as error:
        page_again = _page(me, store, today, calendar_id, None, typed, error.faults)
        return form_again(request, "calendars/page.html", page_again, error.faults)
    return RedirectResponse("/calendars" if what == "remove" else f"/calendars/{calendar_id}{told}", status_code=303)


def _hours(text: str) -> list[list[str]]:
    """Hours as they are typed: stretches with commas between, each from–to."""
    stretches = []
    for part in filter(None, (one.strip() for one in text.replace(";", ",").split(","))):
        ends = [end.strip() for end in part.replace("–", "-").replace(" to ", "-").split("-")]
        if len(ends) != 2:
            raise Refused({"hours": f'"{part}" is no stretch of hours; write 09:00 to 12:30, 13:00 to 17:00.'})
        stretches.append([end.zfill(5) if ":" in end else f"{end.zfill(2)}:00" for end in ends])
    return stretches


def _holidays(text: str) -> dict[str, str] | None:
    country, _, part = text.partition("-")
    return {"country": country, **({"subdivision": part} if part else {})} if country else None
