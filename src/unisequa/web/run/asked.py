"""What the browser sends along with every step of a shift: the edits so far, zoom, selection."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, cast

from starlette.datastructures import FormData

from unisequa.core.errors import Refused
from unisequa.core.shift.cascade import MODES, Mode
from unisequa.web.drawing.scale import PX, Zoom
from unisequa.web.session import field

MOST_EDITS = 200


@dataclass(frozen=True, slots=True)
class Asked:
    """What the browser holds: zoom, selected task, edits not applied yet, the word on why."""

    zoom: Zoom = "day"
    mode: Mode = "push"
    selected: str = ""
    documents: tuple[Any, ...] = ()
    why: str = ""
    faults: tuple[tuple[str, str], ...] = ()
    typed: tuple[tuple[str, str], ...] = ()
    stale: str = ""
    toast: str = ""
    view: str = "sheet"


def asked_in(form: FormData, *, selected: str | None = None, view: str | None = None) -> Asked:
    """What a form says the browser holds."""
    documents = _documents(field(form, "edits", 200_000))
    zoom, mode = field(form, "zoom", 10), field(form, "mode", 10)
    return Asked(
        zoom=as_zoom(zoom),
        mode=mode if mode in MODES else "push",
        selected=field(form, "selected", 200) if selected is None else selected,
        documents=documents,
        why=field(form, "why", 2000),
        view=view or ("list" if field(form, "view", 10) == "list" else "sheet"),
    )


def _documents(text: str) -> tuple[object, ...]:
    try:
        documents = json.loads(text or "[]")
    except ValueError:
        raise Refused({"shift": "What the page holds of the shift cannot be read; reload the page."}) from None
    if not isinstance(documents, list):
        raise Refused({"shift": "What the page holds of the shift is no list of edits; reload the page."})
    if len(documents) > MOST_EDITS:
        raise Refused({"shift": f"A shift has at most {MOST_EDITS} edits; apply these first."})
    return tuple(documents)


def as_zoom(text: str) -> Zoom:
    """A zoom as it was named; days where it was named otherwise."""
    return cast(Zoom, text if text in PX else "day")
