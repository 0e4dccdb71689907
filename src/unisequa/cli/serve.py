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
def serve(
    port: Port = 8000,
    data: DataFolder = None,
    host: Annotated[
        str, typer.Option(help="the address to listen on; all of the machine's with 0.0.0.0")
    ] = "127.0.0.1",
    workers: Annotated[int, typer.Option(min=1, max=64, help="how many processes answer")] = 1,
) -> None:
    """Start the application on the data there is."""
    from unisequa.settings import Settings

    settings = Settings()
    if data is not None:
        settings = settings.model_copy(update={"data": data})
    settings = settings.model_copy(update={"hosts": (*settings.hosts, host), "log_requests": True})
    _serve(settings, port, f"Unisequa on http://{host}:{port}", host, workers)


@app.command()
def demo(
    port: Port = 8000,
    today: Annotated[str | None, typer.Option(metavar="DATE", help="the day taken for today")] = None,
    data: DataFolder = None,
    size: Annotated[
        str, typer.Option(metavar="small|large", help="large: 2,000 runs with 120,000 tasks, which takes some minutes")
    ] = "small",
    fresh: Annotated[bool, typer.Option("--fresh", help="throw the demo's data away and fill it anew")] = False,
) -> None:
    """Start the application with the demo data, which is filled in once and kept."""
    import shutil

    from unisequa.settings import Settings
    from unisequa.store.folder import DATABASE, in_use, is_demo, mark_demo

    if size not in ("small", "large"):
        refuse([f'--size: "{size}" is no size of the demo; choose small or large'])
    day = _date(today, "--today") if today else None
    folder = data or Path("demo-data")
    if in_use(folder) and not is_demo(folder):
        refuse([f"--data: {folder} holds what is no demo; give the demo another folder, or remove an old one"])
    if size == "large" and not fresh and (folder / DATABASE).exists():
        refuse([f"--size: {folder} is filled already; --fresh fills it anew, or give another folder with --data"])
    if fresh and in_use(folder):
        shutil.rmtree(folder)
    settings = Settings().model_copy(
        update={"data": folder, "database_url": None, "demo": True, **({"today": day} if day else {})}
    )
    if not (folder / DATABASE).exists():
        from unisequa.demo.fill import fill
        from unisequa.demo.large import fill_large
        from unisequa.store.store import Store

        print(f"Filling {folder} with sample data, which takes a few seconds …", flush=True)
        mark_demo(folder)
        store = Store(settings.url)
        store.migrate()
        fill(store, settings.day())
        if size == "large":
            fill_large(store, settings.day(), lambda runs, tasks: print(f"{runs:,} runs, {tasks:,} tasks", flush=True))
        store.engine.dispose()
    _serve(
        settings,
        port,
        f"Quillhaven Museums on http://127.0.0.1:{port}\n"
        "Choose one of its people on the sign-in page, Ines Okafor to begin with; no password is needed.",
    )


def _serve(settings: Settings, port: int, words: str, host: str = "127.0.0.1", workers: int = 1) -> None:
    import gc
    import json
    import os
    import socket
    from typing import Any

    gc.disable()  # loading makes much that stays and little that goes
    import uvicorn

    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            refuse([f"--port: {host}:{port} cannot be had ({error.strerror}); choose another with --port N"])
    from unisequa.store.folder import take
    from unisequa.web.app import create_app
    from unisequa.web.patience import Patient

    if settings.database_url is None:
        take(settings.data)

    how: dict[str, Any] = {
        "host": host,
        "port": port,
        "log_level": "warning",
        "server_header": False,
        "h11_max_incomplete_event_size": 1 << 20,  # a panel is asked for by the keys of all that is selected
        "http": Patient,
        "timeout_keep_alive": 15,
        "limit_concurrency": 400,
    }
    application = create_app(settings)
    gc.freeze()
    gc.enable()
    print(words, flush=True)
    if workers == 1:
        uvicorn.run(application, **how)
        return
    application.state.store.engine.dispose()
    os.environ["UNISEQUA_DATA"] = str(settings.data.absolute())  # each worker reads its settings anew
    os.environ["UNISEQUA_HOSTS"], os.environ["UNISEQUA_LOG_REQUESTS"] = json.dumps(settings.hosts), "1"
    uvicorn.run("unisequa.web.app:create_app", factory=True, workers=workers, **how)


def _date(text: str, option: str) -> dt.date:
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        raise DocumentError([Fault(option, f'"{text}" is no date; write it as 2026-08-31')]) from None
