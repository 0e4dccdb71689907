"""A server that runs for a while in a process of its own, and writers who know what it has told them is kept."""

from __future__ import annotations

import hashlib
import http.client
import os
import re
import signal
import socket
import time
from collections.abc import Callable
from pathlib import Path
from urllib.parse import urlencode

from tests.site import TODAY

LINE = "\r\n"


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def run_server(folder: Path, port: int) -> None:
    """Serve a data folder until killed."""
    import uvicorn

    from unisequa.settings import Settings
    from unisequa.web.app import create_app

    uvicorn.run(
        create_app(Settings(data=folder, today=TODAY, clock=False)), host="127.0.0.1", port=port, log_level="critical"
    )


def forked(serve: Callable[[], None]) -> int:
    """A process that serves; gives its id."""
    child = os.fork()
    if child:
        return child
    try:
        serve()
    finally:
        os._exit(1)


def kill(child: int) -> None:
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)


def wait_for(port: int) -> None:
    for _ in range(400):
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            time.sleep(0.01)
    raise AssertionError("the server does not start")


class Writer:
    """Somebody who makes templates and brings files, and keeps what was acknowledged: names, and digests of files."""

    def __init__(self, name: str, port: int) -> None:
        self.name, self.port, self.made = name, port, 0
        self.cookie = self.token = self.template = ""
        self.names: list[str] = []
        self.files: list[str] = []

    def ask(self, method: str, path: str, body: bytes = b"", kind: str = "") -> tuple[int, str, str]:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        try:
            headers = {"cookie": self.cookie, "x-csrf-token": self.token, "content-type": kind}
            connection.request(method, path, body or None, headers)
            answer = connection.getresponse()
            text = answer.read().decode(errors="replace")
            if given := answer.getheader("set-cookie"):
                self.cookie = given.partition(";")[0]
            if found := re.search(r'data-csrf="([0-9a-f]+)"', text):
                self.token = found[1]
            return answer.status, answer.getheader("location") or "", text
        finally:
            connection.close()

    def form(self, path: str, **fields: str) -> tuple[int, str, str]:
        return self.ask("POST", path, urlencode(fields).encode(), "application/x-www-form-urlencoded")

    def sign_in(self, email: str, password: str) -> None:
        self.ask("GET", "/sign-in")
        assert self.form("/sign-in", email=email, password=password)[0] == 303
        self.ask("GET", "/library")
        where = self.form("/library", name=f"Files of {self.name}")[1]
        self.template = where
        body = b'{"edit": {"op": "insert", "text": "Keep", "where": {"phase": ""}}}'
        assert self.ask("POST", f"{where}/edit", body, "application/json")[0] == 200

    def make(self) -> None:
        """A template, and every third time a file; what is told to be kept is remembered."""
        self.made += 1
        name = f"{self.name} {self.made}"
        status, where, _ = self.form("/library", name=name)
        if status == 303 and where.startswith("/templates/"):
            self.names.append(name)
        if self.made % 3 == 0:
            content = f"{self.name} file {self.made} ".encode() * 500
            part = (
                f"--x{LINE}content-disposition: form-data; name=key{LINE * 2}keep{LINE}"
                f"--x{LINE}content-disposition: form-data; name=file; filename=f{self.made}.txt{LINE * 2}"
            ).encode()
            end = f"{LINE}--x--{LINE}".encode()
            kind = "multipart/form-data; boundary=x"
            if self.ask("POST", f"{self.template}/attachments", part + content + end, kind)[0] == 200:
                self.files.append(hashlib.sha256(content).hexdigest())
