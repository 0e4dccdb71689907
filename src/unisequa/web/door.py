"""Pages for whoever is not signed in."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import Request
from starlette.responses import Response

from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import sessions_of


def at_the_door(
    request: Request, template: str, page: Any, faults: Mapping[str, str] | None = None, status: int = 200
) -> Response:
    """A page for whoever is not signed in, with a session for its token."""
    sessions, carrier = sessions_of(request), Response()
    visit = sessions.read(request)
    request.state.visit = visit or sessions.open(request, carrier)
    if faults:
        response = form_again(request, template, page, faults, status)
    else:
        response = render(request, template, page, status=status)
    if visit is None:
        response.raw_headers.extend(header for header in carrier.raw_headers if header[0] == b"set-cookie")
    return response
