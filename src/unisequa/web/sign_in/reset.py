"""A lost password: a link asked for, and another password set by it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, BackgroundTasks, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.mail import send_waiting
from unisequa.actions.people import resets
from unisequa.core.errors import NotThere, Refused
from unisequa.web.door import at_the_door
from unisequa.web.session import Posted, SettingsOf, StoreOf, source_of
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class ForgottenPage:
    """Where a link is asked for; ``sends`` is whether any mail can leave, ``asked`` whether one was asked for."""

    sends: bool
    email: str = ""
    asked: bool = False
    faults: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ResetPage:
    """Where another password is set."""

    token: str
    name: str
    email: str
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/forgotten")
def forgotten(request: Request, settings: SettingsOf) -> Response:
    """The form to ask for a link with."""
    return at_the_door(request, "sign_in/forgotten.html", ForgottenPage(settings.sends_mail))


@router.post("/forgotten")
def ask(request: Request, form: Posted, store: StoreOf, settings: SettingsOf, later: BackgroundTasks) -> Response:
    """Ask for a link. The answer is the same whoever is meant, and comes before any mail leaves."""
    email = text_field(form, "email", 200)
    if not settings.sends_mail:
        raise NotThere("No mail leaves this server; an administrator sets another password for you.")
    try:
        resets.ask(store, email, source_of(request), lambda token: f"{settings.address.rstrip('/')}/reset/{token}")
    except Refused as error:
        page = ForgottenPage(True, email, faults=error.faults)
        return at_the_door(request, "sign_in/forgotten.html", page, error.faults, 422)
    later.add_task(send_waiting, store, settings.smtp_url, settings.mail_from)
    response = at_the_door(request, "sign_in/forgotten.html", ForgottenPage(True, email, asked=True))
    response.background = later
    return response


@router.get("/reset/{token}")
def reset(request: Request, store: StoreOf, token: str) -> Response:
    """The form to set another password with. Opening it changes nothing."""
    return at_the_door(request, "sign_in/reset.html", _page(store, token))


def _page(store: StoreOf, token: str, faults: Mapping[str, str] | None = None) -> ResetPage:
    with store.reading() as session:
        person = resets.whose(session, token)
    return ResetPage(token, person.name, person.email, faults or {})


@router.post("/reset/{token}")
def set_password(request: Request, form: Posted, store: StoreOf, token: str) -> Response:
    """Set another password."""
    new = text_field(form, "password", 1100)
    try:
        if new != text_field(form, "again", 1100):
            raise Refused({"again": "The two are not the same."})
        resets.use(store, token, new)
    except Refused as error:
        return at_the_door(request, "sign_in/reset.html", _page(store, token, error.faults), error.faults, 422)
    return RedirectResponse("/sign-in", status_code=303)
