"""An application served on loopback for as long as something looks at it in a browser."""

from __future__ import annotations

import shutil
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import uvicorn
from fastapi import FastAPI
from playwright.sync_api import Page, sync_playwright


@contextmanager
def served(app: FastAPI, port: int) -> Iterator[str]:
    """The address of the application while it is served; its store is let go afterwards."""
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join()
        app.state.store.engine.dispose()


@contextmanager
def looked_at(app: FastAPI, port: int, name: str) -> Iterator[Page]:
    """The first page of somebody who is signed in, in headless Chromium, while the application is served."""
    with served(app, port) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"))
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/sign-in")
        page.get_by_role("button", name=name).click()
        page.get_by_role("heading", level=1).wait_for()
        yield page
        browser.close()
