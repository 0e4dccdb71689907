"""One's own bell, and how one wants each line of messages."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.messages.bell import Choice, bell, choices, choose, look
from unisequa.core.calendars.today import zone_of
from unisequa.core.errors import Refused
from unisequa.web.errors import form_again
from unisequa.web.moments import moment_words
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class ToldLine:
    """Something one was told."""

    at: str
    said: str
    more: tuple[str, ...]
    run: str
    path: str
    fresh: bool


@dataclass(frozen=True, slots=True)
class BellPage:
    """The page."""

    section: str
    told: tuple[ToldLine, ...]
    fresh: int


@dataclass(frozen=True, slots=True)
class NoticesPage:
    """How one wants to be told."""

    section: str
    phone: str
    lines: tuple[Choice, ...]
    said: str = ""
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/bell")
def told(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """What one was told."""
    today = settings.day()
    with store.reading() as session:
        rows = bell(session, me)
    zone = zone_of(today)
    lines = tuple(
        ToldLine(moment_words(one.at, zone, today), one.said, one.more, "" if one.run in one.said else one.run,
                 one.path, one.fresh)
        for one in rows
    )  # fmt: skip
    return render(request, "outbox/bell.html", BellPage("", lines, sum(one.fresh for one in rows)))


@router.post("/bell/seen")
def seen(me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Count nothing in it any more."""
    with store.writing() as session:
        look(session, me)
    return RedirectResponse("/bell", status_code=303)


@router.get("/account/notices")
def notices(request: Request, me: SignedIn, store: StoreOf, said: str = "") -> Response:
    """How one wants to be told."""
    with store.reading() as session:
        phone, lines = choices(session, me)
    words = "Messages reach you so from now on." if said == "yes" else ""
    return render(request, "outbox/notices.html", NoticesPage("", phone, lines, words))


@router.post("/account/notices")
def keep_notices(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Be told so from now on."""
    phone = text_field(form, "phone", 60)
    wanted = {name.removeprefix("line."): text_field(form, name, 20) for name in form if name.startswith("line.")}
    try:
        with store.writing() as session:
            choose(session, me, phone, wanted)
    except Refused as error:
        with store.reading() as session:
            _, lines = choices(session, me)
        return form_again(request, "outbox/notices.html", NoticesPage("", phone, lines, "", error.faults), error.faults)
    return RedirectResponse("/account/notices?said=yes", status_code=303)
