"""A template's sheet as the page's script gets it."""

from __future__ import annotations

from typing import Any

from unisequa.actions.templates.sheet import SheetSeen
from unisequa.web.template.rehearsal_sheet import on_dates
from unisequa.web.template.sheet import sheet_model


def as_sent(seen: SheetSeen) -> dict[str, Any]:
    """All that the sheet shows: the steps where the outline has them, or on the dates of a rehearsal."""
    edition, template = seen.edition, seen.edition.template
    model = sheet_model(template, seen.outline, seen.included.library, seen.findings)
    for head in model["includes"]:
        head["id"] = seen.included.id_of(head["label"])
        head["newer"] = head["label"] in seen.newer
    usable = edition.state == "released" and edition.may("start a run")
    model |= {
        "edition": edition.number,
        "state": edition.state,
        "revision": edition.revision,
        "undo": seen.undo,
        "redo": seen.redo,
        "startable": bool(template.steps or template.includes)
        and not model["bars"]
        and (usable or (edition.may("change a draft") and edition.state == "draft")),
    }
    model["head"]["owner"] = edition.owner
    return model if seen.rehearsed is None else on_dates(model, seen.rehearsed)
