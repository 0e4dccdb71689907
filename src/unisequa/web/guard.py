"""What every request and every answer passes: how much may be sent, from where, and with which headers."""

from __future__ import annotations

import datetime as dt
import json
import re
import secrets
import sys
import time
from typing import Any
from urllib.parse import urlsplit

from fastapi import Request
from starlette.responses import Response

from unisequa.settings import Settings
from unisequa.web.errors import HEADERS, answer
from unisequa.web.session import settings_of

LARGEST_BODY = 1024 * 1024
LARGEST_FILE = 26 * 1024 * 1024
"""What may be sent: files to importing and to a template's attachments, and everything else."""

LOOPBACK = {"localhost", "127.0.0.1", "::1"}


async def guard(request: Request, call_next: Any) -> Response:
    """Refuse what is too large, comes from another site or asks for another host; give every answer its headers and,
    where that is wanted, a line in the log under a number of its own."""
    settings = settings_of(request)
    number, begun = secrets.token_hex(8), time.perf_counter()
    response = await _guarded(request, call_next, settings)
    response.headers["x-request-id"] = number
    if settings.secure(request.url.scheme):
        response.headers.setdefault("strict-transport-security", "max-age=31536000")
    if settings.log_requests:
        person = getattr(request.state, "person", None)
        line = {
            "at": dt.datetime.now(dt.UTC).isoformat(timespec="milliseconds"),
            "id": number,
            "method": request.method,
            "path": re.sub(
                "^(/reset/|/answer/|/feeds/|/api/v1/hooks/in/).+", r"\1…", request.url.path
            ),  # what lets somebody in is written nowhere
            "status": response.status_code,
            "ms": round((time.perf_counter() - begun) * 1000, 1),
            "person": person.id if person else None,
            "from": request.client.host if request.client else None,
        }
        print(json.dumps(line), file=sys.stderr, flush=True)
    return response


async def _guarded(request: Request, call_next: Any, settings: Settings) -> Response:
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
    response: Response = await call_next(request)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    if path.startswith("/static/") and response.status_code == 200:
        response.headers["cache-control"] = "public, max-age=31536000, immutable"
    else:
        response.headers.setdefault("cache-control", "no-store")
    return response
