"""Plans and templates from a few words, for the tests."""

from __future__ import annotations

import datetime as dt
from typing import Any

from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import Template
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan

GO = dt.date(2026, 6, 1)  # a Monday


def day(text: str) -> int:
    """``2026-06-01`` as a day number."""
    return dt.date.fromisoformat(text).toordinal()


def step(key: str, duration: int = 1, offset: int | None = None, **more: Any) -> dict[str, Any]:
    """A step, measured from the anchor ``go`` when it has an offset."""
    found: dict[str, Any] = {"key": key, "title": key.capitalize(), "duration": duration, **more}
    if offset is not None:
        found["when"] = {"anchor": "go", "offset": offset, "edge": "start"}
    return found


def document(steps: list[dict[str, Any]], *links: str, **more: Any) -> dict[str, Any]:
    """A template document; links as ``a>b`` or ``a>b+2`` (working days) or ``a>b+2e`` (elapsed)."""
    return {
        "format": "unisequa-template/1",
        "name": "case",
        "anchors": [{"key": "go", "label": "Go"}],
        "steps": steps,
        "links": [link(text) for text in links],
        **more,
    }


def link(text: str) -> dict[str, Any]:
    """One link as :func:`document` takes it."""
    source, _, rest = text.partition(">")
    elapsed = rest.endswith("e") and ("+" in rest or "-" in rest)
    for sign in "+-":
        target, found, lag = rest.removesuffix("e" if elapsed else "").rpartition(sign)
        if found and lag.isdigit():
            return {"from": source, "to": target, "lag": int(sign + lag), "unit": "elapsed" if elapsed else "working"}
    return {"from": source, "to": rest}


def template(steps: list[dict[str, Any]], *links: str, **more: Any) -> Template:
    """A checked template."""
    return read_template(document(steps, *links, **more))


def plan(steps: list[dict[str, Any]], *links: str, go: dt.date = GO, calendar: Any = None, **more: Any) -> Plan:
    """A plan of those steps; ``calendar`` as a document without its name."""
    calendars = (read_document(CalendarDocument, {"name": "c", **calendar}),) if calendar else ()
    today = more.pop("today", None)
    occasion = Occasion(anchors={"go": go}, calendars=calendars, today=today)
    return assemble(template(steps, *links, **more), occasion)


def dates(found: Plan) -> dict[str, tuple[str, str] | None]:
    """Key → first and last day as text."""
    read = {}
    for i, task in enumerate(found.tasks):
        days = found.days(i)
        read[task.key] = days and (dt.date.fromordinal(days[0]).isoformat(), dt.date.fromordinal(days[1]).isoformat())
    return read
