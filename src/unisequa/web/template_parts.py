"""A template's name and purpose, phases, roles and anchors."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.core import editing
from unisequa.core.document import Template
from unisequa.web.session import Posted, SignedIn, StoreOf, field
from unisequa.web.templates_page import Held, carry_out

router = APIRouter()
PARTS = {"phases", "roles", "anchors"}


@router.post("/templates/{template_id}/about")
def change_about(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int) -> Response:
    """Name, category, purpose or naming pattern."""
    name, value = field(form, "field", 40), field(form, "value").strip()

    def edit(template: Template) -> Template:
        if name not in {"name", "category", "purpose", "naming"}:
            raise editing.EditError("name", f'a template has no field "{name}"')
        return editing.changed(template, **{name: value})

    held = Held(selected=field(form, "selected", 80), typed={name: value}, at="about")
    return carry_out(request, me, store, template_id, edit, f"{name} changed", held)


@router.post("/templates/{template_id}/{part}/add")
def add_named(request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, part: str) -> Response:
    """A new phase, role or anchor."""
    label = field(form, "value", 300)

    def edit(template: Template) -> Template:
        return editing.add_named(template, _known(part), label)

    held = Held(selected=field(form, "selected", 80), typed={f"new-{part}": label}, at=f"new-{part}")
    return carry_out(request, me, store, template_id, edit, f"{part[:-1]} added: {label}", held)


@router.post("/templates/{template_id}/{part}/{key}/change")
def change_named(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, part: str, key: str
) -> Response:
    """The label of a phase, role or anchor; how a role is filled; whether an anchor is required."""
    name, value = field(form, "field", 40), field(form, "value").strip()

    def edit(template: Template) -> Template:
        values: dict[str, Any]
        if name == "label":
            values = {"label": value}
        elif name == "fill" and part == "roles":
            values = {"fill": {"by": value}}
        elif name == "required" and part == "anchors":
            values = {"required": value == "yes"}
        else:
            raise editing.EditError("label", f'there is no field "{name}"')
        return editing.change_named(template, _known(part), key, **values)

    held = Held(selected=field(form, "selected", 80), typed={name: value}, at=f"{part}-{key}")
    return carry_out(request, me, store, template_id, edit, f"{part[:-1]} changed: {value}", held)


@router.post("/templates/{template_id}/{part}/{key}/remove")
def remove_named(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, part: str, key: str
) -> Response:
    """Take a phase, role or anchor out, unless a step uses it."""

    def edit(template: Template) -> Template:
        return editing.remove_named(template, _known(part), key)

    held = Held(selected=field(form, "selected", 80), at=f"{part}-{key}")
    return carry_out(request, me, store, template_id, edit, f"{part[:-1]} removed: {key}", held)


@router.post("/templates/{template_id}/{part}/{key}/move")
def move_named(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, template_id: int, part: str, key: str
) -> Response:
    """A phase, role or anchor one place up or down."""
    by = -1 if field(form, "by", 5) == "up" else 1

    def edit(template: Template) -> Template:
        return editing.move_named(template, _known(part), key, by=by)

    held = Held(selected=field(form, "selected", 80))
    return carry_out(request, me, store, template_id, edit, f"{part[:-1]} moved: {key}", held)


def _known(part: str) -> str:
    if part not in PARTS:
        raise editing.EditError("label", "a template has phases, roles and anchors")
    return part
