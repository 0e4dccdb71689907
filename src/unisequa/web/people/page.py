"""The pages on which administrators look after people."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter, BackgroundTasks, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.access import check_administrator
from unisequa.actions.handing_over import asks_for
from unisequa.actions.house import leave, teams
from unisequa.actions.house import people as managing
from unisequa.actions.house.calendars import calendars
from unisequa.actions.house.leave import LeaveSeen
from unisequa.actions.house.people import Holdings, PersonLine
from unisequa.actions.house.teams import Group
from unisequa.actions.mail import send_waiting
from unisequa.actions.people import resets
from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotThere, Refused
from unisequa.core.terms import number_in
from unisequa.store.store import Session, Store
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class PeoplePage:
    """The list, and the form for somebody new as it was filled in."""

    section: str
    people: tuple[PersonLine, ...]
    sends: bool
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PersonPage:
    """Somebody, what they hold, and who could take it over."""

    section: str
    person: PersonLine
    holds: Holdings
    heirs: tuple[Actor, ...]
    mine: bool
    positions: tuple[Group, ...]
    leave: tuple[LeaveSeen, ...]
    calendars: tuple[tuple[int, str], ...]
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/people")
def people(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """Everybody."""
    with store.reading() as session:
        page = PeoplePage("people", managing.everybody(session, me), settings.sends_mail)
    return render(request, "people/page.html", page)


@router.post("/people")
def add(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, later: BackgroundTasks
) -> Response:
    """Add somebody; without a password they are sent a link, where mail leaves."""
    typed = {name: text_field(form, name, 300) for name in ("name", "email", "title")}
    password = text_field(form, "password", 1100)
    try:
        invited = not password and settings.sends_mail
        added = managing.add(store, me, typed["name"], typed["email"], None if invited else password, typed["title"])
        if invited:
            with store.writing() as session:
                resets.invite(session, added, me, lambda token: f"{settings.address.rstrip('/')}/reset/{token}")
            later.add_task(send_waiting, store, settings.smtp_url, settings.mail_from)
    except Refused as error:
        with store.reading() as session:
            page = PeoplePage("people", managing.everybody(session, me), settings.sends_mail, typed, error.faults)
        return form_again(request, "people/page.html", page, error.faults)
    return RedirectResponse(f"/people/{added.id}", status_code=303, background=later)


@router.get("/people/{person_id}")
def person(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, person_id: Id) -> Response:
    """One of them."""
    return render(request, "people/person.html", _page(me, store, settings.day(), person_id))


def _page(
    me: Actor,
    store: Store,
    today: dt.date,
    person_id: int,
    typed: Mapping[str, str] | None = None,
    faults: Mapping[str, str] | None = None,
) -> PersonPage:
    with store.reading() as session:
        line, holds = managing.somebody(session, me, person_id)
        heirs = managing.heirs(session, me, person_id)
        positions = teams.positions(session)
        away = leave.leave_of(session, person_id, today)
        named = tuple((one.id, one.document.name) for one in calendars(session))
    return PersonPage(
        "people", line, holds, heirs, person_id == me.id, positions, away, named, typed or {}, faults or {}
    )


@router.post("/people/{person_id}/{what}")
def change(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, person_id: Id, what: str
) -> Response:
    """Describe somebody, say when they are away, give them a password, let them in or no longer, hand over what they
    hold."""
    typed = {
        name: text_field(form, name, 300) for name in ("name", "title", "position", "manager", "first", "last", "label")
    }
    ways: dict[str, Callable[[Session], Any]] = {
        "describe": lambda s: managing.describe(
            s, me, person_id, typed["name"], typed["title"], number_in(typed["position"]), number_in(typed["manager"])
        ),
        "hours": lambda s: managing.set_hours(
            s, me, person_id, number_in(text_field(form, "calendar", 12)), text_field(form, "share", 12)
        ),
        "leave": lambda s: leave.add(s, me, person_id, typed["first"], typed["last"], typed["label"], settings.day()),
        "no-leave": lambda s: leave.remove(s, me, person_id, number_in(text_field(form, "leave", 12))),
        "deactivate": lambda s: managing.set_active(s, me, person_id, active=False),
        "activate": lambda s: managing.set_active(s, me, person_id, active=True),
        "no-second-factor": lambda s: managing.take_second_factor_off(s, me, person_id),
        "administrator": lambda s: managing.set_administrator(s, me, person_id, administrator=True),
        "no-administrator": lambda s: managing.set_administrator(s, me, person_id, administrator=False),
        "hand-over": lambda s: managing.hand_over(
            s, me, person_id, number_in(text_field(form, "to", 12)), settings.day()
        ),
    }
    check_administrator(me)
    if what != "password" and what not in ways:
        raise NotThere("That is not done with somebody.")
    try:
        if what == "password":
            managing.set_password(store, me, person_id, text_field(form, "password", 1100))
        else:
            with store.writing() as session:
                done = ways[what](session)
                if what == "leave" and asks_for(session, me, person_id, *done):
                    first, last = done
                    return RedirectResponse(f"/hand-over?person={person_id}&first={first}&last={last}", status_code=303)
    except Refused as error:
        page = _page(me, store, settings.day(), person_id, typed, error.faults)
        return form_again(request, "people/person.html", page, error.faults)
    return RedirectResponse(f"/people/{person_id}", status_code=303)
