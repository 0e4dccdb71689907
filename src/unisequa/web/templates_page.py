"""A template: its sheet of steps, the panel of the selected one, and its editions."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter, Request
from sqlalchemy.orm import Session
from starlette.responses import RedirectResponse, Response

from unisequa.actions import templates as actions
from unisequa.actions.errors import Refused
from unisequa.core import editing
from unisequa.core.document import Step, Template
from unisequa.core.typed import TypedError, follows_words, typed_when, when_words
from unisequa.core.words import day_words
from unisequa.store.models import Edition, Person
from unisequa.store.plans import template_of
from unisequa.web.pages import render
from unisequa.web.session import Posted, SignedIn, StoreOf
from unisequa.web.session import field as text_field
from unisequa.web.sheet.template_sheet import TemplateSheet, template_sheet

router = APIRouter()

KINDS = ("todo", "meeting", "call", "message", "document", "sign-off")
KIND_WORDS = {"todo": "To do", "sign-off": "Sign-off"}
ROLLS = {
    "following": "the next working day",
    "preceding": "the one before",
    "modified following": "next, within the month",
    "modified preceding": "before, within the month",
    "none": "stays on the day off",
}


@dataclass(frozen=True, slots=True)
class StepPanel:
    """The selected step, every field as it is typed."""

    key: str
    values: Mapping[str, str]
    followers: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class EditionLine:
    """One edition in the list."""

    number: int
    state: str
    changed: str
    by: str
    note: str
    steps: int


@dataclass(frozen=True, slots=True)
class TemplateWork:
    """The part of the page that a script swaps."""

    id: int
    template: Template
    edition: int
    state: str
    editable: bool
    mine: bool
    owner: str
    sheet: TemplateSheet
    selected: str
    panel: StepPanel | None
    checks: tuple[str, ...]
    faults: Mapping[str, str]
    typed: Mapping[str, str]
    at: str
    toast: str
    editions: tuple[EditionLine, ...]
    kinds: tuple[tuple[str, str], ...]
    phase_choices: list[tuple[str, str]]
    role_choices: list[tuple[str, str]]
    roll_choices: list[tuple[str, str]]
    startable: bool


@dataclass(frozen=True, slots=True)
class TemplatePage:
    """The whole page."""

    section: str
    work: TemplateWork


@dataclass(frozen=True, slots=True)
class Held:
    """What the browser holds: the selected step, and what was refused with what was typed."""

    selected: str = ""
    faults: Mapping[str, str] = field(default_factory=dict)
    typed: Mapping[str, str] = field(default_factory=dict)
    at: str = ""
    toast: str = ""


@router.get("/templates/{template_id}")
def template_page(
    request: Request, me: SignedIn, store: StoreOf, template_id: int, edition: int | None = None, step: str = ""
) -> Response:
    """A template: the owner's draft, or the newest released edition."""
    with store.reading() as session:
        row = actions.edition_of(session, me, template_id, edition)
        piece = work(session, me, row, Held(selected=step))
    return render(request, "template.html", TemplatePage("library", piece))


@router.get("/templates/{template_id}/file")
def template_file(me: SignedIn, store: StoreOf, template_id: int, edition: int | None = None) -> Response:
    """The edition as its open document."""
    with store.reading() as session:
        row = actions.edition_of(session, me, template_id, edition)
        text = json.dumps(row.document, ensure_ascii=False, indent=2) + "\n"
        name = editing.slug(row.document["name"], fallback="template")
    headers = {"content-disposition": f'attachment; filename="{name}.json"'}
    return Response(text, media_type="application/json", headers=headers)


def work(session: Session, me: Person, row: Edition, held: Held) -> TemplateWork:
    """An edition with its sheet, panel and checks."""
    template = template_of(row)
    mine = row.template.owner_id == me.id
    newest = row.number == row.template.editions[-1].number
    steps = {step.key: step for step in template.steps}
    selected = held.selected if held.selected in steps else ""
    sheet = template_sheet(template)
    checks = tuple(actions.faults_before_release(template))
    return TemplateWork(
        id=row.template_id,
        template=template,
        edition=row.number,
        state=row.state,
        editable=mine and newest,
        mine=mine,
        owner=row.template.owner.name,
        sheet=sheet,
        selected=selected,
        panel=_panel(template, steps[selected], held) if selected else None,
        checks=checks,
        faults=held.faults,
        typed=held.typed,
        at=held.at,
        toast=held.toast,
        editions=tuple(_edition(e) for e in reversed(row.template.editions) if e.state != "draft" or mine),
        kinds=tuple((kind, KIND_WORDS.get(kind, kind.capitalize())) for kind in KINDS),
        phase_choices=[(phase.key, phase.label) for phase in template.phases],
        role_choices=[(role.key, role.label) for role in template.roles],
        roll_choices=list(ROLLS.items()),
        startable=bool(template.steps) and not checks and (row.state == "released" or mine),
    )


def _edition(row: Edition) -> EditionLine:
    return EditionLine(
        row.number,
        row.state,
        day_words(row.changed_at.date(), year=True),
        row.changed_by.name,
        row.note,
        len(row.document.get("steps", [])),
    )


def _panel(template: Template, step: Step, held: Held) -> StepPanel:
    titles = {s.key: s.title for s in template.steps}
    into = [link for link in template.links if link.to == step.key]
    values = {
        "title": step.title,
        "phase": step.phase or "",
        "role": step.role or "",
        "kind": step.kind,
        "duration": str(step.days),
        "when": when_words(step.when, template.anchors) if step.when else "",
        "edge": step.when.edge if step.when else "finish",
        "roll": step.when.roll if step.when else "following",
        "follows": follows_words(into),
        "effort": step.effort or "",
        "priority": step.priority,
        "gate": step.gate,
        "sign_off": step.sign_off.role if step.sign_off else "",
        "may_skip": "yes" if step.may_skip else "",
        "only_if": step.only_if or "",
        "instructions": step.instructions,
    }
    values |= held.typed if held.at == step.key else {}
    followers = tuple((link.to, titles.get(link.to, link.to)) for link in template.links if link.from_ == step.key)
    return StepPanel(step.key, values, followers)


@router.post("/templates/{template_id}/steps")
def add_step(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """A new step, at the end of a phase or behind another."""
    title, phase, after = text_field(form, "title", 300), text_field(form, "phase", 80), text_field(form, "after", 80)
    made: list[str] = []

    def edit(template: Template) -> Template:
        edited, key = editing.add_step(template, title, phase=phase or None, after=after or None)
        made.append(key)
        return edited

    held = Held(selected=text_field(form, "selected", 80), typed={"new-title": title}, at=f"new-{phase}")
    return carry_out(request, me, store, template_id, edit, f"Step added: {title}", held, made)


@router.post("/templates/{template_id}/steps/{key}")
def change_step(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, key: str) -> Response:
    """One field of a step, as it was typed."""
    name, value = text_field(form, "field", 40), text_field(form, "value")

    def edit(template: Template) -> Template:
        return _typed_change(template, key, name, value)

    held = Held(selected=text_field(form, "selected", 80), typed={name: value}, at=key)
    return carry_out(request, me, store, template_id, edit, f"{key}: {name} changed", held)


def _typed_change(template: Template, key: str, name: str, value: str) -> Template:
    text = value.strip()
    if name == "follows":
        return editing.set_follows(template, key, text)
    step = next((s for s in template.steps if s.key == key), None)
    if step is None:
        raise editing.EditError("title", f'the step "{key}" is not there any more; somebody may have taken it out')
    if name in {"when", "edge", "roll"}:
        return _change_when(template, step, name, text)
    changes: dict[str, Any]
    if name == "duration":
        digits = text.removesuffix("d").strip()
        if not digits.isascii() or not digits.isdigit():
            raise editing.EditError(
                "duration", f'"{text}" is no number of working days; type 0 for a milestone, 1, 2 …'
            )
        changes = {"duration": int(digits)}
    elif name == "role":
        changes = {"role": _role_key(template, text)}
    elif name == "sign_off":
        role = _role_key(template, text)
        changes = {"sign_off": {"role": role} if role else None}
    elif name == "may_skip":
        changes = {"may_skip": text == "yes"}
    elif name in {"effort", "only_if", "phase"}:
        changes = {name: text or None}
    elif name in {"title", "kind", "priority", "gate"}:
        changes = {name: text}
    elif name == "instructions":
        changes = {name: value.replace("\r\n", "\n")}
    else:
        raise editing.EditError("title", f'a step has no field "{name}"')
    return editing.change_step(template, key, **changes)


def _change_when(template: Template, step: Step, name: str, text: str) -> Template:
    if name == "when":
        try:
            when = typed_when(text, template.anchors, step.when)
        except TypedError as error:
            raise editing.EditError("when", str(error)) from None
        written = when.model_dump(mode="json") if when else None
        return editing.change_step(template, step.key, when=written)
    if step.when is None:
        raise editing.EditError(name, "this step is not measured from an anchor; type its offset first")
    return editing.change_step(template, step.key, when={**step.when.model_dump(mode="json"), name: text})


def _role_key(template: Template, text: str) -> str | None:
    if not text:
        return None
    for role in template.roles:
        if text.lower() in {role.key, role.label.lower()}:
            return role.key
    names = ", ".join(role.label for role in template.roles) or "none yet; add it under Roles"
    raise editing.EditError("role", f'no role "{text}"; there is {names}')


@router.post("/templates/{template_id}/steps/{key}/remove")
def remove_step(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, key: str) -> Response:
    """Take a step out; what follows it is let follow what it follows only when asked for."""
    bridge = text_field(form, "bridge", 5) == "yes"

    def edit(template: Template) -> Template:
        return editing.remove_step(template, key, bridge=bridge)

    return carry_out(request, me, store, template_id, edit, f"Step removed: {key}", Held(selected=key, at=key))


@router.post("/templates/{template_id}/steps/{key}/move")
def move_step(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, key: str) -> Response:
    """A step one row up or down."""
    by = -1 if text_field(form, "by", 5) == "up" else 1
    held = Held(selected=text_field(form, "selected", 80))
    return carry_out(
        request, me, store, template_id, lambda t: editing.move_step(t, key, by=by), f"Step moved: {key}", held
    )


def carry_out(
    request: Request,
    me: Person,
    store: StoreOf,
    template_id: int,
    edit: Any,
    what: str,
    held: Held,
    made: list[str] | None = None,
) -> Response:
    """Make an edit of the draft and answer with the page's working part, or with the fault beside its field."""
    status = 200
    try:
        with store.writing() as session:
            actions.edit_draft(session, me, template_id, edit, what)
        held = Held(selected=made[-1] if made else held.selected)
    except Refused as error:
        held = Held(held.selected, error.faults, held.typed, held.at, "" if held.at else str(error))
        status = 422
    with store.reading() as session:
        row = actions.edition_of(session, me, template_id)
        piece = work(session, me, row, held)
    return render(request, "template_work.html", {"work": piece}, status=status)


@router.post("/templates/{template_id}/release")
def release(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """Release the draft."""
    try:
        with store.writing() as session:
            actions.release(session, me, template_id, text_field(form, "note", 2000))
    except Refused as error:
        return _again(request, me, store, template_id, error)
    return RedirectResponse(f"/templates/{template_id}", status_code=303)


@router.post("/templates/{template_id}/discard")
def discard(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """Throw the draft away."""
    try:
        with store.writing() as session:
            actions.discard_draft(session, me, template_id)
    except Refused as error:
        return _again(request, me, store, template_id, error)
    return RedirectResponse(f"/templates/{template_id}", status_code=303)


def _again(request: Request, me: Person, store: StoreOf, template_id: int, error: Refused) -> Response:
    with store.reading() as session:
        row = actions.edition_of(session, me, template_id)
        piece = work(session, me, row, Held(faults=error.faults, toast=str(error)))
    return render(request, "template.html", TemplatePage("library", piece), status=422)
