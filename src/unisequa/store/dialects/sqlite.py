"""SQLite: one file, one writer at a time, as many readers as there are."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

from pydantic_core import from_json
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.engine import make_url
from sqlalchemy.exc import DBAPIError

from unisequa.core.errors import StoreError
from unisequa.store.files import make_folder

BUSY_SECONDS = 10


def _read_json(text: str) -> Any:
    """What a JSON column holds; of a thousand tasks most hold nothing."""
    return [] if text == "[]" else from_json(text)


def make_engine(url: str, *, foreign_keys: bool = True) -> Engine:
    """An engine with WAL, foreign keys on, and transactions that begin at once and are on disk when they are through.

    ``BEGIN IMMEDIATE`` takes the single writer's place at the start of a transaction, so that two people
    saving at once wait for each other instead of failing half-way.
    """
    database = make_url(url).database
    if database and database != ":memory:":
        folder = Path(database).parent
        try:
            make_folder(folder)
            if not Path(database).exists():
                os.close(os.open(database, os.O_CREAT | os.O_WRONLY, 0o600))  # nobody else's to read
        except OSError as error:
            raise StoreError(f"the data folder {folder} cannot be used: {error.strerror}") from error
    pool = {} if database in {None, "", ":memory:"} else {"pool_size": 20, "max_overflow": 40, "pool_timeout": 10}
    engine = create_engine(
        url,
        connect_args={"timeout": BUSY_SECONDS, "check_same_thread": False},
        json_deserializer=_read_json,
        **pool,
    )

    @event.listens_for(engine, "connect")
    def _connect(connection: Any, record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA synchronous=FULL")
        cursor.execute(f"PRAGMA foreign_keys={'ON' if foreign_keys else 'OFF'}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        reading = connection.get_execution_options().get("reading", False)
        connection.exec_driver_sql("BEGIN" if reading else "BEGIN IMMEDIATE")

    return engine


def migrating_engine(url: str) -> Engine:
    """With foreign keys off, since rebuilding a table with them on deletes the rows that refer to it."""
    return make_engine(url, foreign_keys=False)


def dangling(connection: Any) -> list[str]:
    """Tables with rows that refer to nothing."""
    return sorted({row[0] for row in connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()})


def keep_before(url: str, revision: str) -> None:
    """A copy beside the file, named after the tables it has; one that is there is left."""
    database = make_url(url).database
    if not database or database == ":memory:":
        return
    target = Path(f"{database}.before-upgrade-from-{revision}")
    if not target.exists():
        half = target.with_name(f"{target.name}.half")
        half.unlink(missing_ok=True)
        half.touch(mode=0o600)
        try:
            with closing(sqlite3.connect(database)) as here, closing(sqlite3.connect(half)) as there:
                here.backup(there)
        except sqlite3.Error as error:
            half.unlink(missing_ok=True)
            raise StoreError(f"no copy could be made before the upgrade: {reason(error) or error}") from error
        half.rename(target)


_REASONS = {
    "SQLITE_FULL": "there is no room on the disk; make some, and it goes on",
    "SQLITE_READONLY": "the data folder may only be read; let this server's user write to it",
    "SQLITE_CORRUPT": "the data file is damaged; restore the last backup with `unisequa restore`",
    "SQLITE_NOTADB": "the data file is damaged; restore the last backup with `unisequa restore`",
    "SQLITE_CANTOPEN": "the data file cannot be opened; look whether it is there and may be read",
    "SQLITE_IOERR": "the disk does not read or write; look whether it is full or failing",
    "SQLITE_PERM": "the data folder may not be used; give it to this server's user",
}


def reason(error: Exception) -> str:
    """Why the file cannot be used."""
    name = getattr(getattr(error, "orig", error), "sqlite_errorname", "") or ""
    return next((words for known, words in _REASONS.items() if name.startswith(known)), "")


def clashed(error: DBAPIError) -> bool:
    """Whether the writer's place stayed taken for all the time that was waited."""
    return getattr(error.orig, "sqlite_errorname", "").startswith("SQLITE_BUSY")


def inserting_once(table: Any) -> Any:
    """An insert that passes over what is there by its ``key``, and gives the id of what is new."""
    return insert(table).on_conflict_do_nothing(index_elements=["key"]).returning(table.c.id)
