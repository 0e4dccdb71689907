"""The routes of the application, read from it, with addresses that lead somewhere."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from tests.site import Site


def routes(site: Site, method: str) -> Iterator[str]:
    """The path of every route of a method, as it is written."""
    for route in site.app.routes:
        if method in (getattr(route, "methods", None) or ()):
            yield route.path


def filled(site: Site, path: str, **more: Any) -> str:
    """A route's path with something that is there in place of each of its parts."""
    values = {
        "template_id": site.template, "run_id": site.run, "key": "draft", "number": 1, "what": "retire",
        "token": "nothing", "digest": "0" * 64, "form": "csv", **more,
    }  # fmt: skip
    for name, value in values.items():
        path = path.replace(f"{{{name}}}", str(value))
    assert "{" not in path, f"what stands for {path}?"
    return path


def addresses(site: Site, step: str = "draft") -> list[str]:
    """The addresses of all pages that need nothing but what is there."""
    found = []
    for path in routes(site, "GET"):
        if "{token}" in path or "{digest}" in path or path in {"/", "/favicon.ico"}:
            continue
        found.append(filled(site, path, key=step) + (f"?k={step}" if path.endswith("/panel") else ""))
    return found
