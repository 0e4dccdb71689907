"""What the browser sends along with every step of a shift: the edits so far, zoom, selection."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from typing import cast

from starlette.datastructures import FormData

from unisequa.actions.errors import Refused
from unisequa.core.calendars.typed import typed_date
from unisequa.core.errors import TypedError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import MODES
from unisequa.core.shift.edits.dates import DateEdit, Due, Duration, Move
from unisequa.core.terms import MOST_DAYS
from unisequa.web.drawing.scale import PX, Zoom
from unisequa.web.run.views import Asked
from unisequa.web.session import field

MOST_EDITS = 200


def written(edit: DateEdit) -> str:
    """An edit as the page keeps it: ``move|crates|2027-01-25``."""
    if isinstance(edit, Duration):
        return f"duration|{edit.key}|{edit.slots}"
    kind = "move" if isinstance(edit, Move) else "due"
    return f"{kind}|{edit.key}|{dt.date.fromordinal(edit.day).isoformat()}"


def read_edits(texts: Iterable[str]) -> tuple[DateEdit, ...]:
    """Edits as the page keeps them.

    Raises
    ------
    Refused
        Field ``shift``: for anything that is no edit.
    """
    edits: list[DateEdit] = []
    for text in texts:
        kind, _, rest = text.partition("|")
        key, _, value = rest.rpartition("|")
        try:
            if kind == "duration":
                edits.append(Duration(key, int(value)))
            elif kind == "move":
                edits.append(Move(key, dt.date.fromisoformat(value).toordinal()))
            elif kind == "due":
                edits.append(Due(key, dt.date.fromisoformat(value).toordinal()))
            else:
                raise ValueError
        except ValueError:
            raise Refused({"shift": f'"{text}" is no edit of a date.'}) from None
    if len(edits) > MOST_EDITS:
        raise Refused({"shift": f"A shift has at most {MOST_EDITS} edits; apply these first."})
    return tuple(edits)


def joined(edits: Iterable[DateEdit], edit: DateEdit) -> tuple[DateEdit, ...]:
    """The edits with one more, which takes the place of those it overrules."""
    overruled = (Duration,) if isinstance(edit, Duration) else (Move, Due)
    kept = tuple(e for e in edits if not (e.key == edit.key and isinstance(e, overruled)))
    return (*kept, edit)


def asked_in(form: FormData, *, selected: str | None = None, view: str | None = None) -> Asked:
    """What a form says the browser holds."""
    texts = [text for value in form.getlist("edit") for text in str(value).split(",") if text]
    edits = read_edits(texts)
    zoom, mode = field(form, "zoom", 10), field(form, "mode", 10)
    return Asked(
        zoom=cast(Zoom, zoom if zoom in PX else "day"),
        mode=mode if mode in MODES else "push",
        selected=field(form, "selected", 200) if selected is None else selected,
        edits=edits,
        written=tuple(written(edit) for edit in edits),
        why=field(form, "why", 2000),
        view=view or ("list" if field(form, "view", 10) == "list" else "sheet"),
    )


def typed_edit(plan: Plan, kind: str, key: str, text: str, *, today: dt.date) -> DateEdit:
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
