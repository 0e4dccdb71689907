"""What somebody outside is asked, and their answer; opening it changes nothing, since mail scanners open links."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated

from fastapi import APIRouter, Path, Request
from starlette.responses import Response

from unisequa.actions.runs.parties import Asked, asked, say_done, say_when
from unisequa.core.errors import NotThere, Refused
from unisequa.web.door import at_the_door
from unisequa.web.errors import wants_json
from unisequa.web.session import Posted, SettingsOf, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
Token = Annotated[str, Path(max_length=200)]


@dataclass(frozen=True, slots=True)
class AnswerPage:
    """What is asked, or what came of the answer."""

    token: str
    asked: Asked | None
    said: str = ""
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/answer/{token}")
def question(request: Request, store: StoreOf, token: Token) -> Response:
    """What is asked."""
    try:
        with store.reading() as session:
            page = AnswerPage(token, asked(session, token))
    except NotThere as error:
        if wants_json(request):
            raise
        return at_the_door(request, "answers/page.html", AnswerPage(token, None, str(error)), status=404)
    return at_the_door(request, "answers/page.html", page)


@router.post("/answer/{token}")
def answer(request: Request, form: Posted, store: StoreOf, settings: SettingsOf, token: Token) -> Response:
    """The answer: done, or by when."""
    today, by, why = settings.day(), text_field(form, "by", 100), text_field(form, "why", 2000)
    done = text_field(form, "what", 10) == "done"
    try:
        with store.writing() as session:
            if done:
                say_done(session, token, today)
            else:
                say_when(session, token, by, why, today)
    except NotThere as error:
        if wants_json(request):
            raise
        return at_the_door(request, "answers/page.html", AnswerPage(token, None, str(error)), status=404)
    except Refused as error:
        with store.reading() as session:
            page = AnswerPage(token, asked(session, token), "", {"by": by, "why": why}, error.faults)
        return at_the_door(request, "answers/page.html", page, error.faults, 422)
    said = (
        "Thank you. It is noted as done." if done else "Thank you. Whoever looks after it decides, and knows your day."
    )
    return at_the_door(request, "answers/page.html", AnswerPage(token, None, said))
