"""What every request and every answer passes: how much may be sent, from where, and with which headers."""

from __future__ import annotations

import datetime as dt
import json
import re
import secrets
import sys
import time
from urllib.parse import urlsplit

from fastapi import Request
from starlette.datastructures import MutableHeaders
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from unisequa.settings import Settings
from unisequa.web.errors import HEADERS, answer
from unisequa.web.session import settings_of

LARGEST_BODY = 1024 * 1024
LARGEST_FILE = 26 * 1024 * 1024
"""What may be sent: files to importing and to a template's attachments, and everything else."""

LOOPBACK = {"localhost", "127.0.0.1", "::1"}


class Guard:
    """Refuses what is too large, comes from another site or asks for another host; gives every answer its headers and,
    where that is wanted, a line in the log under a number of its own."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope, receive)
        settings = settings_of(request)
        number, begun = secrets.token_hex(8), time.perf_counter()
        refused = _refused(request, settings)
        status = 500

        async def sent(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                headers = MutableHeaders(scope=message)
                _give_headers(headers, request.url.path, status)
                headers["x-request-id"] = number
                if settings.secure(request.url.scheme):
                    headers.setdefault("strict-transport-security", "max-age=31536000")
            await send(message)

        try:
            await (refused or self.app)(scope, receive, sent)
        finally:
            if settings.log_requests:
                _log(request, number, status, round((time.perf_counter() - begun) * 1000, 1))


def _log(request: Request, number: str, status: int, took: float) -> None:
    person = getattr(request.state, "person", None)
    line = {
        "at": dt.datetime.now(dt.UTC).isoformat(timespec="milliseconds"),
        "id": number,
        "method": request.method,
        "path": re.sub(
            "^(/reset/|/answer/|/feeds/|/api/v1/hooks/in/).+", r"\1…", request.url.path
        ),  # what lets somebody in is written nowhere
        "status": status,
        "ms": took,
        "person": person.id if person else None,
        "from": request.client.host if request.client else None,
    }
    print(json.dumps(line), file=sys.stderr, flush=True)


def _give_headers(headers: MutableHeaders, path: str, status: int) -> None:
    for name, value in HEADERS.items():
        headers.setdefault(name, value)
    if path.startswith("/static/") and status == 200:
        headers["cache-control"] = "public, max-age=31536000, immutable"
    else:
        headers.setdefault("cache-control", "no-store")


def _refused(request: Request, settings: Settings) -> Response | None:
    """What a request is refused with, before anything looks at it."""
    host = (urlsplit(f"//{request.headers.get('host', '')}").hostname or "") if "host" in request.headers else ""
    if "*" not in settings.hosts and host not in settings.hosts and host not in LOOPBACK:
        return answer(request, 400, "Not this server", "This server does not answer to that name; see UNISEQUA_HOSTS.")
    length = request.headers.get("content-length", "0")
    path = request.url.path
    most = LARGEST_FILE if path == "/import" or path.endswith(("/attachments", "/add", "/files")) else LARGEST_BODY
    if not (length.isascii() and length.isdigit()) or len(length) > 12 or int(length) > most:
        message = f"What was sent is larger than {most // 1024 // 1024} MB, so it was not read. Nothing was changed."
        return answer(request, 413, "Too large", message)
    if "transfer-encoding" in request.headers and request.method not in {"GET", "HEAD"}:
        return answer(request, 411, "Length needed", "What is sent must say how long it is; nothing was read.")
    origin = request.headers.get("origin")
    foreign = origin is not None and urlsplit(origin).netloc != request.headers.get("host")
    if request.method not in {"GET", "HEAD"} and foreign:
        return answer(request, 403, "Not accepted", "This came from another site.")
    return None
