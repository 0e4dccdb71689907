"""What all tests share: plans from a few words, and how many examples the properties try."""

from __future__ import annotations

import os

from hypothesis import HealthCheck, settings

settings.register_profile(
    "unisequa",
    max_examples=int(os.environ.get("UNISEQUA_EXAMPLES", "200")),
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("unisequa")
