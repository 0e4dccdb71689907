"""What of a template is retired and used by nothing any more: it is not asked for, not filled and not shown."""

from __future__ import annotations

import re
from collections.abc import Iterator

from unisequa.core.documents.template import Template

_WORD = re.compile(r"[a-z][a-z0-9_-]*")


def without_retired(template: Template) -> Template:
    """The template without anchors, roles, facts and phases that are retired and that nothing in it uses."""
    parts = ("anchors", "roles", "facts", "phases")
    if not any(item.retired for part in parts for item in getattr(template, part)):
        return template
    used = {part: set(_used(template, part)) for part in parts}
    words = set(_WORD.findall(" ".join(_texts(template))))
    return template.model_copy(
        update={
            part: tuple(
                item
                for item in getattr(template, part)
                if not item.retired or item.key in used[part] or (part != "phases" and item.key in words)
            )
            for part in parts
        }
    )


def _used(template: Template, part: str) -> Iterator[str]:
    """The keys that steps and the rest name, again and again."""
    for step in template.steps:
        if part == "anchors":
            yield from (one.anchor for one in (step.when, step.not_before, step.deadline, *step.waits_for) if one)
        elif part == "roles":
            yield step.role or ""
            yield from (message.to for message in step.messages)
            if step.sign_off:
                yield step.sign_off.role
        elif part == "phases":
            yield step.phase or ""
    for include in template.includes:
        mapped = {"anchors": include.anchors, "roles": include.roles}.get(part, {})
        yield from mapped.values()
        if part == "phases":
            yield include.phase or ""
    if part == "anchors":
        yield template.ends or ""
        yield from (label.anchor for label in template.day_labels)
        yield from (anchor.from_.anchor for anchor in template.anchors if anchor.from_ and not anchor.retired)


def _texts(template: Template) -> Iterator[str]:
    """Where facts, anchors and roles are named in words: titles, instructions, conditions."""
    yield from (template.naming, template.instructions, template.purpose)
    for step in template.steps:
        yield from (step.title, step.instructions, step.only_if or "")
        yield from (text for message in step.messages for text in (message.subject, message.text))
        if step.sign_off:
            yield step.sign_off.until or ""
