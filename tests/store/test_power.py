"""Nothing that was acknowledged is lost: the server killed under six writers, and the power cut at any point.

The power cut needs strace: every write, sync, rename and answer is recorded, and a folder is rebuilt from what was
synced before some point and any part of the rest.
"""

from __future__ import annotations

import hashlib
import http.client
import json
import os
import random
import re
import shutil
import sqlite3
import subprocess
import sys
import threading
import time
from collections import defaultdict
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

import pytest

from tests.site import PASSWORD, make_site
from tests.store.serving import Writer, forked, free_port, kill, run_server, wait_for

KILLS, CUTS = 100, 300
NAMES = ("Ada", "Bela", "Cleo")


def lost(folder: Path, names: set[str], files: set[str]) -> str:
    """What is not there of what should be; nothing when all is."""
    with sqlite3.connect(folder / "unisequa.sqlite3") as kept:
        if (state := kept.execute("PRAGMA integrity_check").fetchone()[0]) != "ok":
            return f"damaged: {state}"
        if not names and not files:
            return ""
        there = {row[0] for row in kept.execute("SELECT name FROM templates")}
        documents = [json.loads(row[0]) for row in kept.execute("SELECT document FROM editions")]
    named = {
        one["sha256"]
        for document in documents
        for step in document.get("steps", ())
        for one in step.get("attachments", ())
    }
    for digest in named:  # whatever is named is there whole, acknowledged or not
        place = folder / "attachments" / digest[:2] / digest
        if not place.exists() or hashlib.sha256(place.read_bytes()).hexdigest() != digest:
            return f"a file of {digest[:8]} is named and not there"
    return ", ".join(sorted((names - there) | (files - named)))[:200]


def writers(folder: Path, port: int, per_person: int) -> list[Writer]:
    """Writers who are signed in on a server that runs."""
    made = [Writer(f"{name} {i}", port) for name in NAMES for i in range(per_person)]
    for writer in made:
        writer.sign_in(f"{writer.name.split()[0].lower()}@example.org", PASSWORD)
    return made


def kept_by(writers: list[Writer]) -> int:
    """How much they were told is kept."""
    return sum(len(writer.names) + len(writer.files) for writer in writers)


def test_a_server_that_is_killed_has_kept_all_it_acknowledged(tmp_path: Path) -> None:
    site = make_site(tmp_path)
    site.store.engine.dispose()
    port, rng = free_port(), random.Random(1)
    child = forked(lambda: run_server(tmp_path, port))
    wait_for(port)
    six = writers(tmp_path, port, 2)
    kill(child)
    told = 0
    for _ in range(KILLS):
        child = forked(lambda: run_server(tmp_path, port))
        wait_for(port)
        over = threading.Event()

        def write(writer: Writer, over: threading.Event) -> None:
            while not over.is_set():
                with suppress(OSError, ValueError, http.client.HTTPException):
                    writer.make()

        threads = [threading.Thread(target=write, args=(writer, over), daemon=True) for writer in six]
        for thread in threads:
            thread.start()
        enough, latest = kept_by(six) + rng.randint(1, 6), time.monotonic() + 5
        while kept_by(six) < enough and time.monotonic() < latest:
            time.sleep(0.001)
        time.sleep(rng.uniform(0, 0.02))  # in the middle of what comes next
        over.set()
        kill(child)
        for thread in threads:
            thread.join()
        names, files = {n for one in six for n in one.names}, {f for one in six for f in one.files}
        assert not (what := lost(tmp_path, names, files)), what
        told = len(names)
    assert told > KILLS  # they did get to write


class Event(NamedTuple):
    """One call that went through: a write of bytes at a place, a sync, a cut, a new name, a name gone, an answer."""

    kind: str
    path: str
    data: bytes = b""
    at: int = 0
    to: str = ""


_CALL = {
    "write": re.compile(r'pwrite64\(\d+<([^>]*)>, "([^"]*)"(?:\.\.\.)?, \d+, (\d+)\)\s+= (\d+)'),
    "append": re.compile(r'write\(\d+<([^>]*)>, "([^"]*)"(?:\.\.\.)?, \d+\)\s+= (\d+)'),
    "sync": re.compile(r"(?:fsync|fdatasync)\(\d+<([^>]*)>\)\s+= 0"),
    "cut": re.compile(r"ftruncate\(\d+<([^>]*)>, (\d+)\)\s+= 0"),
    "rename": re.compile(r'rename\("([^"]*)", "([^"]*)"\)\s+= 0'),
    "gone": re.compile(r'unlink\("([^"]*)"\)\s+= 0'),
    "folder": re.compile(r'mkdir\("([^"]*)", \d+\)\s+= 0'),
    "file": re.compile(r'openat\(AT_FDCWD(?:<[^>]*>)?, "([^"]*)", [A-Z_|]*O_CREAT[A-Z_|]*, \d+\)\s+= \d+'),
    "told": re.compile(r'sendto\(\d+<[^>]*>, "([^"]*)"'),
}


def _bytes(text: str) -> bytes:
    return bytes.fromhex(text.replace("\\x", "")) if text.startswith("\\x") else text.encode()


def _path(text: str) -> str:
    return os.fsdecode(_bytes(text))


def events(trace: Path) -> Iterator[Event]:
    """What a trace says happened, each call where it ended."""
    begun: dict[str, str] = {}
    for line in trace.read_text().splitlines():
        pid, _, rest = line.partition(" ")
        rest = rest.strip()
        if rest.endswith("<unfinished ...>"):
            begun[pid] = rest.removesuffix("<unfinished ...>")
            continue
        if rest.startswith("<... "):
            rest = begun.pop(pid, "") + rest.split("resumed>", 1)[1]
        for kind, pattern in _CALL.items():
            if not (m := pattern.match(rest)):
                continue
            if kind == "write":
                yield Event(kind, _path(m[1]), _bytes(m[2])[: int(m[4])], int(m[3]))
            elif kind == "append":
                yield Event(kind, _path(m[1]), _bytes(m[2])[: int(m[3])])
            elif kind == "cut":
                yield Event(kind, _path(m[1]), at=int(m[2]))
            elif kind == "rename":
                yield Event(kind, _path(m[1]), to=_path(m[2]))
            elif kind == "told":
                yield Event(kind, "", _bytes(m[1]))
            else:
                yield Event(kind, _path(m[1]))
            break


class Disk:
    """A folder of which only what was synced is sure: what is in a file by its own sync, its name by its folder's."""

    def __init__(self, root: Path, base: Path) -> None:
        self.root = str(root)
        self.content: dict[int, bytearray] = {}
        self.names: dict[str, int] = {}  # on disk
        self.now: dict[str, int] = {}  # as the running system sees them
        self.loose: dict[int, list[Event]] = defaultdict(list)
        self.renamed: dict[str, list[tuple[str, int | None]]] = defaultdict(list)
        for path in base.rglob("*"):
            if path.is_file() and not path.name.endswith("-shm"):
                name = str(root / path.relative_to(base))
                self.content[len(self.content)] = bytearray(path.read_bytes())
                self.names[name] = self.now[name] = len(self.content) - 1

    def happen(self, event: Event) -> None:
        path = event.path
        if not path.startswith(self.root) or path.endswith("-shm"):
            return
        if event.kind == "file" and path not in self.now:
            self._name(path, len(self.content))
            self.content[self.now[path]] = bytearray()
        elif event.kind in {"write", "append", "cut"} and path in self.now:
            self.loose[self.now[path]].append(event)
        elif event.kind == "rename" and path in self.now:
            number = self.now.pop(path)
            self.renamed[os.path.dirname(path)].append((path, None))
            self._name(event.to, number)
        elif event.kind == "gone" and path in self.now:
            del self.now[path]
            self.renamed[os.path.dirname(path)].append((path, None))
        elif event.kind == "sync":
            if path in self.now:
                for one in self.loose.pop(self.now[path], []):
                    self._put(self.now[path], one)
            for name, number in self.renamed.pop(path, []):
                self._set(name, number)

    def _name(self, path: str, number: int) -> None:
        self.now[path] = number
        self.renamed[os.path.dirname(path)].append((path, number))

    def _set(self, name: str, number: int | None) -> None:
        if number is None:
            self.names.pop(name, None)
        else:
            self.names[name] = number

    def _put(self, number: int, event: Event) -> None:
        held = self.content[number]
        if event.kind == "cut":
            del held[event.at :]
            return
        at = event.at if event.kind == "write" else len(held)
        if len(held) < at + len(event.data):
            held.extend(b"\0" * (at + len(event.data) - len(held)))
        held[at : at + len(event.data)] = event.data

    def after_a_cut(self, rng: random.Random, folder: Path) -> None:
        """Write what may be there: all that was synced, and of the rest any part."""
        for number, ops in self.loose.items():
            share = rng.choice((0, 0.5, 1))
            for one in ops:
                if rng.random() < share:
                    self._put(number, one)
        for moves in self.renamed.values():
            for name, number in moves[: rng.randint(0, len(moves))]:
                self._set(name, number)
        for name, number in self.names.items():
            place = folder / os.path.relpath(name, self.root)
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(self.content[number])


RECORDED = "openat,fsync,fdatasync,pwrite64,write,ftruncate,rename,unlink,mkdir,sendto"


def traced(command: list[str], trace: Path) -> subprocess.Popen[bytes] | None:
    """A program under strace; None where that is not there or may not look."""
    if shutil.which("strace") is None or subprocess.run(["strace", "-o", "/dev/null", "true"], check=False).returncode:
        return None
    options = ["-f", "-qq", "-y", "-xx", "-s", "200000", "-e", f"trace={RECORDED}", "-o", str(trace)]
    return subprocess.Popen(["strace", *options, *command])


def test_a_power_cut_takes_nothing_that_was_acknowledged(tmp_path: Path) -> None:
    folder, base, trace = tmp_path / "data", tmp_path / "base", tmp_path / "trace"
    site = make_site(folder)
    site.store.engine.dispose()
    port = free_port()
    child = forked(lambda: run_server(folder, port))
    wait_for(port)
    three = writers(folder, port, 1)
    kill(child)
    shutil.copytree(folder, base)
    known = {f"Files of {writer.name}" for writer in three}
    code = (
        "import sys; from pathlib import Path; from tests.store.serving import run_server;"
        "run_server(Path(sys.argv[1]), int(sys.argv[2]))"
    )
    server = traced([sys.executable, "-c", code, str(folder), str(port)], trace)
    if server is None:
        pytest.skip("strace is not here, or may not trace")
    try:
        wait_for_slowly(port)
        answered: list[tuple[str, set[str], set[str]]] = []
        for _ in range(8):
            for writer in three:
                before = set(writer.names), set(writer.files)
                writer.make()
                answered.append(("", set(writer.names) - before[0], set(writer.files) - before[1]))
    finally:
        with suppress(FileNotFoundError):
            for pid in Path(f"/proc/{server.pid}/task/{server.pid}/children").read_text().split():
                os.kill(int(pid), 9)
        server.wait()
    happened = list(events(trace))
    acknowledged = [i for i, event in enumerate(happened) if told(event)]
    promised = [(names, files) for _, names, files in answered]
    flat = [one for names, files in promised for one in (*sorted(names), *sorted(files))]
    assert len(acknowledged) == len(flat) > 20  # one answer for each thing kept
    rng = random.Random(2)
    for number in range(CUTS):
        at = rng.randrange(acknowledged[0], len(happened))
        disk = Disk(folder, base)
        for event in happened[:at]:
            disk.happen(event)
        sure = flat[: sum(place < at for place in acknowledged)]
        after = tmp_path / "after"
        shutil.rmtree(after, ignore_errors=True)
        after.mkdir()
        disk.after_a_cut(rng, after)
        files = {one for one in sure if re.fullmatch(r"[0-9a-f]{64}", one)}
        what = lost(after, known | {one for one in sure if one not in files}, files)
        assert not what, f"cut {number} at {at} of {len(happened)}: {what}"


def told(event: Event) -> bool:
    """Whether it is the answer that something is kept."""
    first = event.data[:2000].lower()
    made = b"303 see other" in first and b"location: /templates/" in first
    return event.kind == "told" and (made or b'"kept":true' in event.data)


def wait_for_slowly(port: int) -> None:
    for _ in range(10):
        with suppress(AssertionError):
            wait_for(port)
            return
    raise AssertionError("the server does not start under strace")
