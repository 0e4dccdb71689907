"""The application: its parts put together."""

from __future__ import annotations

from fastapi import FastAPI
from starlette.middleware.gzip import GZipMiddleware
from starlette.responses import FileResponse
from starlette.staticfiles import StaticFiles

from unisequa.settings import Settings
from unisequa.store.store import Store
from unisequa.web import library, run, sign_in, start, template
from unisequa.web.errors import answer_errors
from unisequa.web.guard import guard
from unisequa.web.pages import STATIC, digest
from unisequa.web.session import Sessions

PAGES = (sign_in, library, template, start, run)


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
    app.mount(f"/static/{digest()}", StaticFiles(directory=STATIC), name="static")
    for page in PAGES:
        for router in page.ROUTERS:
            app.include_router(router)
    app.add_middleware(GZipMiddleware, minimum_size=1000)
    app.middleware("http")(guard)
    answer_errors(app)

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> FileResponse:
        return FileResponse(STATIC / "mark.svg", media_type="image/svg+xml")

    return app
