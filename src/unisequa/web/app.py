"""The application: its parts put together, its headers, and what it says when something goes wrong."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any
from urllib.parse import quote, urlsplit

from fastapi import FastAPI, Request
from starlette.middleware.gzip import GZipMiddleware
from starlette.responses import FileResponse, HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.staticfiles import StaticFiles

from unisequa.actions.errors import ActionError, NotAllowed, NotThere, Refused, Stale
from unisequa.settings import Settings
from unisequa.store.store import Store
from unisequa.web import sign_in
from unisequa.web.library import from_run, importing
from unisequa.web.library import page as library
from unisequa.web.library.uploads import Uploads
from unisequa.web.pages import STATIC, asks_for_piece, render
from unisequa.web.run import page as runs
from unisequa.web.run import shift as shifts
from unisequa.web.session import ForgedRequest, Sessions, SignInNeeded
from unisequa.web.start import page as start
from unisequa.web.template import editions as template_editions
from unisequa.web.template import page as templates_page
from unisequa.web.template import panel as template_panel
from unisequa.web.template import rehearsal as template_rehearsal
from unisequa.web.template.clips import Clips, Presence

LARGEST_BODY = 4 * 1024 * 1024
LARGEST_FILE = 26 * 1024 * 1024
"""What may be sent: files to importing and to a template's attachments, and everything else."""

HEADERS = {
    "content-security-policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    ),
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "same-origin",
    "permissions-policy": "camera=(), microphone=(), geolocation=()",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}


@dataclass(frozen=True, slots=True)
class ErrorPage:
    """What went wrong, in words for the person it happened to."""

    title: str
    message: str


def create_app(settings: Settings | None = None) -> FastAPI:
    """The application on a data folder; tables are brought up to date first."""
    settings = settings or Settings()
    app = FastAPI(
        title="Unisequa",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        telemetry={"tracing": False, "metrics": False, "logs": False},
    )
    store = Store(settings.url)
    store.migrate()
    app.state.settings, app.state.store, app.state.sessions = settings, store, Sessions(settings)
    app.state.clips, app.state.presence, app.state.uploads = Clips(), Presence(), Uploads()
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for page in (
        sign_in,
        importing,
        from_run,
        library,
        templates_page,
        template_panel,
        template_editions,
        template_rehearsal,
        start,
        runs,
        shifts,
    ):
        app.include_router(page.router)
    app.add_middleware(GZipMiddleware, minimum_size=1000)
    app.middleware("http")(_guard)
    _answer_errors(app)

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> FileResponse:
        return FileResponse(STATIC / "mark.svg", media_type="image/svg+xml")

    return app


async def _guard(request: Request, call_next: Any) -> Response:
    length = request.headers.get("content-length", "0")
    path = request.url.path
    most = LARGEST_FILE if path == "/import" or path.endswith("/attachments") else LARGEST_BODY
    if length.isdigit() and int(length) > most:
        message = f"What was sent is larger than {most // 1024 // 1024} MB, so it was not read. Nothing was changed."
        return _error(request, 413, "Too large", message)
    if "transfer-encoding" in request.headers and request.method not in {"GET", "HEAD"}:
        return _error(request, 411, "Length needed", "What is sent must say how long it is; nothing was read.")
    origin = request.headers.get("origin")
    foreign = origin is not None and urlsplit(origin).netloc != request.headers.get("host")
    if request.method not in {"GET", "HEAD"} and foreign:
        return _error(request, 403, "Not accepted", "This came from another site.")
    response: Response = await call_next(request)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    if request.url.path.startswith("/static/") and request.url.query.startswith("v="):
        response.headers["cache-control"] = "public, max-age=31536000, immutable"
    elif not request.url.path.startswith("/static/"):
        response.headers.setdefault("cache-control", "no-store")
    return response


def _answer_errors(app: FastAPI) -> None:
    @app.exception_handler(SignInNeeded)
    def _sign_in(request: Request, error: SignInNeeded) -> Response:
        where = "/sign-in" + (f"?back={quote(error.back)}" if error.back not in {"/", ""} else "")
        if asks_for_piece(request):
            return Response(status_code=204, headers={"hx-redirect": where, **HEADERS})
        return RedirectResponse(where, status_code=303)

    @app.exception_handler(ForgedRequest)
    def _forged(request: Request, error: ForgedRequest) -> Response:
        message = "The page was open for too long, or came from another site. Reload it and try again."
        return _error(request, 403, "Not accepted", message)

    @app.exception_handler(ActionError)
    def _action(request: Request, error: ActionError) -> Response:
        if isinstance(error, NotThere):
            return _error(request, 404, "Nothing here", str(error))
        if isinstance(error, NotAllowed):
            return _error(request, 403, "Not yours to change", str(error))
        status = 409 if isinstance(error, Stale) else 422
        assert isinstance(error, Stale | Refused)
        return _error(request, status, "That was not done", str(error))

    @app.exception_handler(404)
    def _nothing(request: Request, error: Exception) -> Response:
        return _error(request, 404, "Nothing here", "There is no page at this address.")

    @app.exception_handler(Exception)
    def _unexpected(request: Request, error: Exception) -> Response:
        _log(request.url.path, error)
        message = "Something went wrong on our side and nothing was changed. It has been written to the log."
        return _error(request, 500, "That did not work", message)


def _log(path: str, error: Exception) -> None:
    """Write an unexpected error to the log, without the values it met on its way."""
    import structlog

    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ]
    )
    structlog.get_logger().error("unexpected error", path=path, exc_info=error)


def _error(request: Request, status: int, title: str, message: str) -> Response:
    if asks_for_piece(request):
        context: Any = {"message": message}
        response: HTMLResponse = render(
            request, "_toast.html", context, status=status, headers={"hx-retarget": "#toast", "hx-reswap": "innerHTML"}
        )
    elif "application/json" in request.headers.get("accept", ""):
        return JSONResponse({"error": {"title": title, "message": message}}, status, headers=HEADERS)
    else:
        response = render(request, "error.html", ErrorPage(title, message), status=status)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    return response
