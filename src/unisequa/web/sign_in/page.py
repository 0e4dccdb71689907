"""Signing in and out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people import accounts, second_factor
from unisequa.actions.people.people import Actor, people
from unisequa.core.errors import NotThere, Refused
from unisequa.core.terms import number_in
from unisequa.web.door import at_the_door
from unisequa.web.session import Posted, SettingsOf, StoreOf, sessions_of, source_of
from unisequa.web.session import field as text_field
from unisequa.web.sign_in.door import opened, within

router = APIRouter()
BEGUN, LASTS = "sign-in", 300
"""What a sign-in is sealed as while its code is asked for, and for how many seconds it counts."""


@dataclass(frozen=True, slots=True)
class SignInPage:
    """``sample`` lists the demo's people, offered at one click; a real data folder has none here."""

    email: str = ""
    back: str = ""
    fault: str = ""
    sample: tuple[Actor, ...] = ()
    empty: bool = False
    resets: bool = False
    elsewhere: str = ""


@dataclass(frozen=True, slots=True)
class CodePage:
    """What is asked of somebody with a second factor once their password fitted; ``begun`` is who, sealed."""

    begun: str
    back: str
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/sign-in")
def sign_in_page(request: Request, store: StoreOf, settings: SettingsOf, back: str = "") -> Response:
    """The form to sign in with."""
    return _page(request, store, settings, SignInPage(back=within(back)))


def _page(request: Request, store: StoreOf, settings: SettingsOf, page: SignInPage, status: int = 200) -> Response:
    with store.reading() as session:
        everybody = tuple(people(session))
    shown = replace(
        page,
        sample=everybody if settings.demo else (),
        empty=not everybody,
        resets=settings.sends_mail,
        elsewhere=settings.oidc_name if settings.signs_in_elsewhere else "",
    )
    return at_the_door(request, "sign_in/page.html", shown, {"": page.fault} if status != 200 else {}, status)


@router.post("/sign-in")
def sign_in_now(request: Request, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Sign in with address and password, or in the demo as a sample person."""
    back, email = within(text_field(form, "back")), text_field(form, "email", 200)
    try:
        sample, source = number_in(text_field(form, "sample", 20)), source_of(request)
        if settings.demo and sample:
            with store.writing() as session:
                name = accounts.sign_in_as_sample(session, sample, source)
        else:
            actor, name = accounts.sign_in(store, email, text_field(form, "password"), source)
            if not name:
                with store.reading() as session:
                    begun = {"person": actor.id, "marks": second_factor.marks(session, actor.id)}
                page = CodePage(sessions_of(request).seal(BEGUN, begun), back)
                return at_the_door(request, "sign_in/code.html", page)
    except (Refused, NotThere) as error:
        return _page(request, store, settings, SignInPage(email=email, back=back, fault=str(error)), 422)
    return opened(request, name, back)


@router.post("/sign-in/code")
def sign_in_with_code(request: Request, form: Posted, store: StoreOf) -> Response:
    """The second factor of a sign-in whose password fitted."""
    sealed, back = text_field(form, "begun", 1000), within(text_field(form, "back"))
    try:
        begun = sessions_of(request).unseal(BEGUN, sealed, LASTS)
        code = text_field(form, "code", 100)
        name = second_factor.finish_sign_in(store, begun["person"], begun["marks"], code, source_of(request))
    except (Refused, NotThere) as error:
        faults = {"code": str(error)}
        return at_the_door(request, "sign_in/code.html", CodePage(sealed, back, faults), faults, 422)
    return opened(request, name, back)


@router.post("/sign-out")
def sign_out(request: Request, form: Posted, store: StoreOf) -> Response:
    """Sign out: the session ends, not only its cookie."""
    if visit := sessions_of(request).read(request):
        with store.writing() as session:
            accounts.sign_out(session, visit.name)
    response = RedirectResponse("/sign-in", status_code=303)
    sessions_of(request).close(request, response)
    return response
