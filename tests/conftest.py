"""What all tests share: plans from a few words, and how many examples the properties try."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest

import tests.examples  # noqa: F401 - how many are tried

if TYPE_CHECKING:
    from pwdlib import PasswordHash

    from tests.postgresql import Cluster
    from tests.site import Site


@pytest.fixture(scope="session", autouse=True)
def real_hasher() -> Callable[[], PasswordHash]:
    """Argon2 at its least, for the many sign-ins of the tests; what is really used has a test of its own."""
    from pwdlib import PasswordHash
    from pwdlib.hashers.argon2 import Argon2Hasher

    from unisequa.actions.people import passwords

    real, quick = passwords.hasher, PasswordHash((Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1),))
    passwords.hasher = lambda: quick
    return real


@pytest.fixture(scope="session")
def postgresql() -> Iterator[Cluster | None]:
    """A PostgreSQL server, where it can be had."""
    from tests.postgresql import cluster

    with cluster() as running:
        yield running


@pytest.fixture(params=["sqlite", "postgresql"])
def database(request: pytest.FixtureRequest) -> Iterator[str | None]:
    """The address of a database of each kind, without a row; none for the file in a data folder."""
    if request.param == "sqlite":
        yield None
        return
    running = request.getfixturevalue("postgresql")
    if running is None:
        pytest.skip("no PostgreSQL here")
    with running.database() as url:
        yield url


@pytest.fixture(scope="session")
def filled(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The file of a demo as it is filled on Wednesday 3 June 2026, to be copied by who writes in it."""
    from tests.site import TODAY
    from unisequa.demo.fill import fill
    from unisequa.store.store import Store

    kept = tmp_path_factory.mktemp("filled") / "unisequa.sqlite3"
    store = Store(f"sqlite:///{kept}")
    store.migrate()
    fill(store, TODAY)
    store.engine.dispose()
    return kept


@pytest.fixture
def site(tmp_path: Path) -> Iterator[Site]:
    """A site of its own for one test."""
    from tests.site import make_site

    made = make_site(tmp_path)
    yield made
    made.store.engine.dispose()
