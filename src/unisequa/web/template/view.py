"""A template's sheet as the page's script gets it."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from unisequa.actions.access import may
from unisequa.actions.templates.drafts import next_edit
from unisequa.actions.templates.editions import checks
from unisequa.actions.templates.rehearsals import Rehearsal, rehearsed
from unisequa.actions.templates.shelf import newest, shelf_of
from unisequa.core.design.outline import outline
from unisequa.store.documents import template_of
from unisequa.store.tables import Edition, Person
from unisequa.web.template.rehearsal_sheet import on_dates
from unisequa.web.template.sheet import sheet_model


@dataclass(frozen=True, slots=True)
class Asked:
    """What the sheet is to be shown with: the rehearsal that is on, and what day it is."""

    today: dt.date
    rehearsal: dict[str, Any] | None = None


def may_change(edition: Edition, person: Person) -> bool:
    """Whether this edition is the one that somebody edits: the newest, by who may."""
    return may(edition.template, person, "edit") and edition.number == edition.template.editions[-1].number


def sheet_of(session: Session, me: Person, edition: Edition, asked: Asked) -> dict[str, Any]:
    """All that the sheet shows: the steps where the outline has them, or on the dates of a rehearsal."""
    template = template_of(edition)
    shelf = shelf_of(session, edition)
    seen = outline(template, shelf.library)
    found = checks(session, template, seen)
    model = sheet_model(template, seen, shelf.library, found)
    newer = newest(session).editions if edition.pins and model["includes"] else {}
    for head in model["includes"]:
        head["id"] = shelf.ids.get(head["label"])
        head["newer"] = newer.get(head["label"], 0) > shelf.editions.get(head["label"], 0)
    editor = may(edition.template, me, "edit")
    last = {way: next_edit(session, me, edition, state) for way, state in (("undo", "done"), ("redo", "undone"))}
    usable = edition.state == "released" and may(edition.template, me, "start")
    model |= {
        "edition": edition.number,
        "state": edition.state,
        "revision": edition.revision,
        "undo": last["undo"].text if last["undo"] and edition.state == "draft" else None,
        "redo": last["redo"].text if last["redo"] and edition.state == "draft" else None,
        "startable": bool(template.steps or template.includes)
        and not model["bars"]
        and (usable or (editor and edition.state == "draft")),
    }
    model["head"]["owner"] = edition.template.owner.name
    if asked.rehearsal is not None:
        given = Rehearsal.model_validate(asked.rehearsal)
        return on_dates(model, rehearsed(session, template, shelf.library, given, asked.today))
    return model
