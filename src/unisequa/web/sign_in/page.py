"""Signing in and out."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor, people, sign_in, sign_in_as_sample
from unisequa.core.errors import NotThere, Refused
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, StoreOf, field, sessions_of

router = APIRouter()


@dataclass(frozen=True, slots=True)
class SignInPage:
    """``sample`` lists the demo's people, offered at one click; a real data folder has none here."""

    email: str = ""
    back: str = ""
    fault: str = ""
    sample: tuple[Actor, ...] = ()
    empty: bool = False


@router.get("/")
def home() -> Response:
    """The front page."""
    return RedirectResponse("/runs", status_code=303)


@router.get("/sign-in")
def sign_in_page(request: Request, store: StoreOf, settings: SettingsOf, back: str = "") -> Response:
    """The form to sign in with."""
    return _page(request, store, settings, SignInPage(back=_within(back)))


def _page(request: Request, store: StoreOf, settings: SettingsOf, page: SignInPage, status: int = 200) -> Response:
    with store.reading() as session:
        everybody = tuple(people(session))
    shown = SignInPage(page.email, page.back, page.fault, everybody if settings.demo else (), not everybody)
    sessions = sessions_of(request)
    visit = sessions.read(request)
    carrier = Response()
    request.state.visit = visit or sessions.open(carrier)
    if status != 200:
        response = form_again(request, "sign_in/page.html", shown, {"": page.fault}, status)
    else:
        response = render(request, "sign_in/page.html", shown)
    if visit is None:
        response.raw_headers.extend(header for header in carrier.raw_headers if header[0] == b"set-cookie")
    return response


@router.post("/sign-in")
def sign_in_now(request: Request, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Sign in with address and password, or in the demo as a sample person."""
    back, email = _within(field(form, "back")), field(form, "email", 200)
    try:
        with store.reading() as session:
            sample = field(form, "sample", 20)
            if sample and settings.demo and sample.isdigit():
                who = sign_in_as_sample(session, int(sample))
            else:
                who = sign_in(session, email, field(form, "password"))
    except (Refused, NotThere) as error:
        return _page(request, store, settings, SignInPage(email=email, back=back, fault=str(error)), 422)
    response = RedirectResponse(back or "/runs", status_code=303)
    sessions_of(request).open(response, who)
    return response


@router.post("/sign-out")
def sign_out(request: Request, form: Posted) -> Response:
    """Sign out."""
    response = RedirectResponse("/sign-in", status_code=303)
    sessions_of(request).close(response)
    return response


def _within(back: str) -> str:
    """A path of this site, or nothing: never the way to another."""
    return back if back.startswith("/") and not back.startswith(("//", "/\\")) and len(back) < 500 else ""
