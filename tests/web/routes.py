"""The routes of the application, read from it, with addresses that lead somewhere."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fastapi.routing import APIRoute

from tests.site import Site


def routes(site: Site, method: str) -> list[str]:
    """The path of every route of a method, as it is written."""

    def within(router: Any) -> Iterator[APIRoute]:
        for route in router.routes:
            if isinstance(route, APIRoute):
                yield route
            elif hasattr(route, "original_router"):
                yield from within(route.original_router)

    return [route.path for route in within(site.app) if method in (route.methods or ())]


def filled(site: Site, path: str, **more: Any) -> str:
    """A route's path with something that is there in place of each of its parts."""
    values = {
        "template_id": site.template, "person_id": 1, "team_id": 1, "position_id": 1,
        "calendar_id": 1, "run_id": site.run, "key": "draft", "number": 1, "what": "retire", "secret": "nothing",
        "rule_id": 1, "hand_off_id": 2, "token": "nothing", "digest": "0" * 64, "form": "csv", **more,
    }  # fmt: skip
    for name, value in values.items():
        path = path.replace(f"{{{name}}}", str(value))
    assert "{" not in path, f"what stands for {path}?"
    return path


_ASKED = {"/together": "?kind=subject&id=1", "/horizon/wait": "?run=1"}


def addresses(site: Site, step: str = "draft", method: str = "GET") -> list[str]:
    """The address of every route of a method that leads somewhere."""
    filled_in = [
        filled(site, path, key=step) + (f"?k={step}" if path.endswith("/panel") else _ASKED.get(path, ""))
        for path in routes(site, method)
        if path not in {"/", "/favicon.ico"}
        and not (method == "GET" and (any(part in path for part in ("{token}", "{digest}", "{secret}"))))
    ]
    assert len(filled_in) >= 20
    return filled_in
