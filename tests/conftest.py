"""What all tests share: plans from a few words, and how many examples the properties try."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import HealthCheck, settings

if TYPE_CHECKING:
    from tests.postgresql import Cluster
    from tests.site import Site

settings.register_profile(
    "unisequa",
    max_examples=int(os.environ.get("UNISEQUA_EXAMPLES", "200")),
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("unisequa")


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


@pytest.fixture
def site(tmp_path: Path) -> Iterator[Site]:
    """A site of its own for one test."""
    from tests.site import make_site

    made = make_site(tmp_path)
    yield made
    made.store.engine.dispose()
