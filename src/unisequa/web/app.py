"""The application: its parts put together."""

from __future__ import annotations

import gc
import sys
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from anyio import to_thread
from fastapi import FastAPI
from starlette.middleware.gzip import GZipMiddleware
from starlette.responses import FileResponse
from starlette.staticfiles import StaticFiles

from unisequa.core.errors import StoreError
from unisequa.settings import Settings
from unisequa.store.folder import is_demo
from unisequa.store.store import Store
from unisequa.web import (
    account,
    across,
    answers,
    api,
    by_itself,
    calendars,
    desk,
    find,
    handing,
    health,
    joiners,
    library,
    outbox,
    people,
    run,
    sign_in,
    start,
    template,
)
from unisequa.web.api.app import api_app
from unisequa.web.below import Below
from unisequa.web.clock import clock_of
from unisequa.web.errors import answer_errors
from unisequa.web.guard import Guard
from unisequa.web.pages import STATIC, digest
from unisequa.web.patience import Timely
from unisequa.web.session import Sessions

PAGES = (
    health,
    sign_in,
    account,
    desk,
    find,
    people,
    joiners,
    handing,
    calendars,
    library,
    template,
    start,
    run,
    across,
    by_itself,
    outbox,
    api,
    answers,
)


THREADS = 64
"""How many requests are worked on at once in one process: more than may wait for a place to write (24), to look at a
password (10) and to read a file (6), so that pages are made whoever waits."""


@asynccontextmanager
async def _with_room(app: FastAPI) -> AsyncIterator[None]:
    to_thread.current_default_thread_limiter().total_tokens = THREADS
    with clock_of(app.state.store, app.state.settings):
        yield


def create_app(settings: Settings | None = None) -> FastAPI:
    """The application on a data folder; tables are brought up to date first."""
    settings = settings or Settings()
    gc.set_threshold(60_000, 30, 30)  # a page of thousands of tasks makes much that stays until it is sent
    sys.setswitchinterval(0.0005)  # a page asks the database thirty times: it must not wait for a busy thread each time
    if settings.demo and (settings.database_url is not None or not is_demo(settings.data)):
        raise StoreError(f"{settings.data} is no demo, and only a demo lets people in without a password")
    app = FastAPI(
        title="Unisequa",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        lifespan=_with_room,
        telemetry={"tracing": False, "metrics": False, "logs": False},
    )
    store = Store(settings.url)
    store.migrate()
    app.state.settings, app.state.store, app.state.sessions = settings, store, Sessions(settings)
    app.mount(f"/static/{digest()}", StaticFiles(directory=STATIC), name="static")
    for page in PAGES:
        for router in page.ROUTERS:
            app.include_router(router)
    if settings.signs_in_elsewhere:
        from unisequa.web.sign_in.elsewhere import connect  # loads much that is not needed without it

        connect(app)
    app.add_middleware(GZipMiddleware, minimum_size=1000)
    app.add_middleware(Guard)
    app.add_middleware(Timely)
    if settings.root_path:
        app.add_middleware(Below, root=settings.root_path)
    answer_errors(app)
    app.state.api = api_app(settings, store)
    app.mount("/api/v1", app.state.api)

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> FileResponse:
        return FileResponse(STATIC / "mark.svg", media_type="image/svg+xml")

    return app
