"""What a second client sees of its page while each of the worst uploads is read."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tests.formats.test_apart import zipped
from tests.site import TODAY, make_site
from tests.store.serving import Writer, forked, free_port, kill, run_server, wait_for

from bench.house import long_template
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template

MB = 1024 * 1024
KIND = "multipart/form-data; boundary=x"


def part(name: str, content: bytes) -> bytes:
    head = f"--x\r\ncontent-disposition: form-data; name=file; filename={name}\r\n\r\n".encode()
    return head + content + b"\r\n--x--\r\n"


def worst() -> dict[str, tuple[str, bytes, str]]:
    """Uploads by name: the path they go to, what is sent, and what it is said to be."""
    bare = long_template(5000)
    steps = [{"key": f"s{i}", "title": "A title of usual length " * 4, "duration": 1} for i in range(7000)]
    many = {"format": "unisequa-template/1", "name": "Many", "steps": steps}
    edge = b"\r\n--"  # what an end begins with, without ever being one
    form = "application/x-www-form-urlencoded"
    files = {
        "a table of 10,000 rows": part("a.csv", b"Title,Days\n" + b"A step of a usual length,2\n" * 10_000),
        "YAML of a megabyte": part("a.yaml", json.dumps(many)[: MB - 2000].encode()),
        "JSON of 8 MB": part("a.json", json.dumps({**bare, "purpose": "x" * (7 * MB)}).encode()),
        "a spreadsheet of 20 MB inside": part(
            "a.xlsx", zipped(b"<worksheet>" + b"<row/>" * (3 * MB) + b"</worksheet>")
        ),
        "a file of 25 MB": part("a.bin", b"\x00" * (25 * MB)),
        "25 MB that look like ends": part("a.bin", (edge * (25 * MB // len(edge)))),
    }
    sent = {name: ("/import", body, KIND) for name, body in files.items()}
    sent["a form of 4,999 fields"] = ("/import", b"&".join(b"f%d=%s" % (i, b"%41" * 65) for i in range(4999)), form)
    sent["brackets"] = ("/templates/1/edit", b"[" * (MB - 100), "application/json")
    sent["deep in range"] = ("/templates/1/edit", (b"[" * 400 + b"]" * 400 + b",") * 1300, "application/json")
    return sent


def ratio(sender: int, page: Callable[[], float]) -> float:
    """A page's time while a sender sends over its time while that stands still."""
    os.kill(sender, signal.SIGSTOP)
    time.sleep(0.3)
    usual = statistics.median(page() for _ in range(7))
    os.kill(sender, signal.SIGCONT)
    time.sleep(0.1)
    return statistics.median(page() for _ in range(7)) / usual


def figures(rounds: int = 5) -> dict[str, float]:
    """By upload: the median time of a page of a run while one after the other is read, over its usual time."""
    taken: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as folder:
        site = make_site(Path(folder))
        with site.store.writing() as session:
            ada = site.person("Ada")
            edition = keep_template(session, ada, read_template(long_template(300)), released=True)
            run = start_run(session, ada, edition.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
        site.store.engine.dispose()
        port = free_port()
        child = forked(lambda: run_server(Path(folder), port))
        try:
            wait_for(port)
            reader, other = Writer("reader", port), Writer("other", port)
            reader.sign_in("bela@example.org", "a long enough password")
            other.sign_in("cleo@example.org", "a long enough password")

            def page() -> float:
                begun = time.perf_counter()
                status, _, _ = reader.ask("GET", f"/runs/{run}?view=list")
                assert status == 200
                return time.perf_counter() - begun

            statistics.median(page() for _ in range(10))
            for name, (path, body, kind) in worst().items():

                def send(path: str = path, body: bytes = body, kind: str = kind) -> None:
                    while True:
                        with contextlib.suppress(OSError):
                            other.ask("POST", path, body, kind)

                sender = forked(send)
                try:
                    ratios = [ratio(sender, page) for _ in range(rounds)]
                finally:
                    kill(sender)
                taken[name] = statistics.median(ratios)
        finally:
            kill(child)
    return taken
