"""What a template has beside its steps, as tables: so that what is written out as a table comes back whole.

==========  ==========================================================================
table       a row
==========  ==========================================================================
Template    a field of the template itself, and what it says
Anchors     key, name, whether it is required; of a derived one the anchor it is measured from, how far, rolled how
Roles       key, name, how it is filled and by whom, the calendar of its own
Facts       key, name, kind, choices one a line, whether it is required
Phases      key, name, span in working days, what it opens behind
Day labels  anchor, offset, unit, what the day is called
Includes    key, template, phase; anchors and roles one a line, ``theirs = ours``
Messages    the step's key, to which role, how far from what, subject and text, the names of its files one a line
Files       the step's key, the file's name, its size in bytes and the SHA-256 of its content
==========  ==========================================================================
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from unisequa.core.documents.reading import faults_of
from unisequa.core.documents.template import Include, Measure, Template
from unisequa.core.errors import DocumentError, Fault

Values = dict[str, Any]
Cells = Sequence[Sequence[str]]
STEPS = "Steps"
_ABOUT = {
    "Name": "name", "Category": "category", "Purpose": "purpose", "Instructions": "instructions",
    "Name of runs": "naming", "Counted in": "grid", "Time zone": "zone", "Planned": "direction", "Ends with": "ends",
    "What follows": "follow", "Finished": "finishes", "Stale after": "stale_after", "Tags": "tags",
    "Usual for": "usual_for", "Calendar": "calendar",
}  # fmt: skip
_PARTS = ("anchors", "roles", "facts", "phases", "day_labels", "includes")


@dataclass(frozen=True, slots=True)
class PartTable:
    """One table: its columns, a template's rows of it, and what a row says."""

    name: str
    field: str
    columns: tuple[str, ...]
    write: Callable[[Template], Iterable[Sequence[str]]]
    read: Callable[[Mapping[str, str]], Values]


def _yes(flag: bool) -> str:
    return "yes" if flag else "no"


def _gone(retired: bool) -> str:
    return "retired" if retired else ""


def _said(text: str) -> bool:
    return text.strip().casefold() in {"yes", "y", "true", "1", "required", "retired"}


def _amount(text: str) -> int | str:
    """A number of days, or a length of hours as it is."""
    word = text.strip().replace("−", "-")
    return int(word) if re.fullmatch(r"[+-]?\d{1,9}", word) else word


def _whole(text: str) -> int | str | None:
    return _amount(text) if text.strip() else None


def _roll(measure: Measure) -> str:
    return str(measure.model_dump(mode="json").get("roll", ""))


def _without_empty(values: Values) -> Values:
    return {key: value for key, value in values.items() if value not in ("", None)}


def _anchor(row: Mapping[str, str]) -> Values:
    values: Values = {"key": row["Key"], "label": row["Anchor"], "required": _said(row["Required"] or "yes")}
    values["retired"] = _said(row["Retired"])
    if row["Measured from"]:
        values["from"] = _measure(row, row["Measured from"])
    return values


def _measure(row: Mapping[str, str], anchor: str) -> Values:
    unit, roll = row.get("Unit", ""), row.get("On a day off", "")
    return _without_empty({"anchor": anchor, "offset": _amount(row["Offset"] or "0"), "unit": unit, "roll": roll})


def _pairs(text: str) -> dict[str, str]:
    pairs = (line.partition("=") for line in text.splitlines() if line.strip())
    return {theirs.strip(): ours.strip() for theirs, _, ours in pairs}


def _lines(pairs: Mapping[str, str]) -> str:
    return "\n".join(f"{theirs} = {ours}" for theirs, ours in pairs.items())


def _include(one: Include) -> Sequence[str]:
    return (one.key, one.template, one.phase or "", _lines(one.anchors), _lines(one.roles))


TABLES: tuple[PartTable, ...] = (
    PartTable(
        "Anchors", "anchors",
        ("Key", "Anchor", "Required", "Measured from", "Offset", "Unit", "On a day off", "Retired"),
        lambda t: (
            (a.key, a.label, _yes(a.required), *((a.from_.anchor, str(a.from_.offset), a.from_.unit, _roll(a.from_))
                                                 if a.from_ else ("", "", "", "")), _gone(a.retired))
            for a in t.anchors
        ),
        _anchor,
    ),
    PartTable(
        "Roles", "roles", ("Key", "Role", "Filled by", "Who", "Calendar", "Retired"),
        lambda t: (
            (r.key, r.label, r.fill.by, r.fill.person or r.fill.position or r.fill.team or "", r.calendar or "",
             _gone(r.retired))
            for r in t.roles
        ),
        lambda row: _without_empty({
            "key": row["Key"], "label": row["Role"], "calendar": row["Calendar"], "retired": _said(row["Retired"]),
            "fill": _without_empty({
                "by": row["Filled by"],
                **({row["Filled by"]: row["Who"]} if row["Filled by"] in {"person", "position", "team"} else {}),
            }),
        }),
    ),
    PartTable(
        "Facts", "facts", ("Key", "Fact", "Kind", "Choices", "Required", "Retired"),
        lambda t: ((f.key, f.label, f.kind, "\n".join(f.choices), _yes(f.required), _gone(f.retired)) for f in t.facts),
        lambda row: _without_empty({
            "key": row["Key"], "label": row["Fact"], "kind": row["Kind"], "required": _said(row["Required"]),
            "retired": _said(row["Retired"]),
            "choices": [line.strip() for line in row["Choices"].splitlines() if line.strip()],
        }),
    ),
    PartTable(
        "Phases", "phases", ("Key", "Phase", "Span", "Opens", "Retired"),
        lambda t: ((p.key, p.label, str(p.span or ""), p.opens, _gone(p.retired)) for p in t.phases),
        lambda row: _without_empty({
            "key": row["Key"], "label": row["Phase"], "span": _whole(row["Span"]), "opens": row["Opens"],
            "retired": _said(row["Retired"]),
        }),
    ),
    PartTable(
        "Day labels", "day_labels", ("Anchor", "Offset", "Unit", "Label"),
        lambda t: ((d.anchor, str(d.offset), d.unit, d.label) for d in t.day_labels),
        lambda row: {**_measure(row, row["Anchor"]), "label": row["Label"]},
    ),
    PartTable(
        "Includes", "includes", ("Key", "Template", "Phase", "Anchors", "Roles"),
        lambda t: map(_include, t.includes),
        lambda row: _without_empty({
            "key": row["Key"], "template": row["Template"], "phase": row["Phase"],
            "anchors": _pairs(row["Anchors"]), "roles": _pairs(row["Roles"]),
        }),
    ),
    PartTable(
        "Messages", "messages", ("Step", "To", "Offset", "Unit", "Of", "At", "Subject", "Text", "Shared", "Files"),
        lambda t: (
            (s.key, m.to, str(m.offset), m.unit, m.of, m.at or "", m.subject, m.text, m.shared or "",
             "\n".join(m.files))
            for s in t.steps for m in s.messages
        ),
        lambda row: {"step": row["Step"], **_without_empty({
            "to": row["To"], "offset": _amount(row["Offset"] or "0"), "unit": row["Unit"], "of": row["Of"],
            "at": row["At"],
            "subject": row["Subject"], "text": row["Text"], "shared": row["Shared"],
            "files": row["Files"].splitlines() or None,
        })},
    ),
    PartTable(
        "Files", "attachments", ("Step", "File", "Bytes", "SHA-256"),
        lambda t: ((s.key, file.name, str(file.size), file.sha256) for s in t.steps for file in s.attachments),
        lambda row: {
            "step": row["Step"], "name": row["File"], "size": _amount(row["Bytes"]), "sha256": row["SHA-256"],
        },
    ),
)  # fmt: skip
PART_NAMES = {"Template", STEPS} | {table.name for table in TABLES}


def part_rows(template: Template) -> dict[str, list[list[str]]]:
    """The tables of a template beside its steps, each with the names of its columns; those without rows left out."""
    written = template.written()
    about = [[label, _told_in_words(written[name])] for label, name in _ABOUT.items() if written.get(name)]
    tables = {"Template": [["Field", "Says"], *about]}
    for table in TABLES:
        if rows := [list(row) for row in table.write(template)]:
            tables[table.name] = [list(table.columns), *rows]
    return tables


def _told_in_words(value: Any) -> str:
    return ", ".join(value) if isinstance(value, list) else str(value)


def _about(name: str, text: str) -> Any:
    if name == "tags":
        return [word.strip() for word in text.split(",") if word.strip()]
    return _amount(text) if name == "stale_after" else text


@dataclass(frozen=True, slots=True)
class Parts:
    """What tables beside the steps say, as plain values; ``of_steps`` by the keys of theirs."""

    about: Mapping[str, Any]
    values: Mapping[str, list[Values]]
    of_steps: Mapping[str, Mapping[str, list[Values]]]

    def on(self, template: Template) -> Template:
        """A template with these in place of its own.

        Raises
        ------
        DocumentError
            With every fault, by table and row.
        """
        written = {**template.written(), **self.about, **self.values}
        written["steps"] = []
        written["links"] = []
        try:
            bare = Template.model_validate(written)
        except ValidationError as error:
            raise DocumentError(_told(fault) for fault in faults_of(error)) from None
        return bare.model_copy(update={"steps": template.steps, "links": template.links})

    def with_steps(self, template: Template) -> Template:
        """The template whose steps have their messages and files again.

        Raises
        ------
        DocumentError
        """
        if not self.of_steps:
            return template
        written = template.written()
        for step in written.get("steps", []):
            step |= self.of_steps.get(step["key"], {})
        try:
            return Template.model_validate(written)
        except ValidationError as error:
            raise DocumentError(_told(fault) for fault in faults_of(error)) from None


def split_parts(cells: Cells) -> tuple[Parts | None, Cells]:
    """The tables beside the steps, each under a row ``# Anchors``, if a table begins with them; and the steps' own.

    Raises
    ------
    DocumentError
        For a table or a column that is not known.
    """
    if not cells or _title(cells[0]) not in PART_NAMES:
        return None, cells
    sections: dict[str, list[Sequence[str]]] = {}
    rows: list[Sequence[str]] = []
    for row in cells:
        if (title := _title(row)) in PART_NAMES:
            rows = sections.setdefault(title, [])
        else:
            rows.append(row)
    steps = sections.pop(STEPS, [])
    said = [(row[0].strip(), row[1]) for row in sections.pop("Template", [])[1:] if len(row) > 1]
    about = {_ABOUT[label]: _about(_ABOUT[label], text) for label, text in said if label in _ABOUT and text}
    values: dict[str, list[Values]] = {name: [] for name in _PARTS}
    of_steps: dict[str, dict[str, list[Values]]] = {}
    for table in TABLES:
        for record in _records(table, sections.get(table.name, [])):
            read = table.read(record)
            if "step" in read:
                of_steps.setdefault(read.pop("step"), {}).setdefault(table.field, []).append(read)
            else:
                values[table.field].append(read)
    return Parts(about, values, of_steps), steps


def _title(row: Sequence[str]) -> str:
    first = row[0].strip() if row else ""
    return first[2:] if first.startswith("# ") and not any(cell.strip() for cell in row[1:]) else ""


def _records(table: PartTable, rows: Sequence[Sequence[str]]) -> Iterable[dict[str, str]]:
    told = [row for row in rows if any(cell.strip() for cell in row)]
    if not told:
        return
    names = [cell.strip() for cell in told[0]]
    unknown = [name for name in names if name and name not in table.columns]
    if unknown:
        known = ", ".join(table.columns)
        raise DocumentError([Fault(f"# {table.name}", f'has no column "{unknown[0]}"; it has {known}')])
    for row in told[1:]:
        said = dict(zip(names, row, strict=False))
        yield {name: said.get(name, "").strip() if name != "Text" else said.get(name, "") for name in table.columns}


def _told(fault: Fault) -> Fault:
    """A fault by the table and the row in it."""
    place = re.match(r"^([a-z_]+)\[(\d+)\]\.?(.*)$", fault.path)
    table = next((one for one in TABLES if place and one.field == place[1]), None)
    if not place or not table:
        return fault
    return Fault(f"# {table.name}, row {int(place[2]) + 1}", " ".join(filter(None, [place[3], fault.message])))
