"""The form of a rehearsal: dates, facts and a crew to try a template with, filled with something to begin from."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.people.people import people
from unisequa.actions.templates.seeing import see_whole
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.words import day_words
from unisequa.core.design.outline import Outline, outline
from unisequa.core.documents.includes import whole
from unisequa.core.documents.template import Fact
from unisequa.core.errors import DocumentError
from unisequa.core.plan.calendars import Calendars
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()


@dataclass(frozen=True, slots=True)
class Try:
    """One field: its name, what it begins with, and its choices if it has some."""

    name: str
    label: str
    value: str
    choices: Sequence[tuple[str, str]] = ()
    hint: str = ""


@dataclass(frozen=True, slots=True)
class RehearsalForm:
    """All fields of the form; ``fault`` says why there are none."""

    fields: tuple[Try, ...]
    crew: tuple[Try, ...]
    fault: str = ""


@router.get("/templates/{template_id}/rehearsal")
def rehearsal_form(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    template_id: Id,
    edition: Number = None,
) -> Response:
    """The form, begun with dates so far ahead that all of it lies before us, and with the first choices."""
    today = settings.day()
    with store.reading() as session:
        seen, included = see_whole(session, me, template_id, edition)
        template = seen.template
        everybody = people(session)
        documents = calendar_documents(session, template.calendar)
        calendars = [document.name for document in documents]
        try:
            parts = whole(template, included.library)
        except DocumentError as error:
            return render(request, "template/_rehearsal.html", RehearsalForm((), (), str(error.faults[0])))
        calendar = Calendars(documents)[None]
        begin = _far_enough(outline(template, included.library), today, calendar)
    clock = " 18:00" if template.grid == "minute" else ""
    fields = []
    for key, (anchor, _) in parts.anchors.items():
        needed = anchor.required and anchor.from_ is None
        hint = "worked out" if anchor.from_ else "" if anchor.required else "may be open"
        fields.append(
            Try(f"anchors.{key}", anchor.label, day_words(begin, year=True) + clock if needed else "", hint=hint)
        )
    fields += [
        Try(f"facts.{key}", fact.label, _sample(fact, today), _choices(fact)) for key, fact in parts.facts.items()
    ]
    if len(calendars) > 1:
        fields.append(Try("calendar", "Working calendar", calendars[0], [(name, name) for name in calendars]))
    chosen = [("", "nobody yet"), *((str(person.id), person.name) for person in everybody)]
    by_mail = {person.email: str(person.id) for person in everybody}
    crew = tuple(
        Try(
            f"crew.{key}",
            role.label,
            by_mail.get(role.fill.person or "", "") or (str(me.id) if role.fill.by == "keeper" else ""),
            chosen,
        )
        for key, role in parts.roles.items()
        if role.fill.by != "outside"
    )
    return render(request, "template/_rehearsal.html", RehearsalForm(tuple(fields), crew))


def _far_enough(seen: Outline, today: dt.date, calendar: WorkingCalendar) -> dt.date:
    """A working day on which the first anchor may lie so that the first step still lies ahead."""
    first = 0 if seen.minutes else min((span[0] for span in seen.spans.values()), default=0)
    day = calendar.advance(today.toordinal() + 1, max(5, 5 - first))
    return dt.date.fromordinal(calendar.roll_forward(day))


def _sample(fact: Fact, today: dt.date) -> str:
    if fact.choices:
        return fact.choices[0]
    return {"number": "1", "date": today.isoformat(), "yes-no": "yes"}.get(
        fact.kind, fact.label if fact.required else ""
    )


def _choices(fact: Fact) -> list[tuple[str, str]]:
    if fact.kind == "yes-no":
        return [("yes", "yes"), ("no", "no")]
    return [(choice, choice) for choice in fact.choices]
