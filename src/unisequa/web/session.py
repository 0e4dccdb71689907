"""Who is signed in: a signed cookie, and the token that every change must carry.

The cookie holds a random session name, the person's id and a stamp of their password, so that a new
password signs out every other browser. The token against forged requests is a keyed hash of the
session name: another site can neither read nor make it.
"""

from __future__ import annotations

import hmac
import secrets
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import Depends, Request
from itsdangerous import BadData, URLSafeTimedSerializer
from starlette.datastructures import FormData
from starlette.responses import Response

from unisequa.actions.people.people import Actor, Visitor, visitor
from unisequa.core.errors import Refused
from unisequa.settings import Settings
from unisequa.store.store import Store

COOKIE = "unisequa_session"
LASTS = 14 * 24 * 3600
TOKEN = "csrf"  # noqa: S105 - a field's name
TOKEN_HEADER = "x-csrf-token"  # noqa: S105 - a header's name


class SignInNeeded(Exception):
    """Nobody is signed in; ``back`` is where to go afterwards."""

    def __init__(self, back: str) -> None:
        self.back = back
        super().__init__("Nobody is signed in.")


class ForgedRequest(Exception):
    """A change without the token of its session."""


@dataclass(frozen=True, slots=True)
class Visit:
    """One browser's session; ``person_id`` is None before signing in."""

    name: str
    person_id: int | None = None
    stamp: str = ""


class Sessions:
    """Makes and reads session cookies."""

    def __init__(self, settings: Settings) -> None:
        self._secret = settings.secret()
        self._secure = settings.secure_cookies
        self._signer = URLSafeTimedSerializer(self._secret, salt="session")

    def read(self, request: Request) -> Visit | None:
        """The visit in a request's cookie; None without a valid one."""
        try:
            held: dict[str, Any] = self._signer.loads(request.cookies.get(COOKIE, ""), max_age=LASTS)
            return Visit(str(held["n"]), held.get("p"), str(held.get("s", "")))
        except (BadData, KeyError, TypeError):
            return None

    def open(self, response: Response, visitor: Visitor | None = None) -> Visit:
        """Begin a new session on a response."""
        name = secrets.token_urlsafe(16)
        visit = Visit(name, visitor.actor.id, visitor.stamp) if visitor else Visit(name)
        text = self._signer.dumps({"n": visit.name, "p": visit.person_id, "s": visit.stamp})
        response.set_cookie(COOKIE, text, max_age=LASTS, httponly=True, samesite="lax", secure=self._secure, path="/")
        return visit

    def close(self, response: Response) -> None:
        """End the session on a response."""
        response.delete_cookie(COOKIE, path="/")

    def token(self, visit: Visit) -> str:
        """What a change of this session must carry."""
        return hmac.new(self._secret.encode(), f"csrf:{visit.name}".encode(), "sha256").hexdigest()

    def check(self, visit: Visit | None, given: str) -> None:
        """Raise ForgedRequest unless the token is this session's."""
        if visit is None or not hmac.compare_digest(self.token(visit).encode(), given.encode()):
            raise ForgedRequest


def settings_of(request: Request) -> Settings:
    """The server's settings."""
    return request.app.state.settings  # type: ignore[no-any-return]


def store_of(request: Request) -> Store:
    """The server's store."""
    return request.app.state.store  # type: ignore[no-any-return]


def sessions_of(request: Request) -> Sessions:
    """The server's sessions."""
    return request.app.state.sessions  # type: ignore[no-any-return]


def signed_in(request: Request) -> Actor:
    """The person signed in.

    Raises
    ------
    SignInNeeded
    """
    visit = sessions_of(request).read(request)
    back = request.url.path if request.method == "GET" else "/"
    if visit is None or visit.person_id is None:
        raise SignInNeeded(back)
    with store_of(request).reading() as session:
        who = visitor(session, visit.person_id)
    if who is None or who.stamp != visit.stamp:
        raise SignInNeeded(back)
    request.state.visit, request.state.person = visit, who.actor
    return who.actor


async def posted(request: Request) -> FormData:
    """The form of a change, its token checked.

    Raises
    ------
    ForgedRequest
    """
    form = await request.form(max_fields=5000, max_files=5)
    given = request.headers.get(TOKEN_HEADER) or form.get(TOKEN) or ""
    sessions_of(request).check(sessions_of(request).read(request), str(given))
    return form


async def posted_json(request: Request) -> Any:
    """The JSON body of a change, its token checked.

    Raises
    ------
    ForgedRequest
    Refused
        When it is no JSON.
    """
    sessions_of(request).check(sessions_of(request).read(request), request.headers.get(TOKEN_HEADER) or "")
    try:
        return await request.json()
    except ValueError:
        raise Refused({"": "What was sent is not JSON."}) from None


def field(form: FormData, name: str, most: int = 20_000) -> str:
    """A text field of a form, empty when it is not there."""
    value = form.get(name)
    return value[:most] if isinstance(value, str) else ""


PostedJson = Annotated[Any, Depends(posted_json)]
SignedIn = Annotated[Actor, Depends(signed_in)]
Posted = Annotated[FormData, Depends(posted)]
StoreOf = Annotated[Store, Depends(store_of)]
SettingsOf = Annotated[Settings, Depends(settings_of)]
