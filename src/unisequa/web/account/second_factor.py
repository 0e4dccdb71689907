"""One's second factor: put on, taken off, and codes for paper."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, Request
from markupsafe import Markup
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people import second_factor
from unisequa.actions.people.people import Actor
from unisequa.core.errors import Refused
from unisequa.web.account.page import account_page, visit_name
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SignedIn, StoreOf, sessions_of
from unisequa.web.session import field as text_field

router = APIRouter()
SECRET, LASTS = "second factor", 1800
"""What a secret is sealed as until a code shows that it arrived, and for how many seconds it waits."""


@dataclass(frozen=True, slots=True)
class FactorPage:
    """A secret, as a picture and as text, sealed for the form; and at the end, once, the codes for paper."""

    section: str
    secret: str = ""
    sealed: str = ""
    picture: str = ""
    codes: tuple[str, ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/account/second-factor")
def begin(request: Request, me: SignedIn) -> Response:
    """A new secret; nothing is asked for at sign-ins before a code of it is typed here."""
    secret = second_factor.new_secret()
    sealed = sessions_of(request).seal(SECRET, {"person": me.id, "secret": secret})
    return render(request, "account/second_factor.html", _page(me, secret, sealed))


def _page(me: Actor, secret: str, sealed: str, faults: Mapping[str, str] | None = None) -> FactorPage:
    import segno

    picture = segno.make(second_factor.address_of(secret, me), error="m").svg_inline(scale=4, light="#fff")
    spaced = " ".join(secret[n : n + 4] for n in range(0, len(secret), 4))
    return FactorPage("", spaced, sealed, Markup(picture), faults=faults or {})  # noqa: S704 - drawn just here


@router.post("/account/second-factor")
def turn_on(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Put it on, by a code."""
    sealed = text_field(form, "sealed", 1000)
    kept = sessions_of(request).unseal(SECRET, sealed, LASTS)
    if kept["person"] != me.id:
        raise Refused({"": "This page was another person's; begin again."})
    try:
        code = text_field(form, "code", 20)
        codes = second_factor.turn_on(store, me, kept["secret"], code, visit_name(request))
    except Refused as error:
        page = _page(me, kept["secret"], sealed, error.faults)
        return form_again(request, "account/second_factor.html", page, error.faults)
    return render(request, "account/second_factor.html", FactorPage("", codes=codes))


@router.post("/account/second-factor/off")
def turn_off(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Take it off."""
    try:
        second_factor.turn_off(store, me, text_field(form, "password", 1100))
    except Refused as error:
        return _refused(request, me, store, error)
    return RedirectResponse("/account?said=factor", status_code=303)


@router.post("/account/second-factor/codes")
def new_codes(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Other codes for paper."""
    try:
        codes = second_factor.new_codes(store, me, text_field(form, "password", 1100))
    except Refused as error:
        return _refused(request, me, store, error)
    return render(request, "account/second_factor.html", FactorPage("", codes=codes))


def _refused(request: Request, me: Actor, store: StoreOf, error: Refused) -> Response:
    faults = {"factor": str(error)}
    return form_again(request, "account/page.html", account_page(request, me, store, faults=faults), faults)
