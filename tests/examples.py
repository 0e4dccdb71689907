"""How many examples the properties try."""

from __future__ import annotations

import os

from hypothesis import HealthCheck, settings

EXAMPLES = int(os.environ.get("UNISEQUA_EXAMPLES", "200"))

settings.register_profile(
    "unisequa",
    max_examples=EXAMPLES,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    derandomize=EXAMPLES <= 1000,  # the same for the same tree; `make test-long` looks further
)
settings.load_profile("unisequa")

dear = settings(max_examples=max(EXAMPLES // 3, 20))
"""For a property each of whose examples costs a plan or more: a third of what the others try."""
