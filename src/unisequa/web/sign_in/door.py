"""What all pages before signing in share: a session of their own for the token, and the way in."""

from __future__ import annotations

from fastapi import Request
from starlette.responses import RedirectResponse, Response

from unisequa.web.session import sessions_of


def opened(request: Request, name: str, back: str) -> Response:
    """The way in, with the session that was begun."""
    response = RedirectResponse(back or "/", status_code=303)
    sessions_of(request).open(request, response, name)
    return response


def within(back: str) -> str:
    """A path of this site, or nothing: never the way to another."""
    return back if back.startswith("/") and not back.startswith(("//", "/\\")) and len(back) < 500 else ""
