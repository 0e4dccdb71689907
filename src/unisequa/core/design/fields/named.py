"""Fields that touch more than the step: its role, its phase, what it is part of."""

from __future__ import annotations

import difflib
from collections.abc import Sequence

from unisequa.core.design.editing import add_named
from unisequa.core.design.rows import Place, move, place_behind, rows, tops
from unisequa.core.documents.template import Template
from unisequa.core.errors import EditError, did_you_mean


def role_named(template: Template, word: str) -> tuple[Template, str | None]:
    """The role of that name, made where there is none; a name much like another's must be told with ``+``."""
    name = word.removeprefix("+").strip()
    if not name:
        return template, None
    for role in template.roles:
        if name.casefold() in {role.key, role.label.casefold()}:
            return template, role.key
    near = difflib.get_close_matches(name.casefold(), [role.label.casefold() for role in template.roles], 1, 0.75)
    if near and not word.startswith("+"):
        label = next(role.label for role in template.roles if role.label.casefold() == near[0])
        raise EditError("role", f'no role "{name}"; did you mean {label}? For a new role type +{name}')
    edited, key = add_named(template, "roles", name)
    return edited, key


def to_phase(template: Template, keys: Sequence[str], word: str) -> Template:
    """Steps moved to the end of the phase of that name, made where there is none."""
    phase = None
    if word:
        phase = next((p.key for p in template.phases if word.casefold() in {p.key, p.label.casefold()}), None)
        if phase is None:
            template, phase = add_named(template, "phases", word)
    here = {row.step.key: row.phase for row in rows(template)}
    wanted = [key for key in tops(template, keys) if here[key] != phase]
    there = [key for key, its_phase in here.items() if its_phase == phase]
    return move(template, wanted, Place(there[-1] if there else None, phase)) if wanted else template


def to_parent(template: Template, keys: Sequence[str], word: str) -> Template:
    """Steps made parts of a step, by its key or title; of none without a word."""
    for key in keys:
        if not word:
            place = place_behind(template, key, 0)
        else:
            parent = next((s for s in template.steps if word.casefold() in {s.key, s.title.casefold()}), None)
            if parent is None:
                raise EditError("parent", f'no step "{word}"{did_you_mean(word, [s.key for s in template.steps])}')
            inside = [row for row in rows(template) if row.step.parent == parent.key]
            place = Place(inside[-1].step.key if inside else parent.key, parent.phase, parent.key)
        template = move(template, [key], place)
    return template
