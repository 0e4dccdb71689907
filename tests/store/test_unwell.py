"""A data folder that cannot be used says so in one line, nothing is half done, and it goes on when it can."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path

import pytest
from sqlalchemy import event

from tests.site import Site, make_site
from unisequa.actions.people import passwords
from unisequa.core.errors import Busy, StoreError, Unwell
from unisequa.room import Room
from unisequa.settings import Settings
from unisequa.store.files import write_once
from unisequa.store.folder import take
from unisequa.store.queue import Queue
from unisequa.store.store import Store
from unisequa.store.tables import Calendar
from unisequa.web.app import create_app

PROGRAM = str(Path(sys.executable).with_name("unisequa"))


def add(store: Store, name: str, words: str = "") -> None:
    with store.writing() as session:
        session.add(Calendar(name=name, document={"words": words}))


def calendars(store: Store) -> int:
    with store.reading() as session:
        return session.query(Calendar).count()


@pytest.mark.parametrize(
    "pragma, back, words",
    [
        ("max_page_count = 1", "max_page_count = 1000000", "no room on the disk"),
        ("query_only = ON", "query_only = OFF", "may only be read"),
    ],
)
def test_a_disk_that_is_full_or_read_only_is_told_and_used_again(
    tmp_path: Path, pragma: str, back: str, words: str
) -> None:
    site = make_site(tmp_path)
    store, browser = site.store, site.client("Ada")
    browser.get("/library")
    store.engine.dispose()
    held: list[str] = [pragma]

    def set_pragma(connection: object, record: object) -> None:
        connection.execute(f"PRAGMA {held[0]}")  # type: ignore[attr-defined]

    event.listen(store.engine, "connect", set_pragma)
    before = calendars(store)
    with pytest.raises(Unwell, match=words):
        add(store, "new", "x" * 100_000)
    sent = {"edit": {"op": "set", "keys": ["draft"], "field": "instructions", "value": "x" * 15_000}}
    headers = {"x-csrf-token": browser.token, "accept": "application/json"}
    answer = browser.client.post(f"/templates/{site.template}/edit", json=sent, headers=headers)
    assert answer.status_code == 503 and words in answer.json()["error"]["message"]
    assert calendars(store) == before
    held[0] = back
    store.engine.dispose()
    add(store, "new", "x" * 100_000)
    assert calendars(store) == before + 1


def test_a_damaged_file_and_one_of_a_newer_version_are_told_at_the_start(tmp_path: Path) -> None:
    site = make_site(tmp_path)
    with site.store.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(StoreError, match="newer version"):
        Store(site.store.url).migrate()
    with site.store.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.connection.driver_connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    site.store.engine.dispose()
    for old in tmp_path.glob("unisequa.sqlite3-*"):
        old.unlink()
    with (tmp_path / "unisequa.sqlite3").open("r+b") as handle:  # whole at its head, not further on
        handle.seek(4096)
        handle.write(bytes(3000))
    with pytest.raises(StoreError, match="damaged; restore"):
        Store(site.store.url).migrate()
    (tmp_path / "unisequa.sqlite3").write_bytes(b"no database at all, whatever it says" * 500)
    with pytest.raises(StoreError, match="damaged; restore"):
        Store(site.store.url).migrate()


def test_one_server_at_a_time_uses_a_folder(tmp_path: Path) -> None:
    handle = take(tmp_path)
    command = [PROGRAM, "serve", "--data", str(tmp_path), "--port", "0"]
    second = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
    assert second.returncode == 2 and second.stderr.startswith("another server uses") and "\n" not in second.stderr[:-1]
    os.close(handle)


def test_a_demo_touches_nothing_but_a_demo(tmp_path: Path) -> None:
    site = make_site(tmp_path / "real")
    site.store.engine.dispose()
    kept = (tmp_path / "real" / "unisequa.sqlite3").read_bytes()
    for more in ((), ("--fresh",)):
        command = [PROGRAM, "demo", "--data", str(tmp_path / "real"), "--port", "0", *more]
        tried = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
        assert tried.returncode == 2 and "no demo" in tried.stderr
    assert (tmp_path / "real" / "unisequa.sqlite3").read_bytes() == kept
    with pytest.raises(StoreError, match="no demo"):  # nor does a setting let anybody in without a password
        create_app(Settings(data=tmp_path / "real", demo=True))


def test_writers_come_in_their_order_and_too_many_are_sent_away() -> None:
    queue, order = Queue(most=3, seconds=5), []

    def write(number: int) -> None:
        with queue.place():
            order.append(number)

    with queue.place():
        threads = []
        for number in range(3):
            threads.append(threading.Thread(target=write, args=(number,)))
            threads[-1].start()
            while len(queue._waiting) <= number:
                time.sleep(0.001)
        with pytest.raises(Busy), queue.place():
            pass
    for thread in threads:
        thread.join()
    assert order == [0, 1, 2]
    short = Queue(seconds=0.05)
    with short.place(), pytest.raises(Busy), short.place():
        pass
    with short.place():
        order.append(3)  # whoever gave up has left nothing behind
    assert order[-1] == 3


def suppressed(room: Room) -> None:
    with suppress(Busy), room.place():
        pass


def test_of_those_who_would_wait_for_a_place_too_many_are_sent_away_at_once(site: Site) -> None:
    """However many guess at passwords, threads are left that make pages."""
    room = Room(at_once=1, waiting=1, seconds=60)
    with room.place():
        waits = threading.Thread(target=suppressed, args=(room,))
        waits.start()
        while room._all._value:  # until it waits
            time.sleep(0.01)
        with pytest.raises(Busy), room.place():
            pass
        assert waits.is_alive()  # who came before still waits, so this one did not
    waits.join()
    with room.place():
        pass
    browser = site.client()
    browser.get("/sign-in")
    with passwords._AT_ONCE.place(), passwords._AT_ONCE.place():
        form = {"email": "ada@example.org", "password": "a guess"}
        guesses = [threading.Thread(target=browser.post, args=("/sign-in", form)) for _ in range(12)]
        passwords._AT_ONCE._seconds, before = 1.0, passwords._AT_ONCE._seconds
        for guess in guesses:
            guess.start()
        assert site.client().get("/sign-in").status_code == 200
        for guess in guesses:
            guess.join()
    passwords._AT_ONCE._seconds = before
    assert browser.sign_in("Ada").url.path == "/"


def test_who_finds_too_many_writing_is_told_when_to_come_back(site: Site) -> None:
    browser = site.client("Ada")
    browser.get("/library")
    assert site.store._queue
    site.store._queue.seconds = 0.05
    with site.store._queue.place():
        assert browser.get("/library").status_code == 200  # reading waits for nobody
        answer = browser.post("/library", {"name": "Another"})
    assert answer.status_code == 503 and answer.headers["retry-after"] == "2" and "Try again" in answer.text


def test_a_file_is_there_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    (tmp_path / "a").mkdir()
    with pytest.raises(OSError, match="No space"):
        write_once(tmp_path / "a" / "file", b"words")
    assert list((tmp_path / "a").iterdir()) == []
    monkeypatch.undo()
    write_once(tmp_path / "a" / "file", b"words")
    assert (tmp_path / "a" / "file").stat().st_mode & 0o077 == 0


def test_what_another_program_holds_is_waited_for_and_then_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Such as a copy being made by hand: pages are read meanwhile, a change is refused after a while, none is lost."""
    monkeypatch.setattr("unisequa.store.dialects.sqlite.BUSY_SECONDS", 0.3)
    site = make_site(tmp_path)
    browser = site.client("Ada")
    browser.get("/library")
    hold = (
        "import sqlite3, sys; held = sqlite3.connect(sys.argv[1]); held.execute('BEGIN IMMEDIATE');"
        "print(1, flush=True); input()"
    )
    file = str(tmp_path / "unisequa.sqlite3")
    with subprocess.Popen(
        [sys.executable, "-c", hold, file], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        assert other.stdout and other.stdout.readline() == "1\n"
        assert browser.get("/library").status_code == 200
        answer = browser.post("/library", {"name": "While it is held"})
        assert answer.status_code == 503 and answer.headers["retry-after"]
        other.communicate("\n")
    assert browser.post("/library", {"name": "Afterwards"}).is_success
    page = browser.get("/library").text
    assert "Afterwards" in page and "While it is held" not in page
    site.store.engine.dispose()
