"""Who is signed in: a signed cookie that names a session in the store, and the token that every change must carry.

The token against forged requests is a keyed hash of the session's name: another site can neither read nor make it.
"""

from __future__ import annotations

import asyncio
import binascii
import datetime as dt
import hmac
import json
import re
import secrets
import time
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Annotated, Any

from fastapi import Depends, Request
from itsdangerous import BadData, URLSafeTimedSerializer
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData
from starlette.responses import Response

from unisequa.actions.people.accounts import Limits, Source, seen, who
from unisequa.actions.people.people import Actor
from unisequa.core.errors import Busy, Refused, Unwell
from unisequa.settings import Settings
from unisequa.store.store import Store

COOKIE = "unisequa_session"
TOKEN = "csrf"  # noqa: S105 - a field's name
TOKEN_HEADER = "x-csrf-token"  # noqa: S105 - a header's name


MOST_FIELDS = 5000
"""Fields of a form."""

_STRAY = re.compile(rb"%(?![0-9A-Fa-f]{2})")

_NUL = re.compile(r"(?<!\\)(?:\\\\)*\\u0000")
"""A character of code 0 as JSON writes it, and not a text that only looks like that."""


class SignInNeeded(Exception):
    """Nobody is signed in; ``back`` is where to go afterwards."""

    def __init__(self, back: str) -> None:
        self.back = back
        super().__init__("Nobody is signed in.")


class ForgedRequest(Exception):
    """A change without the token of its session."""


@dataclass(frozen=True, slots=True)
class Visit:
    """One browser: the name in its cookie, which is that of a session in the store once somebody has signed in."""

    name: str


class Sessions:
    """Makes and reads the cookies that name sessions."""

    def __init__(self, settings: Settings) -> None:
        self._secret = settings.secret()
        self._settings = settings
        self.limits = Limits(dt.timedelta(hours=settings.session_idle_hours), dt.timedelta(days=settings.session_days))
        self._signer = URLSafeTimedSerializer(self._secret, salt="session")

    def _cookie(self, request: Request) -> tuple[str, bool]:
        """The cookie's name, and whether it goes over HTTPS only: behind TLS, unless the settings say otherwise."""
        secure = self._settings.secure(request.url.scheme)
        return (f"__Host-{COOKIE}" if secure else COOKIE), secure

    def read(self, request: Request) -> Visit | None:
        """The visit in a request's cookie; None without a valid one."""
        try:
            lasts = int(self.limits.whole.total_seconds())
            kept = request.cookies.get(self._cookie(request)[0], "")
            return Visit(str(self._signer.loads(kept, max_age=lasts)["n"]))
        except (BadData, KeyError, TypeError):
            return None

    def open(self, request: Request, response: Response, name: str = "") -> Visit:
        """Name a session on a response: one in the store, or before signing in a new one."""
        visit = Visit(name or secrets.token_urlsafe(16))
        text = self._signer.dumps({"n": visit.name})
        cookie, secure = self._cookie(request)
        lasts = int(self.limits.whole.total_seconds())
        response.set_cookie(cookie, text, max_age=lasts, httponly=True, samesite="lax", secure=secure, path="/")
        return visit

    def close(self, request: Request, response: Response) -> None:
        """Take the cookie back."""
        cookie, secure = self._cookie(request)
        response.delete_cookie(cookie, path="/", secure=secure, httponly=True, samesite="lax")

    def seal(self, purpose: str, value: Any) -> str:
        """A value that goes out with a page and comes back with its form, unchanged."""
        return str(URLSafeTimedSerializer(self._secret, salt=f"form {purpose}").dumps(value))

    def unseal(self, purpose: str, text: str, seconds: int) -> Any:
        """What was sealed for a purpose, unless it is too old.

        Raises
        ------
        Refused
        """
        try:
            return URLSafeTimedSerializer(self._secret, salt=f"form {purpose}").loads(text, max_age=seconds)
        except BadData:
            raise Refused({"": "This page was open for too long; begin again."}) from None

    @property
    def key(self) -> str:
        """A key made from the secret, for cookies that others sign."""
        return hmac.new(self._secret.encode(), b"cookies of others", "sha256").hexdigest()

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
    sessions = sessions_of(request)
    visit = sessions.read(request)
    back = request.url.path if request.method == "GET" else "/"
    if visit is None:
        raise SignInNeeded(back)
    with store_of(request).reading() as session:
        found = who(session, visit.name, sessions.limits)
    if found is None:
        raise SignInNeeded(back)
    actor, unseen = found
    if unseen:
        with suppress(Busy, Unwell), store_of(request).writing() as session:
            seen(session, visit.name, sessions.limits)
    request.state.visit, request.state.person = visit, actor
    return replace(actor, window=request.headers.get("x-window", "")[:40])


def source_of(request: Request) -> Source:
    """Where a request comes from."""
    return Source(request.client.host if request.client else "", request.headers.get("user-agent", ""))


def _fields(body: bytes) -> FormData:
    """The fields of a form without files."""
    parts = body.split(b"&", MOST_FIELDS)
    if len(parts) > MOST_FIELDS:
        raise Refused({"": f"A form has at most {MOST_FIELDS} fields; nothing was changed."})
    pairs = (part.partition(b"=") for part in parts if part)
    return FormData([(unquoted(name), unquoted(value)) for name, _, value in pairs])


def unquoted(raw: bytes) -> str:
    """What a part of a form says: ``%41`` is A, ``+`` a space, a stray ``%`` itself.

    Decoded as quoted-printable, which differs only in the sign before the two digits and is done in C: a megabyte of
    escapes in Python would keep the processor from everybody else for a quarter of a second.
    """
    plain = _STRAY.sub(b"%25", raw).replace(b"+", b" ").replace(b"=", b"=3D").replace(b"%", b"=")
    return binascii.a2b_qp(plain).decode(errors="replace")


LARGE = 64 * 1024
"""Bytes from which on what was sent makes its sender wait."""


async def _stand_back(size: int, begun: float) -> None:
    """Have who sent something large wait three times as long as it took to read, so that others come in between."""
    if size >= LARGE:
        await asyncio.sleep(min(1.0, 3 * (time.perf_counter() - begun)))


async def posted(request: Request) -> FormData:
    """The form of a change, its token checked.

    Raises
    ------
    ForgedRequest
    """
    if request.headers.get("content-type", "").startswith("multipart/form-data"):
        form = await request.form(max_fields=MOST_FIELDS, max_files=5)
    else:
        body = await request.body()
        begun = time.perf_counter()
        form = await run_in_threadpool(_fields, body)
        await _stand_back(len(body), begun)
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
    begun = time.perf_counter()
    try:
        sent = await request.json()
        told = json.dumps(sent, ensure_ascii=False, allow_nan=False)
        told.encode()  # half a surrogate pair is no text
    except (ValueError, RecursionError):
        await _stand_back(LARGE, begun)
        raise Refused({"": "What was sent is not JSON, or is nested too deeply."}) from None
    await _stand_back(len(told), begun)
    if _NUL.search(told):
        raise Refused({"": "What was sent holds a character that cannot be kept (code 0); take it out."})
    return sent


def field(form: FormData, name: str, most: int = 20_000) -> str:
    """A text field of a form, empty when it is not there."""
    value = form.get(name)
    return value[:most].replace("\x00", "") if isinstance(value, str) else ""


PostedJson = Annotated[Any, Depends(posted_json)]
SignedIn = Annotated[Actor, Depends(signed_in)]
Posted = Annotated[FormData, Depends(posted)]
StoreOf = Annotated[Store, Depends(store_of)]
SettingsOf = Annotated[Settings, Depends(settings_of)]
