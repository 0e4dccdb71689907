"""Sessions on one database, and what happens when a transaction is through."""

from __future__ import annotations

import datetime as dt
import errno
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext
from functools import partial
from pathlib import Path

from sqlalchemy import inspect
from sqlalchemy.exc import DBAPIError, IntegrityError
from sqlalchemy.orm import Session, object_session, sessionmaker
from sqlalchemy.orm.exc import StaleDataError

from unisequa.core.errors import Busy, Stale, StoreError, Unwell
from unisequa.store.dialects import clashed, inserting_once, keep_before, make_engine, reason
from unisequa.store.queries.looking import LOOKS
from unisequa.store.queries.taking import INSERTING, TAKES, WRITES
from unisequa.store.queue import Queue

MIGRATIONS = Path(__file__).parent / "migrations" / "versions"
_AFTERWARDS = "unisequa afterwards"
_NO_ROOM = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG}

__all__ = ["Session", "Store", "afterwards", "object_session", "savepoint"]


class Store:
    """Sessions on one database: ``writing`` commits or rolls back whole, ``reading`` never holds the writer up."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = make_engine(url)
        self._queue = Queue() if self.engine.name == "sqlite" else None
        told = {WRITES: True, TAKES: self._queue is None, INSERTING: partial(inserting_once, self.engine.name)}
        self._writing = sessionmaker(self.engine, expire_on_commit=False, info=told)
        options = {"reading": True} if self.engine.name == "sqlite" else {"isolation_level": "REPEATABLE READ"}
        self._reading = sessionmaker(self.engine.execution_options(**options), expire_on_commit=False)

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One transaction that changes something; what :func:`afterwards` was told is done once it is through.

        Raises
        ------
        Stale
            When somebody else has changed the same meanwhile; nothing of this transaction stays.
        Busy
            When too many others write; where there is one writer at a time they wait in the order they came.
        Unwell
            When the database cannot be written.
        """
        try:
            with self._queue.place() if self._queue else nullcontext(), self._writing.begin() as session:
                yield session
        except (StaleDataError, IntegrityError) as error:
            raise Stale from error
        except DBAPIError as error:
            if clashed(error):
                raise Busy if self._queue else Stale from error
            raise _unwell(error) from error
        except OSError as error:
            raise _unwell(error) from error
        for act in session.info.pop(_AFTERWARDS, []):
            act()

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """One consistent look."""
        try:
            with self._reading(info={LOOKS: {}}) as session:
                yield session
        except DBAPIError as error:
            raise _unwell(error) from error

    def migrate(self) -> None:
        """Bring the tables to the newest shape; quick when they have it.

        Migrations are numbered, so the newest is the last by name; only where the tables are behind it is
        Alembic loaded at all.

        Raises
        ------
        StoreError
            When the database cannot be reached, or would not be whole afterwards.
        """
        newest, now = max(path.name for path in MIGRATIONS.glob("[0-9]*.py")).partition("_")[0], self._revision()
        if now is not None and now > newest:
            raise StoreError(
                f"the data is of a newer version (tables {now}, known up to {newest}); install that version"
            )
        if now != newest:
            from unisequa.store.lists import bring_up_new
            from unisequa.store.migrations.run import migrate

            try:
                if now is not None:
                    keep_before(self.url, now)
                migrate(self.url)
            except (DBAPIError, OSError) as error:
                raise StoreError(f"the tables stay as they were: {_words(error) or error}") from error
            with self.writing() as session:
                bring_up_new(session, dt.date.today())

    def _revision(self) -> str | None:
        try:
            with self._reading() as session:
                if not inspect(session.connection()).has_table("alembic_version"):
                    return None
                return session.connection().exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
        except DBAPIError as error:
            words = reason(error) or "the database cannot be reached: " + str(error.orig).strip().splitlines()[0]
            raise StoreError(words) from error


def _unwell(error: Exception) -> Exception:
    """Why the data cannot be used, as whoever asked is told; anything else as it was."""
    words = _words(error)
    return Unwell(f"Nothing was changed: {words}.") if words else error


def _words(error: Exception) -> str:
    if isinstance(error, OSError) and error.errno in _NO_ROOM:
        return "there is no room on the disk; make some, and it goes on"
    if isinstance(error, OSError) and error.errno in {errno.EROFS, errno.EACCES, errno.EPERM}:
        return "the data folder may only be read; let this server's user write to it"
    return reason(error)


def afterwards(session: Session, act: Callable[[], None]) -> None:
    """Do something once the transaction is through; never, if it or the savepoint around this is rolled back."""
    session.info.setdefault(_AFTERWARDS, []).append(act)


@contextmanager
def savepoint(session: Session) -> Iterator[Session]:
    """A part of a transaction that can fail alone: what it wrote is rolled back, what was to follow is forgotten."""
    before = len(session.info.setdefault(_AFTERWARDS, []))
    try:
        with session.begin_nested():
            yield session
    except BaseException:
        del session.info[_AFTERWARDS][before:]
        raise
