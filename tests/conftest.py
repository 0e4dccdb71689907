"""What all tests share: plans from a few words, and how many examples the properties try."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import HealthCheck, settings

if TYPE_CHECKING:
    from tests.site import Site

settings.register_profile(
    "unisequa",
    max_examples=int(os.environ.get("UNISEQUA_EXAMPLES", "200")),
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("unisequa")


@pytest.fixture
def site(tmp_path: Path) -> Iterator[Site]:
    """A site of its own for one test."""
    from tests.site import make_site

    made = make_site(tmp_path)
    yield made
    made.store.engine.dispose()
