"""One's own account: the password, and where one is signed in."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.handing_over import asks_for
from unisequa.actions.house import leave
from unisequa.actions.house.leave import LeaveSeen
from unisequa.actions.people import accounts
from unisequa.actions.people.people import Actor
from unisequa.actions.people.second_factor import Factor, factor_of
from unisequa.core.calendars.words import day_words
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.store.store import Store
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, sessions_of, settings_of
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class SessionLine:
    """A session as the page shows it."""

    id: int
    where: str
    begun: str
    seen: str
    this: bool


@dataclass(frozen=True, slots=True)
class AccountPage:
    """The page."""

    section: str
    name: str
    email: str
    title: str
    administrator: bool
    month_first: bool
    sessions: tuple[SessionLine, ...]
    factor: Factor
    leave: tuple[LeaveSeen, ...]
    typed: Mapping[str, str] = field(default_factory=dict)
    said: str = ""
    faults: Mapping[str, str] = field(default_factory=dict)


_SAID = {
    "password": "Your password is changed; every other session has ended.",
    "sessions": "Ended.",
    "days": "Days are read so from now on.",
    "factor": "Your second factor is off.",
}


@router.get("/account")
def account(request: Request, me: SignedIn, store: StoreOf, said: str = "") -> Response:
    """The page."""
    return render(request, "account/page.html", account_page(request, me, store, said=_SAID.get(said, "")))


def account_page(
    request: Request,
    me: Actor,
    store: Store,
    said: str = "",
    faults: Mapping[str, str] | None = None,
    typed: Mapping[str, str] | None = None,
) -> AccountPage:
    """What the page shows."""
    with store.reading() as session:
        seen = accounts.sessions(session, me, visit_name(request))
        factor = factor_of(session, me)
        away = leave.leave_of(session, me.id, settings_of(request).day())
    lines = tuple(
        SessionLine(one.id, _where(one.agent, one.source), _moment(one.begun), _moment(one.seen), one.this)
        for one in seen
    )
    return AccountPage(
        "",
        me.name,
        me.email,
        me.title,
        me.administrator,
        me.month_first,
        lines,
        factor,
        away,
        typed or {},
        said,
        faults or {},
    )


def visit_name(request: Request) -> str:
    """The name of the session that asks."""
    visit = sessions_of(request).read(request)
    return visit.name if visit else ""


def _moment(at: dt.datetime) -> str:
    return f"{day_words(at.date(), year=True)}, {at:%H:%M} UTC"


def _where(agent: str, source: str) -> str:
    kind = "A phone or tablet" if "Mobile" in agent or "Android" in agent else "A computer" if agent else "A program"
    return kind + (f", from {source}" if source else "")


@router.post("/account/password")
def password(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Another password."""
    old, new, again = (text_field(form, name, 1100) for name in ("old", "new", "again"))
    try:
        if new != again:
            raise Refused({"again": "The two are not the same."})
        accounts.change_password(store, me, old, new, visit_name(request))
    except Refused as error:
        page = account_page(request, me, store, faults=error.faults)
        return form_again(request, "account/page.html", page, error.faults)
    return RedirectResponse("/account?said=password", status_code=303)


@router.post("/account/sessions")
def end(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """End one session, or all but this one."""
    with store.writing() as session:
        accounts.end_sessions(session, me, visit_name(request), number_in(text_field(form, "session", 12)) or None)
    return RedirectResponse("/account?said=sessions", status_code=303)


@router.post("/account/days")
def days(me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """How days between slashes are read."""
    with store.writing() as session:
        accounts.set_habit(session, me, month_first=text_field(form, "order", 10) == "month")
    return RedirectResponse("/account?said=days", status_code=303)


@router.post("/account/leave")
def add_leave(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Be away for some days."""
    typed = {name: text_field(form, name, 300) for name in ("first", "last", "label")}
    try:
        with store.writing() as session:
            first, last = leave.add(session, me, me.id, typed["first"], typed["last"], typed["label"], settings.day())
            asked = asks_for(session, me, me.id, first, last)
    except Refused as error:
        page = account_page(request, me, store, faults=error.faults, typed=typed)
        return form_again(request, "account/page.html", page, error.faults)
    away = f"/hand-over?person={me.id}&first={first}&last={last}"
    return RedirectResponse(away if asked else "/account#leave-head", status_code=303)


@router.post("/account/leave/off")
def take_leave_off(me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Be there after all."""
    with store.writing() as session:
        leave.remove(session, me, me.id, number_in(text_field(form, "leave", 12)))
    return RedirectResponse("/account#leave-head", status_code=303)
