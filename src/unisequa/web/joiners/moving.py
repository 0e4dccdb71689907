"""A date that several runs hold: what moving it would do in each of them, before it is moved in all."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor
from unisequa.actions.runs.together import Holder, Moving, Source, consider_together, move_together
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.typed import typed_date
from unisequa.core.calendars.words import count_words, day_words
from unisequa.core.errors import DateRangeError, Refused, Stale, TypedError
from unisequa.core.shift.changes import Change
from unisequa.core.terms import number_in
from unisequa.store.store import Store
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
Words = Annotated[str, Query(max_length=200)]
Kind = Annotated[str, Query(max_length=10)]
Count = Annotated[int | None, Query(ge=0, le=100_000)]
MOST_SHOWN = 60


@dataclass(frozen=True, slots=True)
class ChangeSeen:
    """A task that moves: where it is due now, and would be."""

    title: str
    who: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class HolderSeen:
    """A run in which the date would move."""

    id: int
    name: str
    keeper: str
    version: int
    may: bool
    said: str
    fault: str
    changes: tuple[ChangeSeen, ...]
    more: int
    conflicts: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MovingPage:
    """The date, where to, and what follows."""

    section: str
    source: Source
    of: str
    now: str
    to: str
    read_as: str
    may: bool
    holders: tuple[HolderSeen, ...]
    button: str
    faults: Mapping[str, str] = field(default_factory=dict)
    done: str = ""


@router.get("/together")
def moving(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    kind: Kind = "",
    id: Annotated[int, Query(ge=0, lt=2**31)] = 0,
    name: Words = "",
    to: Words = "",
    moved: Count = None,
    proposed: Count = None,
) -> Response:
    """What would follow; once it was moved, what came of it."""
    page = _page(store, me, Source(kind, id, name), to, settings.day())
    if moved is not None:
        more = f", proposed to {count_words(proposed, 'keeper')}" if proposed else ""
        page = replace(page, done=f"Moved in {count_words(moved, 'run')}{more}.")
    return render(request, "joiners/moving.html", page)


@router.post("/together")
def move(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Move it wherever it is held."""
    today, to = settings.day(), text_field(form, "to", 60)
    source = Source(
        text_field(form, "kind", 10), number_in(text_field(form, "id", 12)) or 0, text_field(form, "name", 200)
    )
    versions = {
        number: version
        for key in form
        if key.startswith("version.")
        and (number := number_in(key.removeprefix("version.")))
        and (version := number_in(text_field(form, key, 12)))
    }
    try:
        day = _day(to, today, month_first=me.month_first)
        if day is None:
            raise Refused({"to": "Say which day."})
        with store.writing() as session:
            done = move_together(session, me, source, day, versions, today, text_field(form, "why", 2000))
    except (Refused, Stale) as error:
        faults = error.faults if isinstance(error, Refused) else {"": str(error)}
        page = _page(store, me, source, to, today, faults)
        return form_again(request, "joiners/moving.html", page, faults)
    came = {"moved": done.moved, "proposed": done.proposed}
    query = urlencode({"kind": source.kind, "id": source.id, "name": source.name, **came})
    return RedirectResponse(f"/together?{query}", status_code=303)


def _day(text: str, today: dt.date, *, month_first: bool) -> dt.date | None:
    if not text.strip():
        return None
    try:
        return typed_date(text, today=today, base=None, calendar=WorkingCalendar(), month_first=month_first)
    except (TypedError, DateRangeError) as error:
        raise Refused({"to": str(error)}) from error


def _page(
    store: Store, me: Actor, source: Source, to: str, today: dt.date, faults: Mapping[str, str] | None = None
) -> MovingPage:
    told = dict(faults or {})
    try:
        day = _day(to, today, month_first=me.month_first)
    except Refused as error:
        day, told = None, {**error.faults, **told}
    with store.reading() as session:
        seen = consider_together(session, me, source, day, today)
    holders = tuple(_holder(one, asked=day is not None) for one in seen.holders)
    return MovingPage(
        "people", source, seen.of, day_words(seen.day, year=True) if seen.day else "open", to,
        day_words(day, year=True) if day else "", seen.may, holders, _button(seen, day), told,
    )  # fmt: skip


def _button(seen: Moving, day: dt.date | None) -> str:
    """What the button will do; nothing while there is nothing to do."""
    if day is None or (day == seen.day and not any(one.result for one in seen.holders)):
        return ""
    mine = sum(one.may and one.result is not None for one in seen.holders)
    others = sum(not one.may and one.result is not None for one in seen.holders)
    if not mine and not others:
        return f"Put it on {day_words(day)}"
    said = [f"Move it in {count_words(mine, 'run')}"] if mine else []
    if others:
        said.append(f"propose it in {others}" if said else f"Propose it in {count_words(others, 'run')}")
    return ", ".join(said)


def _holder(one: Holder, *, asked: bool) -> HolderSeen:
    changes = [change for change in one.result.changes if change.key in one.result.plan.positions] if one.result else []
    there = asked and one.day is not None and one.result is None and not one.fault
    said = "stands there already" if there else ""
    if one.result is not None:
        said = f"moves {count_words(len(changes), 'task')}"
    conflicts = tuple(conflict.text for conflict in one.result.conflicts) if one.result else ()
    shown = tuple(_change(one, change) for change in changes[:MOST_SHOWN])
    return HolderSeen(
        one.run_id, one.name, one.keeper, one.version, one.may, said, one.fault, shown,
        max(0, len(changes) - MOST_SHOWN), conflicts,
    )  # fmt: skip


def _change(one: Holder, change: Change) -> ChangeSeen:
    assert one.result is not None
    plan, after = one.result.plan, one.result.after()
    i = plan.position(change.key)
    before, then = plan.days(i), after.days(i)
    who = plan.crew.get(plan.tasks[i].role or "", "")
    said = plan.dates_in_words().of_days
    return ChangeSeen(plan.tasks[i].title, who, said[before[1]] if before else "undated", said[then[1]] if then else "")
