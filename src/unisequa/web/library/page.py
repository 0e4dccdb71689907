"""The library: which template?"""

from __future__ import annotations

from dataclasses import dataclass, replace

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor
from unisequa.actions.templates import library as actions
from unisequa.core.calendars.words import count_words, day_words
from unisequa.core.design.fields.entries import field_text
from unisequa.core.design.fields.values import duration_text
from unisequa.core.design.rows import rows
from unisequa.core.documents.conditions import condition_words
from unisequa.core.documents.template import Step, Template
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import asks_for_piece, render
from unisequa.web.session import Posted, SignedIn, StoreOf, field

router = APIRouter()
OPEN_TO = {
    "start and look": "all may start it", "start": "all may start it", "look": "all may look at it",
    "nothing": "only for those named",
}  # fmt: skip
STATES = (("released", "Released"), ("draft", "With a draft"), ("retired", "Retired"))


@dataclass(frozen=True, slots=True)
class TemplateLine:
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
    tags: tuple[str, ...]
    usual_for: str
    by_itself: str


@dataclass(frozen=True, slots=True)
class LibraryPage:
    """The list with what it was searched by."""

    section: str
    templates: tuple[TemplateLine, ...]
    categories: tuple[str, ...]
    tags: tuple[str, ...]
    owners: tuple[tuple[int, str], ...]
    states: tuple[tuple[str, str], ...]
    search: actions.Search
    any_at_all: bool
    new_name: str = ""
    new_category: str = ""
    new_anchors: str = ""
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
    tag: str = "",
) -> Response:
    """The list, or only its rows when a script asks."""
    search = actions.Search(text[:200], category[:80], number_in(owner), state[:20], tag[:200])
    page = _page(store, me, search)
    return render(request, "library/_rows.html" if asks_for_piece(request) else "library/page.html", page)


def _page(store: StoreOf, me: Actor, search: actions.Search | None = None) -> LibraryPage:
    search = search or actions.Search()
    with store.reading() as session:
        seen = actions.library(session, me, search)
    return LibraryPage(
        "library",
        tuple(
            TemplateLine(
                id=entry.id,
                name=entry.name,
                category=entry.category,
                purpose=entry.purpose,
                owner=entry.owner,
                steps=entry.steps,
                days=entry.days,
                started=entry.started,
                changed=day_words(entry.changed_at.date(), year=True),
                edition=entry.edition,
                state=entry.state,
                draft=entry.has_draft,
                startable=entry.startable,
                open_to=OPEN_TO[entry.open_to],
                tags=entry.tags,
                usual_for=entry.usual_for,
                by_itself=_by_itself(entry.rules, entry.messages),
            )
            for entry in seen.entries
        ),
        seen.categories,
        seen.tags,
        seen.owners,
        STATES,
        search,
        seen.any_at_all,
    )


def _by_itself(rules: int, messages: int) -> str:
    """``2 rules, 1 message``, or what of it there is."""
    return ", ".join(count_words(n, what) for n, what in ((rules, "rule"), (messages, "message")) if n)


@router.get("/library/{template_id}/preview")
def preview(request: Request, me: SignedIn, store: StoreOf, template_id: Id) -> Response:
    """What is in a template, without opening it."""
    with store.reading() as session:
        template = actions.shown_template(session, me, template_id).template
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
                field_text(template, step, "when") or _after(field_text(template, step, "follows")),
                _lasts(template, step),
                shown.depth,
                condition=condition_words(step.only_if, template) if step.only_if else "",
            )
        )
    page = Preview(
        template_id,
        template.purpose,
        tuple(lines),
        ", ".join(role.label for role in template.roles) or "none",
        ", ".join(anchor.label for anchor in template.anchors) or "none",
        ", ".join(fact.label for fact in template.facts) or "nothing",
    )
    return render(request, "library/_preview.html", page)


def _after(follows: str) -> str:
    return follows if not follows or follows.startswith(("starts with ", "ends ")) else f"after {follows}"


def _lasts(template: Template, step: Step) -> str:
    if any(other.parent == step.key for other in template.steps):
        return ""
    if template.grid == "minute":
        return duration_text(template, step)
    return "milestone" if step.days == 0 else count_words(step.days, "day")


@router.post("/library")
def new_template(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Begin a template."""
    name, category, anchors = field(form, "name", 300), field(form, "category", 80), field(form, "anchors", 2000)
    try:
        with store.writing() as session:
            where = actions.create_template(session, me, name, category, anchors)
    except Refused as error:
        page = _page(store, me)
        page = replace(page, new_name=name, new_category=category, new_anchors=anchors, faults=error.faults)
        return form_again(request, "library/page.html", page, error.faults)
    return RedirectResponse(f"/templates/{where}", status_code=303)
