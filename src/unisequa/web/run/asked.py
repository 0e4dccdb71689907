"""What the browser sends along with every step of a shift: the edits so far, zoom, selection."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, cast

from starlette.datastructures import FormData

from unisequa.actions.errors import Refused
from unisequa.core.calendars.typed import typed_date
from unisequa.core.errors import DocumentError, TypedError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import MODES, Mode
from unisequa.core.shift.edits import Due, Duration, Edit, Move
from unisequa.core.shift.edits.codec import read_all
from unisequa.core.terms import MOST_DAYS
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


def read_edits(documents: object, plan: Plan) -> tuple[Edit, ...]:
    """Edits from their documents.

    Raises
    ------
    Refused
        Field ``shift``: for anything that is no edit.
    """
    try:
        return tuple(read_all(documents, plan))
    except DocumentError as error:
        raise Refused({"shift": f"{error.faults[0]}."}) from None


def joined(edits: Iterable[Edit], edit: Edit) -> tuple[Edit, ...]:
    """The edits with one more, which takes the place of those it overrules."""
    kept = tuple(e for e in edits if (e.task, e.holds) != (edit.task, edit.holds) or e.holds is None)
    return (*kept, edit)


def asked_in(form: FormData, *, selected: str | None = None, view: str | None = None) -> Asked:
    """What a form says the browser holds."""
    documents = _documents(field(form, "edits", 200_000))
    zoom, mode = field(form, "zoom", 10), field(form, "mode", 10)
    return Asked(
        zoom=cast(Zoom, zoom if zoom in PX else "day"),
        mode=mode if mode in MODES else "push",
        selected=field(form, "selected", 200) if selected is None else selected,
        documents=documents,
        why=field(form, "why", 2000),
        view=view or ("list" if field(form, "view", 10) == "list" else "sheet"),
    )


def _documents(text: str) -> tuple[object, ...]:
    try:
        found = json.loads(text or "[]")
    except ValueError:
        raise Refused({"shift": "What the page holds of the shift cannot be read; reload the page."}) from None
    if not isinstance(found, list):
        raise Refused({"shift": "What the page holds of the shift is no list of edits; reload the page."})
    if len(found) > MOST_EDITS:
        raise Refused({"shift": f"A shift has at most {MOST_EDITS} edits; apply these first."})
    return tuple(found)


def typed_edit(plan: Plan, kind: str, key: str, text: str, *, today: dt.date) -> Edit:
    """An edit from what somebody typed into a field of a task, or from the day its bar was let go on.

    ``kind`` is move, due or duration; ``end`` gives the duration that makes the task's last day the one typed.

    Raises
    ------
    TypedError
    """
    if kind == "duration":
        digits = text.strip().removesuffix("d").strip()
        if not digits.isascii() or not digits.isdigit() or int(digits) > MOST_DAYS:
            raise TypedError(f'"{text}" is no number of working days; type 1, 2, 3 …')
        return Duration(key, int(digits))
    position = plan.position(key)
    task, days = plan.tasks[position], plan.days(position)
    calendar = plan.calendars.of(task)
    stands = days and days[0 if kind == "move" else 1]
    base = dt.date.fromordinal(stands) if stands else None
    day = typed_date(text, today=today, base=base, calendar=calendar).toordinal()
    if kind == "end" and days:
        return Duration(key, max(1, calendar.count(days[0], day + 1)))
    if kind not in {"move", "due"}:
        raise TypedError("That cannot be changed here.")
    return Move(key, day) if kind == "move" else Due(key, day)
