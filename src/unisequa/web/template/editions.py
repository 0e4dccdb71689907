"""A template's editions: the list, releasing, retiring, comparing two, who may do what, and who did what."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.house.teams import teams
from unisequa.actions.people.people import Actor, people
from unisequa.actions.templates import editions
from unisequa.actions.templates import rights as actions
from unisequa.actions.templates.library import duplicate
from unisequa.core.calendars.words import day_words
from unisequa.core.design.difference_words import Told
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.store.store import Session
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import Posted, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()

MOST_DEEDS = 200


@dataclass(frozen=True, slots=True)
class EditionRow:
    """One edition in the list."""

    number: int
    state: str
    changed: str
    by: str
    note: str
    steps: int
    runs: int


@dataclass(frozen=True, slots=True)
class Deed:
    """Something somebody did."""

    at: str
    who: str
    text: str
    undone: bool = False


RIGHT_WORDS = {
    "edit": "edit it",
    "start and look": "start it and see its runs",
    "start": "start it and see the runs they started",
    "look": "see it and its runs",
}
OPEN_WORDS = {
    "start and look": "start runs of it and see them all",
    "start": "start runs of it and see their own",
    "look": "see it and its runs",
    "nothing": "not see it",
}


@dataclass(frozen=True, slots=True)
class EditionsPage:
    """The page; ``changes`` are those from edition ``old`` to ``new``, when two are compared."""

    section: str
    id: int
    name: str
    owner: str
    editor: bool
    own: bool
    lines: tuple[EditionRow, ...]
    old: int
    new: int
    changes: tuple[Told, ...] | None
    happened: tuple[Deed, ...]
    open_to: str
    rights: tuple[tuple[str, str, str], ...]
    others: tuple[tuple[int, str], ...]
    teams: tuple[tuple[int, str], ...]
    faults: dict[str, str] = field(default_factory=dict)
    right_words: dict[str, str] = field(default_factory=lambda: RIGHT_WORDS)
    open_words: dict[str, str] = field(default_factory=lambda: OPEN_WORDS)


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
    request: Request, me: SignedIn, store: StoreOf, template_id: Id, old: Number = None, new: Number = None
) -> Response:
    """The editions, two of them compared when asked."""
    with store.reading() as session:
        page = _page(session, me, template_id, old, new)
    return render(request, "template/editions.html", page)


def _page(
    session: Session,
    me: Actor,
    template_id: int,
    old: int | None = None,
    new: int | None = None,
    faults: dict[str, str] | None = None,
) -> EditionsPage:
    seen = editions.see_editions(session, me, template_id, old, new)
    return EditionsPage(
        "library",
        template_id,
        seen.name,
        seen.owner,
        "change a draft" in seen.acts,
        "manage the template" in seen.acts,
        tuple(
            EditionRow(
                line.number, line.state, day_words(line.at.date(), year=True), line.by, line.note, line.steps, line.runs
            )
            for line in seen.lines
        ),
        seen.old,
        seen.new,
        seen.changes,
        tuple(Deed(_moment(one.at), one.who, one.text, one.undone) for one in seen.happened[:MOST_DEEDS]),
        seen.open_to,
        seen.rights,
        tuple((person.id, person.name) for person in people(session) if person.id != seen.owner_id),
        tuple((team.id, team.name) for team in teams(session)),
        faults or {},
    )


def _moment(at: dt.datetime) -> str:
    return f"{day_words(at.date(), year=True)}, {at:%H:%M}"


@router.get("/templates/{template_id}/release")
def release_box(request: Request, me: SignedIn, store: StoreOf, template_id: Id) -> Response:
    """What a release would change, and room for a note."""
    with store.reading() as session:
        draft = editions.releasable(session, me, template_id)
    box = ReleaseBox(template_id, draft.number, draft.before, draft.changes, draft.steps)
    return render(request, "template/_release.html", box)


@router.post("/templates/{template_id}/release")
def release(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: Id) -> Response:
    """Release the draft."""
    note = text_field(form, "note", 2000)
    return _done(request, me, store, template_id, lambda s: editions.release(s, me, template_id, note), page=False)


@router.post("/templates/{template_id}/discard")
def discard(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: Id) -> Response:
    """Throw the draft away."""
    return _done(request, me, store, template_id, lambda s: editions.discard_draft(s, me, template_id))


@router.post("/templates/{template_id}/editions/{number}/{what}")
def one_edition(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: Id, number: Id, what: str
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
def rights(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: Id) -> Response:
    """Who may edit, start and look."""
    everybody, person, right = (
        text_field(form, "open_to", 20),
        text_field(form, "person", 20),
        text_field(form, "right", 20),
    )

    def change(session: Session) -> None:
        number = number_in(person)
        if everybody:
            actions.open_to(session, me, template_id, everybody)
        elif right == "own":
            actions.hand_over(session, me, template_id, number)
        elif person.startswith("team:"):
            actions.give_team_right(session, me, template_id, number_in(person.removeprefix("team:")), right)
        else:
            actions.give_right(session, me, template_id, number, right)

    return _done(request, me, store, template_id, change)


@router.post("/templates/{template_id}/duplicate")
def copy(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: Id) -> Response:
    """A copy as a draft of one's own."""
    with store.writing() as session:
        where = duplicate(session, me, template_id)
    return RedirectResponse(f"/templates/{where}", status_code=303)


def _done(
    request: Request, me: Actor, store: StoreOf, template_id: int, act: Callable[[Session], Any], *, page: bool = True
) -> Response:
    try:
        with store.writing() as session:
            act(session)
    except Refused as error:
        with store.reading() as session:
            page_again = _page(session, me, template_id, faults=error.faults)
        return form_again(request, "template/editions.html", page_again, error.faults)
    where = f"/templates/{template_id}/editions" if page else f"/templates/{template_id}"
    return RedirectResponse(where, status_code=303)
