"""The sheet of a template as numbers and words, for the script that draws it.

Places are working days of the outline (or days of the calendar in a rehearsal), not pixels: zoom, folding and
lanes are the browser's. Keys that say nothing are left out, so that 500 steps stay a small page.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from unisequa.core.calendars.grid import MINUTES, read_span
from unisequa.core.calendars.words import count_words
from unisequa.core.design.fields.entries import KINDS
from unisequa.core.design.fields.values import duration_text
from unisequa.core.design.findings import Finding, listed
from unisequa.core.design.following import StepNames, follows_words, lag_words, links_into
from unisequa.core.design.linking import names_of
from unisequa.core.design.offsets import when_words
from unisequa.core.design.outline import Outline
from unisequa.core.design.rows import rows
from unisequa.core.documents.conditions import condition_words
from unisequa.core.documents.includes import Library, Placed, titles_inside, whole
from unisequa.core.documents.template import DayLabel, Link, Step, Template
from unisequa.core.errors import DocumentError

MARGIN = 4
LEAST = 44
MOST_CHECKS = 100

Json = dict[str, Any]


def sheet_model(template: Template, seen: Outline, library: Library, checks: Iterable[Finding]) -> Json:
    """All that the sheet shows of a template."""
    entries = list(checks)
    lines_listed = listed(entries)
    into, names = links_into(template), names_of(template, titles_inside(template, library))
    shown = rows(template)
    parents = {step.parent for step in template.steps}
    labels = {role.key: role.label for role in template.roles}
    lines = []
    for row in shown:
        step = row.step
        line = _line(step, labels, template)
        line |= _following(into.get(step.key, []), names) | {"lv": row.depth, "pa": step.parent, "ph": row.phase}
        line |= {"ch": step.key in parents}
        lines.append(_slim({**line, **_place(seen, step.key)}))
    included = [_included(template, include.key, seen, library) for include in template.includes]
    first, days = _reach(seen)
    return {
        "lines": lines + [line for part in included for line in part["lines"]],
        "links": [
            [link.from_, link.to, link.type] for link in template.links
        ] + [link for part in included for link in part["links"]],
        "phases": [[phase.key, phase.label] for phase in template.phases],
        "roles": [[role.key, role.label] for role in template.roles],
        "retired": [p.key for part in (template.roles, template.facts, template.anchors) for p in part if p.retired],
        "facts": [[fact.key, fact.label] for fact in template.facts],
        "anchors": [[anchor.key, anchor.label, seen.anchors.get(anchor.key)] for anchor in template.anchors],
        "labels": [[day, label.label] for label in template.day_labels if (day := _label_day(label, seen)) is not None],
        "includes": [part["head"] for part in included],
        "first": first,
        "days": days,
        "length": seen.length,
        "fault": seen.fault,
        "minutes": seen.minutes,
        "checks": [
            _slim({
                "text": line.text, "part": line.finding.part, "key": line.finding.key, "field": line.finding.field,
                "bars": line.finding.bars, "keys": list(line.keys),
            })
            for line in lines_listed[:MOST_CHECKS]
        ],
        "count": len(entries),
        "rest": max(len(lines_listed) - MOST_CHECKS, 0),
        "bars": sum(f.bars for f in entries),
        "head": _head(template, seen, sum(part["head"]["count"] for part in included)),
    }  # fmt: skip


def _head(template: Template, seen: Outline, included: int) -> Json:
    steps = count_words(len(template.steps), "step") + (f" and {included} included" if included else "")
    over = f" over {count_words(seen.length, 'working day')}" if seen.length else ""
    return {"name": template.name, "category": template.category or "No category", "size": steps + over}


def _line(step: Step, roles: Mapping[str, str], template: Template) -> Json:
    return {
        "k": step.key,
        "t": step.title,
        "r": roles.get(step.role or "", ""),
        "w": when_words(step.when, template.anchors) if step.when else "",
        "a": step.when.anchor if step.when else "",
        "e": step.when is not None and step.when.edge == "start",
        "d": duration_text(template, step),
        "ms": _is_milestone(step, template),
        "ki": KINDS[step.kind] if step.kind != "todo" else "",
        "if": condition_words(step.only_if, template) if step.only_if else "",
        "so": roles.get(step.sign_off.role, "") if step.sign_off else "",
        "wa": ", ".join(f"{wait.step} of {wait.template}" for wait in step.waits_for),
        "no": bool(step.instructions or step.attachments or step.links_out),
    }


def _is_milestone(step: Step, template: Template) -> bool:
    if template.grid == "minute":
        return isinstance(step.duration, str) and read_span(step.duration, MINUTES) == 0
    return step.days == 0


def _following(links: Sequence[Link], names: StepNames) -> Json:
    """What a step follows: by titles, and for narrow columns each link's step, words and lag."""
    brief = [[link.from_, link.type if link.type != "FS" else "", lag_words(link)] for link in links]
    return {"f": follows_words(links, names), "fs": brief}


def _place(seen: Outline, key: str) -> Json:
    span = seen.spans.get(key)
    return {
        "s": list(span) if span else None,
        "at": seen.marks.get(key),
        "dr": seen.drift.get(key, 0),
        "cr": key in seen.critical,
    }


def _slim(line: Json) -> Json:
    return {key: value for key, value in line.items() if value or key == "k" or (key == "at" and value is not None)}


def _reach(seen: Outline) -> tuple[int, int]:
    marks = [day for span in seen.spans.values() for day in span] + list(seen.anchors.values())
    if not marks:
        return -10, LEAST
    scale = 15 if seen.minutes else 1
    first = min(marks) - MARGIN * scale
    return first, max(max(marks) + (MARGIN + 6) * scale - first, LEAST * scale)


def _label_day(label: DayLabel, seen: Outline) -> int | None:
    zero = seen.anchors.get(label.anchor)
    if seen.minutes and zero is not None:
        minutes = read_span(label.offset, MINUTES) if isinstance(label.offset, str) else label.offset
        return zero + minutes * (60 if label.unit.endswith("hours") and isinstance(label.offset, int) else 1)
    per = {"working days": 1.0, "days": 5 / 7, "weeks": 5.0, "months": 21.7}.get(label.unit)
    if per is None or zero is None or not isinstance(label.offset, int):
        return None
    return zero + round(label.offset * per)


def _included(template: Template, key: str, seen: Outline, library: Library) -> Json:
    """The steps of an included template with the row they fold into; none where it cannot be laid out."""
    include = next(include for include in template.includes if include.key == key)
    inner = library.find(include.template)
    head: Json = {"key": key, "label": inner.name if inner else include.template, "template": include.template}
    head |= {"phase": include.phase, "fault": "", "count": 0, "s": None}
    empty = {"head": head, "lines": [], "links": []}
    if inner is None or not library.reachable(template, include):
        words = "is not in the library" if inner is None else "includes this one, or is on another grid"
        return empty | {"head": head | {"fault": f"{include.template} {words}; its steps are left out"}}
    try:
        parts = whole(template, library)
    except DocumentError as error:
        return empty | {"head": head | {"fault": str(error.faults[0])}}
    own = [placed for placed in parts.steps if placed.key.split(".")[0] == key]
    links: dict[str, list[Link]] = {}
    inside = []
    for source, target, link, _ in parts.links:
        if target.split(".")[0] == key and source.split(".")[0] == key:
            links.setdefault(target, []).append(link.model_copy(update={"from_": source, "to": target}))
            inside.append([source, target, link.type])
    names = StepNames([placed.step.model_copy(update={"key": placed.key}) for placed in own])
    lines = [_locked(placed, parts.roles, inner, seen, _following(links.get(placed.key, []), names)) for placed in own]
    for line in lines:
        line["in"] = key
    spans = [seen.spans[placed.key] for placed in own if placed.key in seen.spans]
    if spans:
        head["s"] = [min(a for a, _ in spans), max(b for _, b in spans)]
    return {"head": head | {"count": len(lines)}, "lines": lines, "links": inside}


def _locked(placed: Placed, roles: Mapping[str, Any], inner: Template, seen: Outline, following: Json) -> Json:
    step = placed.step
    role = roles.get(placed.scope.roles.get(step.role or "", placed.scope.prefix + (step.role or "")))
    line = _line(step, {}, inner)
    line |= {"k": placed.key, "r": role.label if role else "", **following, "lv": 1, "so": ""}
    return _slim({**line, **_place(seen, placed.key)})
