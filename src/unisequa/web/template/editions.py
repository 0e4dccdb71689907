"""A template's editions: the list, releasing, retiring, comparing two, who may do what, and who did what."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter, Request
from sqlalchemy.orm import Session
from starlette.responses import RedirectResponse, Response

from unisequa.actions import access
from unisequa.actions.errors import Refused
from unisequa.actions.history import template_history
from unisequa.actions.people.people import people
from unisequa.actions.templates import editions
from unisequa.actions.templates.drafts import edits_of, template_row
from unisequa.actions.templates.library import duplicate
from unisequa.core.calendars.words import day_words
from unisequa.core.design.difference_words import Told
from unisequa.store.tables import Edition, Person, TemplateRow
from unisequa.web.pages import render
from unisequa.web.session import Posted, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class EditionLine:
    """One edition in the list."""

    number: int
    state: str
    changed: str
    by: str
    note: str
    steps: int
    runs: int


@dataclass(frozen=True, slots=True)
class Happened:
    """Something somebody did."""

    at: str
    who: str
    text: str
    undone: bool = False


@dataclass(frozen=True, slots=True)
class EditionsPage:
    """The page; ``changes`` are those from edition ``old`` to ``new``, when two are compared."""

    section: str
    id: int
    name: str
    owner: str
    editor: bool
    own: bool
    lines: tuple[EditionLine, ...]
    old: int
    new: int
    changes: tuple[Told, ...] | None
    happened: tuple[Happened, ...]
    open_to: str
    rights: tuple[tuple[int, str, str], ...]
    others: tuple[tuple[int, str], ...]
    faults: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ReleaseBox:
    """What would be released: what it changes since the edition before it, in words."""

    id: int
    number: int
    before: int
    changes: tuple[Told, ...]
    steps: int


@router.get("/templates/{template_id}/editions")
def editions_page(
    request: Request, me: SignedIn, store: StoreOf, template_id: int, old: int | None = None, new: int | None = None
) -> Response:
    """The editions, two of them compared when asked."""
    with store.reading() as session:
        page = _page(session, me, template_id, old, new)
    return render(request, "template/editions.html", page)


def _page(
    session: Session,
    me: Person,
    template_id: int,
    old: int | None = None,
    new: int | None = None,
    faults: dict[str, str] | None = None,
) -> EditionsPage:
    row = template_row(session, template_id)
    access.check_may(row, me, "look")
    editor = access.may(row, me, "edit")
    seen = [edition for edition in row.editions if edition.state != "draft" or editor]
    numbers = [edition.number for edition in seen]
    new = new if new in numbers else numbers[-1] if numbers else 0
    old = old if old in numbers else numbers[-2] if len(numbers) > 1 else new
    changes = None
    if old != new:
        changes = tuple(editions.compare(session, me, template_id, old, new))
    started = editions.runs_of(session, [edition.id for edition in seen])
    return EditionsPage(
        "library",
        template_id,
        row.name,
        row.owner.name,
        editor,
        access.may(row, me, "own"),
        tuple(_line(edition, started.get(edition.id, 0)) for edition in reversed(seen)),
        old,
        new,
        changes,
        _happened(session, row, editor),
        row.open_to,
        tuple((right.person_id, right.person.name, right.right) for right in row.rights),
        tuple((person.id, person.name) for person in people(session) if person.id != row.owner_id),
        faults or {},
    )


def _line(edition: Edition, runs: int) -> EditionLine:
    at = edition.released_at or edition.changed_at
    steps = len(edition.document.get("steps", []))
    return EditionLine(
        edition.number,
        edition.state,
        day_words(at.date(), year=True),
        edition.changed_by.name,
        edition.note,
        steps,
        runs,
    )


def _happened(session: Session, row: TemplateRow, editor: bool) -> tuple[Happened, ...]:
    entries = [((h.at, 0, h.id), h.person.name, h.text, False) for h in template_history(session, row.id)]
    if editor:
        entries += [((e.at, 1, e.id), e.person.name, e.text, e.state == "undone") for e in edits_of(session, row.id)]
    entries.sort(key=lambda entry: entry[0], reverse=True)
    return tuple(Happened(_moment(order[0]), who, text, undone) for order, who, text, undone in entries[:200])


def _moment(at: dt.datetime) -> str:
    return f"{day_words(at.date(), year=True)}, {at:%H:%M}"


@router.get("/templates/{template_id}/release")
def release_box(request: Request, me: SignedIn, store: StoreOf, template_id: int) -> Response:
    """What a release would change, and room for a note."""
    with store.reading() as session:
        row = template_row(session, template_id)
        access.check_may(row, me, "edit")
        draft = row.editions[-1]
        before = row.editions[-2].number if len(row.editions) > 1 else 0
        changes = editions.compare(session, me, template_id, before, draft.number) if before else []
        box = ReleaseBox(template_id, draft.number, before, tuple(changes), len(draft.document.get("steps", [])))
    return render(request, "template/_release.html", box)


@router.post("/templates/{template_id}/release")
def release(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """Release the draft."""
    note = text_field(form, "note", 2000)
    return _done(request, me, store, template_id, lambda s: editions.release(s, me, template_id, note), page=False)


@router.post("/templates/{template_id}/discard")
def discard(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """Throw the draft away."""
    return _done(request, me, store, template_id, lambda s: editions.discard_draft(s, me, template_id))


@router.post("/templates/{template_id}/editions/{number}/{what}")
def one_edition(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, number: int, what: str
) -> Response:
    """Retire an edition, take it into use again, or make the draft what it says."""
    ways: dict[str, Callable[[Session], Any]] = {
        "retire": lambda s: editions.retire(s, me, template_id, number),
        "use": lambda s: editions.retire(s, me, template_id, number, back=True),
        "back": lambda s: editions.go_back(s, me, template_id, number),
    }
    way = ways.get(what)
    if way is None:
        raise Refused({"": "That is not done with an edition."})
    return _done(request, me, store, template_id, way, page=what != "back")


@router.post("/templates/{template_id}/rights")
def rights(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """Who may edit, start and look."""
    everybody, person, right = (
        text_field(form, "open_to", 10),
        text_field(form, "person", 10),
        text_field(form, "right", 10),
    )

    def change(session: Session) -> None:
        row = template_row(session, template_id)
        number = int(person) if person.isdigit() else 0
        if everybody:
            access.open_to(session, me, row, everybody)
        elif right == "own":
            access.hand_over(session, me, row, number)
        else:
            access.give_right(session, me, row, number, right)

    return _done(request, me, store, template_id, change)


@router.post("/templates/{template_id}/duplicate")
def copy(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """A copy as a draft of one's own."""
    with store.writing() as session:
        edition = duplicate(session, me, template_id)
    return RedirectResponse(f"/templates/{edition.template_id}", status_code=303)


def _done(
    request: Request, me: Person, store: StoreOf, template_id: int, act: Callable[[Session], Any], *, page: bool = True
) -> Response:
    try:
        with store.writing() as session:
            act(session)
    except Refused as error:
        with store.reading() as session:
            found = _page(session, me, template_id, faults=error.faults)
        return render(request, "template/editions.html", found, status=422)
    where = f"/templates/{template_id}/editions" if page else f"/templates/{template_id}"
    return RedirectResponse(where, status_code=303)
