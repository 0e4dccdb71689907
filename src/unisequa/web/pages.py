"""Rendering: the Jinja environment, what every page has, and the words in them."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import fields, is_dataclass
from functools import lru_cache
from itertools import count
from pathlib import Path
from typing import Any

from fastapi import Request
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup
from starlette.responses import HTMLResponse

from unisequa.core.calendars import words
from unisequa.core.terms import BOX
from unisequa.web.below import below
from unisequa.web.moments import utc_words
from unisequa.web.session import TOKEN, sessions_of, settings_of

HERE = Path(__file__).parent
STATIC = HERE / "static"

SECTIONS = (
    ("desk", "Desk", "/"),
    ("library", "Library", "/library"),
    ("runs", "Runs", "/runs"),
    ("horizon", "Horizon", "/horizon"),
    ("people", "People", "/load"),
    ("calendars", "Calendars", "/calendars"),
    ("by-itself", "By itself", "/by-itself"),
    ("outbox", "Outbox", "/outbox"),
)


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


def boxes(text: str, checked: Collection[int], enabled: bool) -> Markup:
    """The same with boxes that can be ticked, each with its number; those in ``checked`` are."""
    numbers = count()
    marked = re.sub(BOX, lambda match: f"{match[1]} \ue000{next(numbers)}\ue001", text, flags=re.MULTILINE)
    off = "" if enabled else " disabled"

    def box(match: re.Match[str]) -> str:
        ticked = " checked" if int(match[1]) in checked else ""
        made = f'<input type="checkbox" data-box="{match[1]}"{ticked}{off}>'
        return f'<label class="box">{made} <span>{match[2]}</span></label>'

    html = re.sub("\ue000(\\d+)\ue001(.*?)(?=</li>|</p>|<ul>|<ol>)", box, _markdown()(marked), flags=re.DOTALL)
    return Markup(html)  # noqa: S704 - cleaned there


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
        "moment": utc_words,
        "span_words": words.span_words,
        "count_words": words.count_words,
        "names_words": words.names_words,
        "difference_words": words.difference_words,
    }
    environment.filters["rich"] = rich
    environment.filters["boxes"] = boxes
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
    html = below(_JINJA.get_template(template).render(values), settings_of(request).root_path)
    return HTMLResponse(html, status_code=status, headers=dict(headers or {}))


def asks_for_piece(request: Request) -> bool:
    """Whether a script asks for a piece of the page rather than a person for the whole."""
    return request.headers.get("hx-request") == "true"
