"""A server on loopback with a site of its own, and Chromium from Debian's packages."""

from __future__ import annotations

import shutil
import socket
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from playwright.sync_api import Page, expect

from tests.site import Site, make_site
from unisequa.store.tables import Person

expect.set_options(timeout=10_000)  # a machine at work on something else is slow, not wrong


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    return {"executable_path": shutil.which("chromium")}


@pytest.fixture
def site_of(tmp_path: Path) -> Iterator[Site]:
    """A demo site in which Ada administers."""
    site = make_site(tmp_path, demo=True)
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).administrator = True
    yield site
    site.store.engine.dispose()


@pytest.fixture
def address(site_of: Site) -> Iterator[str]:
    """That site, served on a free port of this machine."""
    yield from serve(site_of)


def serve(site: Site) -> Iterator[str]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(site.app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join()


@pytest.fixture
def ada(page: Page, address: str) -> Iterator[Page]:
    """Ada at her runs; a test fails when its page logs an error that no test asked for."""
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.on(
        "console",
        lambda m: errors.append(m.text) if m.type == "error" and "422" not in m.text and "409" not in m.text else None,
    )
    page.set_viewport_size({"width": 1280, "height": 800})
    page.set_default_timeout(10_000)
    page.set_default_navigation_timeout(30_000)
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ada").click()
    page.wait_for_url(f"{address}/")
    page.goto(f"{address}/runs")
    yield page
    assert errors == []
