"""A PostgreSQL of the tests' own, where Debian's package is: on a socket in a folder of its own, gone afterwards."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path
from typing import Any

from sqlalchemy import create_engine, text

from unisequa.store.store import Store

PROGRAMS = sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda path: int(path.parent.name))


class Cluster:
    """A running server; databases are copies of one that has all tables and no rows."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._numbers = folder, count(1)
        self._engine = create_engine(self.url("postgres"), isolation_level="AUTOCOMMIT")
        self._do("CREATE DATABASE base")
        store = Store(self.url("base"))
        store.migrate()
        store.engine.dispose()

    def url(self, name: str) -> str:
        return f"postgresql://postgres@/{name}?host={self._folder}"

    @contextmanager
    def database(self, base: str = "base") -> Iterator[str]:
        """The address of a new database, for as long as it is needed."""
        name = f"t{next(self._numbers)}"
        self._do(f"CREATE DATABASE {name} TEMPLATE {base}")
        try:
            yield self.url(name)
        finally:
            self._do(f"DROP DATABASE {name} WITH (FORCE)")

    def _do(self, words: str) -> None:
        with self._engine.connect() as connection:
            connection.execute(text(words))


@contextmanager
def cluster() -> Iterator[Cluster | None]:
    """A server of the newest version there is; none where there is none, or nobody it may run as."""
    as_user: dict[str, Any] = {}
    folder = Path(tempfile.mkdtemp(prefix="uq"))
    try:
        if os.geteuid() == 0:
            try:
                user = pwd.getpwnam("postgres")
            except KeyError:
                yield None
                return
            as_user = {"user": user.pw_uid, "group": user.pw_gid, "extra_groups": []}
            os.chown(folder, user.pw_uid, user.pw_gid)
        if not PROGRAMS:
            yield None
            return
        data, quiet = folder / "data", {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        make = [PROGRAMS[-1] / "initdb", "-A", "trust", "-U", "postgres", "--no-sync", "--locale=C.UTF-8", "-D", data]
        subprocess.run(make, check=True, cwd=folder, **quiet, **as_user)
        run = [PROGRAMS[-1] / "postgres", "-D", data, "-k", folder, "-c", "listen_addresses=", "-c", "fsync=off"]
        server = subprocess.Popen(run, cwd=folder, **quiet, **as_user)
        try:
            ready = folder / ".s.PGSQL.5432"
            while not ready.exists() and server.poll() is None:
                time.sleep(0.02)
            yield _answering(folder)
        finally:
            server.send_signal(signal.SIGINT)
            server.wait(20)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _answering(folder: Path) -> Cluster:
    for _ in range(100):
        try:
            return Cluster(folder)
        except Exception:
            time.sleep(0.1)
    raise RuntimeError("PostgreSQL was started but does not answer")
