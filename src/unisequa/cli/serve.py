"""``unisequa serve`` and ``demo``: the application started."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from unisequa.cli.app import app, refuse
from unisequa.core.errors import DocumentError, Fault

if TYPE_CHECKING:
    from unisequa.settings import Settings

Port = Annotated[int, typer.Option(min=0, max=65535, help="the port to listen on")]
DataFolder = Annotated[Path | None, typer.Option(help="the data folder")]


@app.command()
def serve(port: Port = 8000, data: DataFolder = None) -> None:
    """Start the application on the data there is."""
    from unisequa.settings import Settings

    settings = Settings()
    if data is not None:
        settings = settings.model_copy(update={"data": data})
    _serve(settings, port, f"Unisequa on http://127.0.0.1:{port}")


@app.command()
def demo(
    port: Port = 8000,
    today: Annotated[str | None, typer.Option(metavar="DATE", help="the day taken for today")] = None,
    data: DataFolder = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="throw the demo's data away and fill it anew")] = False,
) -> None:
    """Start the application with the demo data, which is filled in once and kept."""
    import shutil

    from unisequa.settings import Settings

    day = _date(today, "--today") if today else None
    folder = data or Path("demo-data")
    if fresh and (folder / "unisequa.sqlite3").exists():
        shutil.rmtree(folder)
    settings = Settings().model_copy(
        update={"data": folder, "database_url": None, "demo": True, **({"today": day} if day else {})}
    )
    if not (folder / "unisequa.sqlite3").exists():
        from unisequa.demo.fill import fill
        from unisequa.store.store import Store

        store = Store(settings.url)
        store.migrate()
        fill(store, settings.day())
        store.engine.dispose()
    _serve(
        settings,
        port,
        f"Quillhaven Museums on http://127.0.0.1:{port}\n"
        "Choose one of its people on the sign-in page, Ines Okafor to begin with; no password is needed.",
    )


def _serve(settings: Settings, port: int, words: str) -> None:
    import gc
    import socket

    gc.disable()  # loading makes much that stays and little that goes
    import uvicorn

    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            refuse([f"--port: {port} is in use; stop what runs there or choose another with --port N"])
    from unisequa.web.app import create_app

    application = create_app(settings)
    gc.freeze()
    gc.enable()
    print(words, flush=True)
    uvicorn.run(
        application,
        host="127.0.0.1",
        port=port,
        log_level="warning",
        server_header=False,
        h11_max_incomplete_event_size=1 << 20,  # a panel is asked for by the keys of all that is selected
    )


def _date(text: str, option: str) -> dt.date:
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        raise DocumentError([Fault(option, f'"{text}" is no date; write it as 2026-08-31')]) from None
