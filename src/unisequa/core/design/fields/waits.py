"""What a step waits for in the runs of other templates: typed, told in words, and looked over.

A line is one wait: ``Month-end close: closed`` waits for that step in the run that has the same date for the first
anchor. ``on Period end`` names another of our anchors, ``on Period end = cutoff`` also what they call it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from unisequa.core.design.findings import Finding
from unisequa.core.documents.includes import Library, laid_open
from unisequa.core.documents.template import Step, Template, Wait
from unisequa.core.errors import DocumentError, TypedError, did_you_mean

_LINE = re.compile(
    r"^(?P<template>.+?)\s*:\s*(?P<step>[a-z][a-z0-9_.-]*)"
    r"(?:\s+on\s+(?P<anchor>.+?)(?:\s*=\s*(?P<theirs>[a-z][a-z0-9_-]*))?)?$"
)
Node = tuple[str, str]


def typed_waits(text: str, template: Template) -> tuple[Wait, ...]:
    """The waits that somebody typed, one a line.

    Raises
    ------
    TypedError
        Naming the line that is none.
    """
    return tuple(_typed(line, template) for line in text.splitlines() if line.strip())


def _typed(line: str, template: Template) -> Wait:
    line_match = _LINE.match(" ".join(line.split()))
    if not line_match:
        raise TypedError(f'"{line.strip()}" is no wait; write the template, a colon, the step: Month-end close: closed')
    if not template.anchors:
        raise TypedError("there is no anchor whose date tells which run is meant; add one first")
    anchor = _anchor(line_match["anchor"] or "", template)
    theirs = line_match["theirs"] if line_match["theirs"] != anchor else None
    return Wait(template=line_match["template"], step=line_match["step"], anchor=anchor, their_anchor=theirs)


def _anchor(word: str, template: Template) -> str:
    if not word:
        return template.anchors[0].key
    for anchor in template.anchors:
        if word.casefold() in {anchor.key, anchor.label.casefold()}:
            return anchor.key
    raise TypedError(f'no anchor "{word}"{did_you_mean(word, [anchor.label for anchor in template.anchors])}')


def waits_text(waits: Iterable[Wait], template: Template) -> str:
    """Waits as they are typed, one way back from :func:`typed_waits`."""
    first = template.anchors[0].key if template.anchors else ""
    lines = []
    for wait in waits:
        theirs = f" = {wait.their_anchor}" if wait.their_anchor else ""
        on = f" on {wait.anchor}{theirs}" if theirs or wait.anchor != first else ""
        lines.append(f"{wait.template}: {wait.step}{on}")
    return "\n".join(lines)


def wait_words(wait: Wait, template: Template, library: Library) -> str:
    """A wait as people say it: ``Books closed of Month-end close, same Period end``."""
    other = library.find(wait.template)
    step = next((s for s in _opened(other, library).steps if s.key == wait.step), None) if other else None
    anchor = next((a.label for a in template.anchors if a.key == wait.anchor), wait.anchor)
    return f"{step.title if step else wait.step} of {other.name if other else wait.template}, same {anchor}"


def waits_over(template: Template, library: Library) -> Iterator[Finding]:
    """What there is to mend in a template's waits: what is not there, and circles from job to job."""
    for step in template.steps:
        for wait in step.waits_for:
            text, bars = _fault(template, step, wait, library)
            if text:
                yield Finding("elsewhere", f"{step.title} {text}", "steps", step.key, "waits_for", bars)


def _fault(template: Template, step: Step, wait: Wait, library: Library) -> tuple[str, bool]:
    other = library.find(wait.template)
    if other is None:
        return f"waits for {wait.template}, of which nothing is released yet; until then it waits for nothing", False
    opened = _opened(other, library)
    keys = [one.key for one in opened.steps]
    if wait.step not in keys:
        return f'waits for "{wait.step}", which {other.name} does not have{did_you_mean(wait.step, keys)}', True
    anchors = [anchor.key for anchor in opened.anchors]
    if wait.theirs not in anchors:
        return f'waits by the date "{wait.theirs}", which {other.name} does not have; it has {", ".join(anchors)}', True
    if circle := circle_of(template, step.key, wait, library):
        return f"would wait in a circle: {' → '.join(circle)}", True
    return "", False


def circle_of(template: Template, key: str, wait: Wait, library: Library) -> list[str] | None:
    """The titles along the circle that a wait would close, from job to job, or None.

    Searched backward: what must be finished before the step that is waited for, in whatever job, until that is the
    step that would wait, or a part of it.
    """
    jobs = {template.name: _opened(template, library)}
    own = _family(jobs[template.name], key)
    first = _node(wait, template, library)
    came: dict[Node, Node | None] = {first: None}
    queue = [first]
    for here in queue:
        if here[0] == template.name and here[1] in own:
            way: list[str] = []
            at: Node | None = here
            while at is not None:
                step = next((s.title for s in jobs[at[0]].steps if s.key == at[1]), at[1])
                way.append(step if at[0] == template.name else f"{step} ({at[0]})")
                at = came[at]
            title = next((step.title for step in template.steps if step.key == key), key)
            return [*dict.fromkeys(way), title]
        if here[0] not in jobs:
            awaited = library.find(here[0])
            if awaited is None:
                continue
            jobs[here[0]] = _opened(awaited, library)
        for before in _before(jobs[here[0]], here, template, library):
            if before not in came:
                came[before] = here
                queue.append(before)
    return None


def _node(wait: Wait, template: Template, library: Library) -> Node:
    awaited = library.find(wait.template)
    same = Library([(template.name, template)]).find(wait.template)
    return (template.name if same else awaited.name if awaited else wait.template, wait.step)


def _before(job: Template, here: Node, template: Template, library: Library) -> Iterator[Node]:
    """What must be finished before a step can be, in its job and in others."""
    family = _family(job, here[1])
    for link in job.links:
        if link.to in family:
            yield job.name, link.from_
    for step in job.steps:
        if step.key in family:
            for wait in step.waits_for:
                yield _node(wait, template, library)


def _family(job: Template, key: str) -> set[str]:
    """A step with what it is a part of and what is a part of it."""
    parents = {step.key: step.parent for step in job.steps}
    family = {key}
    above = parents.get(key)
    while above is not None and above not in family:
        family.add(above)
        above = parents.get(above)
    below: Sequence[str] = [key]
    while below:
        below = [child for child, parent in parents.items() if parent in below and child not in family]
        family.update(below)
    return family


def _opened(template: Template, library: Library) -> Template:
    try:
        return laid_open(template, library)
    except DocumentError:
        return template
