"""The sample data: Quillhaven Museums, three small museums. Everything in it is invented.

Everything is filled in by the same actions as by hand, around a given day, so that it is always current.
"""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path
from typing import Any

from unisequa.actions.people.people import Actor
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.library import keep_template
from unisequa.core.design.editing import change_step
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.reading import read_document
from unisequa.demo.by_itself import Jobs, fill_by_itself
from unisequa.demo.closes import fill_closes
from unisequa.demo.exhibitions import fill_exhibitions
from unisequa.demo.house import fill_house
from unisequa.demo.people import fill_people
from unisequa.store.queries.people import active_people
from unisequa.store.store import Session, Store
from unisequa.store.tables import Calendar

DOCUMENTS = Path(__file__).parent / "documents"


def document(name: str) -> Any:
    """One of the documents that ship with the demo."""
    return json.loads((DOCUMENTS / f"{name}.json").read_text("utf-8"))


def fill(store: Store, today: dt.date) -> None:
    """Fill an empty store, whole or not at all; one that has people is left as it is."""
    with store.writing() as session:
        if active_people(session):
            return
        people = fill_people(session, today)
        for name in ("quillhaven-calendar", "old-mill-calendar", "evening-calendar"):
            calendar = read_document(CalendarDocument, document(name))
            usual = name == "quillhaven-calendar"
            session.add(Calendar(name=calendar.name, document=calendar.written(), usual=usual))
        session.flush()
        exhibition = _template(session, people["Ines Okafor"], "open-a-visiting-exhibition")
        close = _template(session, people["Dunstan Vale"], "month-end-close")
        quarter = _template(session, people["Dunstan Vale"], "quarter-end-close")
        loan = _return_of_a_loan(session, people["Maud Ferreira"])
        evening = _template(session, people["Ines Okafor"], "opening-night")
        house = {
            "host": _template(session, people["Noor Castellan"], "a-new-gallery-host"),
            "workshop": _template(session, people["Mina Osei"], "workshop-colleague"),
            "leaver": _template(session, people["Noor Castellan"], "a-colleague-leaves"),
            "round": _template(session, people["Mina Osei"], "yearly-round"),
        }
        fill_exhibitions(session, exhibition, loan, evening, people, today)
        fill_closes(session, close, people, today)
        fill_house(session, house, quarter, people, today)
        jobs = Jobs(close, house["round"], exhibition, loan, house["leaver"])
        fill_by_itself(session, jobs, people, today, "https://plan.quillhaven.example.org")


def _template(session: Session, owner: Actor, name: str) -> int:
    return keep_template(session, owner, read_template(document(name)), released=True).template_id


def _return_of_a_loan(session: Session, owner: Actor) -> int:
    """A job whose next edition is being written: a draft with some things to mend."""
    number = _template(session, owner, "return-a-loan")
    title = "Letter of thanks from {{ director }}"
    edit_draft(session, owner, number, lambda t: change_step(t, "thanks", title=title))
    return number
