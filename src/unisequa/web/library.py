"""The library: which template?"""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions import templates as actions
from unisequa.actions.errors import Refused
from unisequa.core.outline import outline
from unisequa.store.models import Person
from unisequa.web.pages import asks_for_piece, render
from unisequa.web.session import Posted, SignedIn, StoreOf, field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class Shelf:
    """A template in the list; ``days`` is its length in working days."""

    id: int
    name: str
    category: str
    purpose: str
    owner: str
    steps: int
    days: int
    started: int
    changed: str
    edition: int
    state: str
    draft: bool
    mine: bool


@dataclass(frozen=True, slots=True)
class LibraryPage:
    """The list with what it was searched by."""

    section: str
    shelves: tuple[Shelf, ...]
    categories: tuple[str, ...]
    text: str
    category: str
    any_at_all: bool
    new_name: str = ""
    new_category: str = ""
    faults: dict[str, str] | None = None


@router.get("/library")
def library(request: Request, me: SignedIn, store: StoreOf, text: str = "", category: str = "") -> Response:
    """The list, or only its rows when a script asks."""
    page = _page(store, me, text[:200], category[:80])
    return render(request, "library_rows.html" if asks_for_piece(request) else "library.html", page)


def _page(store: StoreOf, me: Person, text: str = "", category: str = "") -> LibraryPage:
    with store.reading() as session:
        entries = actions.library(session, me, text, category)
        categories = tuple(actions.categories(session))
        any_at_all = bool(entries) or bool(actions.library(session, me))
        shelves = tuple(_shelf(entry, me) for entry in entries)
    return LibraryPage("library", shelves, categories, text, category, any_at_all)


def _shelf(entry: actions.LibraryEntry, me: Person) -> Shelf:
    from unisequa.core.words import day_words

    return Shelf(
        id=entry.row.id,
        name=entry.template.name,
        category=entry.template.category,
        purpose=entry.template.purpose,
        owner=entry.row.owner.name,
        steps=len(entry.template.steps),
        days=outline(entry.template).length,
        started=entry.started,
        changed=day_words(entry.edition.changed_at.date(), year=True),
        edition=entry.edition.number,
        state=entry.edition.state,
        draft=entry.has_draft and entry.row.owner_id == me.id,
        mine=entry.row.owner_id == me.id,
    )


@router.post("/library")
def new_template(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Begin a template."""
    name, category = field(form, "name", 300), field(form, "category", 80)
    try:
        with store.writing() as session:
            edition = actions.create_template(session, me, name, category)
    except Refused as error:
        page = _page(store, me)
        values = {f: getattr(page, f) for f in page.__dataclass_fields__}
        values |= {"new_name": name, "new_category": category, "faults": error.faults}
        return render(request, "library.html", LibraryPage(**values), status=422)
    return RedirectResponse(f"/templates/{edition.template_id}", status_code=303)
