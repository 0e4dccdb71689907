"""Rendering: the Jinja environment, what every page has, and the words in them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from fastapi import Request
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup
from starlette.responses import HTMLResponse

from unisequa.core.calendars import words
from unisequa.web.session import TOKEN, sessions_of

HERE = Path(__file__).parent
STATIC = HERE / "static"

SECTIONS = (("library", "Library", "/library"), ("runs", "Runs", "/runs"))


@lru_cache(maxsize=1)
def digest() -> str:
    """Changes with any of the static files, so that browsers may keep them for good under an address that names it."""
    total = hashlib.sha256()
    for path in sorted(STATIC.rglob("*")):
        if path.is_file():
            total.update(path.relative_to(STATIC).as_posix().encode() + path.read_bytes())
    return total.hexdigest()[:12]


def static(name: str) -> str:
    """The address of a static file; what a module imports beside it lies under the same."""
    return f"/static/{digest()}/{name}"


@lru_cache(maxsize=1)
def _markdown() -> Callable[[str], str]:
    import nh3
    from markdown_it import MarkdownIt

    reader = MarkdownIt("commonmark", {"html": False, "linkify": False}).enable("table")
    return lambda text: nh3.clean(reader.render(text), link_rel="noopener noreferrer")


def rich(text: str) -> Markup:
    """Markdown as safe HTML, ``- [ ]`` shown as an empty box."""
    boxed = text.replace("- [ ]", "- ☐").replace("- [x]", "- ☑")
    return Markup(_markdown()(boxed))  # noqa: S704 - cleaned there


def _environment() -> Environment:
    environment = Environment(
        loader=FileSystemLoader(HERE / "html"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.globals |= {
        "static": static,
        "sections": SECTIONS,
        "day_words": words.day_words,
        "span_words": words.span_words,
        "count_words": words.count_words,
        "difference_words": words.difference_words,
    }
    environment.filters["rich"] = rich
    return environment


_JINJA = _environment()


def render(
    request: Request,
    template: str,
    context: Any,
    *,
    status: int = 200,
    headers: Mapping[str, str] | None = None,
) -> HTMLResponse:
    """A page or a piece of one from its typed context, a small frozen class."""
    visit = getattr(request.state, "visit", None)
    person = getattr(request.state, "person", None)
    values = {f.name: getattr(context, f.name) for f in fields(context)} if is_dataclass(context) else dict(context)
    theme = request.cookies.get("theme")
    values |= {
        "me": person,
        "csrf": sessions_of(request).token(visit) if visit else "",
        "csrf_name": TOKEN,
        "theme": theme if theme in {"light", "dark"} else "",
    }
    return HTMLResponse(_JINJA.get_template(template).render(values), status_code=status, headers=dict(headers or {}))


def asks_for_piece(request: Request) -> bool:
    """Whether a script asks for a piece of the page rather than a person for the whole."""
    return request.headers.get("hx-request") == "true"
