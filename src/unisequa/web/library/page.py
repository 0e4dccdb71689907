"""The library: which template?"""

from __future__ import annotations

from dataclasses import dataclass, replace

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.access import may
from unisequa.actions.errors import Refused
from unisequa.actions.templates import library as actions
from unisequa.actions.templates.drafts import template_row
from unisequa.actions.templates.editions import edition_of
from unisequa.actions.templates.shelf import Shelf as IncludedFrom
from unisequa.actions.templates.shelf import newest
from unisequa.core.calendars.words import count_words, day_words
from unisequa.core.design.fields import duration_text, field_text
from unisequa.core.design.outline import outline
from unisequa.core.design.rows import rows
from unisequa.core.documents.conditions import sentence
from unisequa.core.documents.includes import laid_open
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import DocumentError
from unisequa.store.documents import template_of
from unisequa.store.tables import Person
from unisequa.web.pages import asks_for_piece, render
from unisequa.web.session import Posted, SignedIn, StoreOf, field

router = APIRouter()
OPEN_TO = {"start": "all may start it", "look": "all may look at it", "nothing": "only for those named"}
STATES = (("released", "Released"), ("draft", "With a draft"), ("retired", "Retired"))


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
    startable: bool
    open_to: str


@dataclass(frozen=True, slots=True)
class LibraryPage:
    """The list with what it was searched by."""

    section: str
    shelves: tuple[Shelf, ...]
    categories: tuple[str, ...]
    owners: tuple[tuple[int, str], ...]
    states: tuple[tuple[str, str], ...]
    search: actions.Search
    any_at_all: bool
    new_name: str = ""
    new_category: str = ""
    faults: dict[str, str] | None = None


@dataclass(frozen=True, slots=True)
class PreviewLine:
    """A step in a preview; a phase's head has only a title."""

    title: str
    role: str
    due: str
    lasts: str
    depth: int
    phase: bool = False
    condition: str = ""


@dataclass(frozen=True, slots=True)
class Preview:
    """A template without opening it."""

    id: int
    purpose: str
    lines: tuple[PreviewLine, ...]
    roles: str
    anchors: str
    facts: str


@router.get("/library")
def library(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    text: str = "",
    category: str = "",
    owner: str = "",
    state: str = "",
) -> Response:
    """The list, or only its rows when a script asks."""
    search = actions.Search(text[:200], category[:80], int(owner) if owner.isdigit() else 0, state[:20])
    page = _page(store, me, search)
    return render(request, "library/_rows.html" if asks_for_piece(request) else "library/page.html", page)


def _page(store: StoreOf, me: Person, search: actions.Search | None = None) -> LibraryPage:
    search = search or actions.Search()
    with store.reading() as session:
        entries = actions.library(session, me, search)
        everything = entries if search == actions.Search() else actions.library(session, me)
        shelf = newest(session) if any(entry.template.includes for entry in entries) else None
        owners = {entry.row.owner_id: entry.row.owner.name for entry in everything}
        shelves = tuple(
            Shelf(
                id=entry.row.id,
                name=entry.template.name,
                category=entry.template.category,
                purpose=entry.template.purpose,
                owner=entry.row.owner.name,
                steps=_steps(entry.template, shelf),
                days=outline(entry.template, shelf.library if shelf and entry.template.includes else None).length,
                started=entry.started,
                changed=day_words(entry.edition.changed_at.date(), year=True),
                edition=entry.edition.number,
                state=entry.edition.state,
                draft=entry.has_draft,
                startable=entry.edition.state == "released" and may(entry.row, me, "start"),
                open_to=OPEN_TO[entry.row.open_to],
            )
            for entry in entries
        )
        return LibraryPage(
            "library",
            shelves,
            tuple(actions.categories(session)),
            tuple(sorted(owners.items(), key=lambda pair: pair[1])),
            STATES,
            search,
            bool(everything),
        )


def _steps(template: Template, shelf: IncludedFrom | None) -> int:
    """How many steps a template has, those of the templates it includes with it."""
    try:
        return len(laid_open(template, shelf.library if shelf else None).steps)
    except DocumentError:
        return len(template.steps)


@router.get("/library/{template_id}/preview")
def preview(request: Request, me: SignedIn, store: StoreOf, template_id: int) -> Response:
    """What is in a template, without opening it."""
    with store.reading() as session:
        row = template_row(session, template_id)
        edition = actions.shown_edition(row, me)
        if edition is None:
            edition = edition_of(session, me, template_id)
        template = template_of(edition)
    lines: list[PreviewLine] = []
    labels = {phase.key: phase.label for phase in template.phases}
    phase: str | None = None
    for shown in rows(template):
        if shown.phase != phase:
            phase = shown.phase
            lines.append(PreviewLine(labels.get(phase or "", "No phase"), "", "", "", 0, phase=True))
        step = shown.step
        lines.append(
            PreviewLine(
                step.title,
                field_text(template, step, "role"),
                field_text(template, step, "when") or field_text(template, step, "follows"),
                _lasts(template, step),
                shown.depth,
                condition=sentence(step.only_if, template) if step.only_if else "",
            )
        )
    found = Preview(
        template_id,
        template.purpose,
        tuple(lines),
        ", ".join(role.label for role in template.roles) or "none",
        ", ".join(anchor.label for anchor in template.anchors) or "none",
        ", ".join(fact.label for fact in template.facts) or "nothing",
    )
    return render(request, "library/_preview.html", found)


def _lasts(template: Template, step: Step) -> str:
    if any(other.parent == step.key for other in template.steps):
        return ""
    if template.grid == "minute":
        return duration_text(template, step)
    return "milestone" if step.days == 0 else count_words(step.days, "day")


@router.post("/library")
def new_template(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Begin a template."""
    name, category = field(form, "name", 300), field(form, "category", 80)
    try:
        with store.writing() as session:
            edition = actions.create_template(session, me, name, category)
    except Refused as error:
        page = replace(_page(store, me), new_name=name, new_category=category, faults=error.faults)
        return render(request, "library/page.html", page, status=422)
    return RedirectResponse(f"/templates/{edition.template_id}", status_code=303)
