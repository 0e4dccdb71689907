"""The lines that the docs print are run as printed."""

from __future__ import annotations

import datetime as dt
import json
import os
import re
import shutil
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
import uvicorn

from tests.store.serving import free_port
from unisequa.demo.fill import fill
from unisequa.settings import Settings
from unisequa.store.folder import mark_demo
from unisequa.web.app import create_app

DOCS = Path(__file__).parents[1] / "docs"


def block(name: str, head: str) -> str:
    """The first block of shell lines under a heading."""
    text = (DOCS / name).read_text("utf-8").split(f"## {head}\n")[1]
    found = re.search(r"```sh\n(.*?)```", text, re.DOTALL)
    assert found
    return found[1]


@pytest.mark.skipif(shutil.which("curl") is None, reason="no curl here")
def test_the_calls_of_another_program_do_what_they_say(tmp_path: Path) -> None:
    folder = tmp_path / "demo-data"
    mark_demo(folder)
    app = create_app(Settings(data=folder, demo=True, clock=False))
    fill(app.state.store, dt.date.today())
    port = free_port()
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    try:
        lines = block("programs.md", "Trying it").replace("\ncurl", "\necho; curl")
        path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
        env = {**os.environ, "U": f"http://127.0.0.1:{port}", "PATH": path}
        done = subprocess.run(
            ["bash", "-eu", "-c", lines], cwd=tmp_path, env=env, capture_output=True, text=True, timeout=90, check=False
        )
    finally:
        server.should_exit = True
        thread.join()
        app.state.store.engine.dispose()
    assert done.returncode == 0, done.stderr
    templates, tasks, run, cascade = (json.loads(line) for line in done.stdout.split("\n") if line.strip())
    assert any(one["name"] == "Month-end close, shop and tickets" for one in templates["items"])
    assert {one["state"] for one in tasks["items"]} <= {"ready"} and run["state"] == "prepared"
    assert cascade["format"] == "unisequa-cascade/1" and cascade["changes"]
