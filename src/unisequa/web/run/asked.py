"""What the browser sends along with every step of a shift: the edits so far, zoom, selection."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, cast

from starlette.datastructures import FormData

from unisequa.core.errors import Refused
from unisequa.core.shift.result import MODES, Mode
from unisequa.core.terms import number_in
from unisequa.web.drawing.scale import PX, Zoom
from unisequa.web.run.looking import LOOKED, WHOLE, Look, look_in
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
    undo: int = 0
    proposal: int = 0
    view: str = "sheet"
    look: Look = WHOLE
    whole: bool = False
    only: str = ""
    rides: bool = False
    narrow: bool = False


def asked_in(form: FormData, *, selected: str | None = None, view: str | None = None) -> Asked:
    """What a form says the browser holds."""
    documents = documents_in(field(form, "edits", 200_000))
    zoom, mode = field(form, "zoom", 10), field(form, "mode", 10)
    return Asked(
        zoom=as_zoom(zoom),
        mode=mode if mode in MODES else "push",
        selected=field(form, "selected", 200) if selected is None else selected,
        documents=documents,
        why=field(form, "why", 2000),
        proposal=number_in(field(form, "proposal", 12)),
        whole=field(form, "whole", 5) == "yes",
        only=field(form, "only", 220),
        rides=field(form, "rides", 5) == "yes",
        narrow=field(form, "narrow", 5) == "yes",
        view=view or as_view(field(form, "view", 10)),
        look=look_in({name: field(form, name, 100) for name in LOOKED}),
    )


def documents_in(text: str) -> tuple[object, ...]:
    """The edits that a text holds.

    Raises
    ------
    Refused
    """
    try:
        documents = json.loads(text or "[]")
    except ValueError:
        raise Refused({"shift": "What the page holds of the shift cannot be read; reload the page."}) from None
    if not isinstance(documents, list):
        raise Refused({"shift": "What the page holds of the shift is no list of edits; reload the page."})
    if len(documents) > MOST_EDITS:
        raise Refused({"shift": f"A shift has at most {MOST_EDITS} edits; apply these first."})
    return tuple(documents)


def keys_in(form: FormData) -> list[str]:
    """The keys of the tasks that are chosen together.

    Raises
    ------
    Refused
    """
    try:
        keys = json.loads(field(form, "keys", 200_000) or "[]")
    except ValueError:
        keys = None
    if not isinstance(keys, list) or not all(isinstance(key, str) for key in keys):
        raise Refused({"state": "What the page holds of the chosen tasks cannot be read; reload the page."})
    return keys


def as_view(text: str) -> str:
    """A view of the tasks as it was named; the sheet where it was named otherwise."""
    return text if text in {"list", "board", "month"} else "sheet"


def as_zoom(text: str) -> Zoom:
    """A zoom as it was named; days where it was named otherwise."""
    return cast(Zoom, text if text in PX else "day")
