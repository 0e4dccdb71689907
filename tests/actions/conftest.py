"""Actions are tried on every database."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.site import Site, make_site


@pytest.fixture
def site(tmp_path: Path, database: str | None) -> Iterator[Site]:
    """A site of its own for one test."""
    made = make_site(tmp_path, database=database)
    yield made
    made.store.engine.dispose()
