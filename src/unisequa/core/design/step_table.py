"""Steps as the rows of a table, and a table's rows as steps.

What is written can be read back in unchanged: fields without a column keep what the step of that key has. Every
fault is found, each with its row and column, before anything is taken.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from unisequa.core.design.editing import slug
from unisequa.core.design.fields.entries import FIELD, FIELDS, field_text, typed_values
from unisequa.core.design.following import StepNames, follows_words, links_into, typed_follows
from unisequa.core.design.rows import Place, in_phases, put, rows
from unisequa.core.documents.checks import circle_in, faults_in, may_wait
from unisequa.core.documents.reading import faults_of
from unisequa.core.documents.template import KEY, Link, Phase, Role, SignOff, Step, Template
from unisequa.core.errors import EditError, Fault, TypedError
from unisequa.core.terms import number_in

COLUMNS: dict[str, str] = {"key": "Key"} | {entry.name: entry.column for entry in FIELDS if entry.column}
"""Field → the name of its column."""
_ALSO = {"id": "key"} | {word: entry.name for entry in FIELDS for word in entry.also}
MOST_ROWS = 5000
_MOST_OF_CIRCLE = 8
_ROLL_OF = {"roll": "when", "not_before_roll": "not_before", "deadline_roll": "deadline"}
_APART = {"key", "title"} | {entry.name for entry in FIELDS if not entry.alone}


@dataclass(frozen=True, slots=True)
class CellFault:
    """One thing wrong in a table: its row as a spreadsheet counts them (the names are row 1), its column, what."""

    row: int
    column: str
    message: str

    def __str__(self) -> str:
        return f"row {self.row}, {self.column}: {self.message}"


@dataclass(frozen=True, slots=True)
class TableRead:
    """The template that a table's rows make; or, with faults, the one there was."""

    template: Template
    faults: tuple[CellFault, ...] = ()
    new_roles: tuple[str, ...] = ()
    new_phases: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    """The steps of the rows, in their order."""


def header() -> list[str]:
    """The names of the columns, as they are written."""
    return list(COLUMNS.values())


def table_rows(template: Template) -> list[list[str]]:
    """The steps as rows, in the order they are shown, cells in the order of :func:`header`."""
    into = links_into(template)

    def cell(step: Step, name: str) -> str:
        match name:
            case "key":
                return step.key
            case "follows":
                return follows_words(into.get(step.key, []))
            case "roll" | "not_before_roll" | "deadline_roll" if getattr(step, _ROLL_OF[name]) is None:
                return ""
            case "duration" if step.duration is None:
                return ""
        return field_text(template, step, name)

    return [[cell(row.step, name) for name in COLUMNS] for row in rows(template)]


def guess(names: Sequence[str]) -> list[str]:
    """The field that each column's name says, or nothing; no field twice."""
    known = {name.casefold(): field for field, name in COLUMNS.items()} | _ALSO
    fields: list[str] = []
    for name in names:
        word = re.sub(r"\s+", " ", name.strip().casefold())
        guessed = known.get(word, "")
        fields.append(guessed if guessed not in fields else "")
    return fields


@dataclass(slots=True)
class _Reading:
    """A table on its way to a template: the steps' documents by row, and what was wrong."""

    template: Template
    before: Template
    columns: Sequence[str]
    names: Mapping[str, str]
    beside: bool = False
    faults: list[CellFault] = field(default_factory=list)

    def fault(self, row: int, name: str, message: str) -> None:
        self.faults.append(CellFault(row + 2, self.names.get(name, COLUMNS.get(name, name)), message))


def read_rows(
    template: Template,
    cells: Sequence[Sequence[str]],
    columns: Sequence[str],
    names: Mapping[str, str] | None = None,
    *,
    place: Place | None = None,
    alike: bool = False,
) -> TableRead:
    """Steps in place of those there are: a row with the key of a step is that step. With a ``place``, new ones there.

    Parameters
    ----------
    cells : sequence of rows
        Without the row of names.
    columns : sequence of str
        The field of each column; empty for one that is not read.
    names : mapping of str to str, optional
        Field → the column's own name, for faults.
    place : Place, optional
        Where the steps are put in beside those there are; those of a phase of their own at its end.
    alike : bool
        Whether a name that is only similar to a step's title means that step.
    """
    reading = _Reading(template, template, columns, names or {}, place is not None)
    table = [[cell.strip("\n") for cell in row] for row in cells]
    while table and not any(cell.strip() for cell in table[-1]):
        table.pop()
    if "title" not in columns:
        return TableRead(template, (CellFault(1, "Step", "no column holds the titles of the steps; choose one"),))
    if not table:
        return TableRead(template, (CellFault(2, "Step", "there are no rows below the names of the columns"),))
    if len(table) > MOST_ROWS:
        return TableRead(template, (CellFault(MOST_ROWS + 2, "Step", f"at most {MOST_ROWS:,} steps are read at once"),))
    records = [dict(zip(columns, row, strict=False)) for row in table]
    keys = _keys(reading, records)
    base = template if place else template.model_copy(update={"steps": ()})
    base, phases = _named(reading, base, "phases", records, ("phase",))
    base, roles = _named(reading, base, "roles", records, ("role", "sign_off"))
    reading.template = base
    before = {} if place else {step.key: step for step in template.steps}
    steps = [
        _step(reading, i, key, record, before.get(key))
        for i, (key, record) in enumerate(zip(keys, records, strict=True))
    ]
    made = [step for step in steps if step is not None]
    names_of_steps = _names(made, template, beside=place is not None, alike=alike)
    links = _links(reading, records, keys, made, template, names_of_steps)
    edited = base.model_copy(update={"steps": tuple(made), "links": links})
    if place:
        edited = _put_in(template, base, made, links, place)
    if not reading.faults:
        _whole(reading, edited, keys)
    faults = tuple(sorted(reading.faults, key=lambda fault: fault.row))
    if faults:
        return TableRead(template, faults, tuple(roles), tuple(phases), tuple(keys))
    laid = tuple(row.step for row in rows(edited))
    return TableRead(edited.model_copy(update={"steps": laid}), (), tuple(roles), tuple(phases), tuple(keys))


def _names(made: list[Step], template: Template, *, beside: bool, alike: bool) -> StepNames:
    """How the steps are called that the rows follow: those of the table first, then those that are there."""
    there = in_phases(template) if beside else []
    return StepNames([*made, *there], [include.key for include in template.includes], {}, alike)


def _put_in(
    template: Template, base: Template, made: Sequence[Step], links: tuple[Link, ...], place: Place
) -> Template:
    """The steps beside those there are: at the place, or where they name a phase at the end of that."""
    linked = base.model_copy(update={"links": (*template.links, *links)})
    if not any(step.phase for step in made):
        return put(linked, made, place, check=False)
    at = next((i for i, phase in enumerate(template.phases, 1) if phase.key == place.phase), len(template.phases))
    new = base.phases[len(template.phases) :]
    phases = (*template.phases[:at], *new, *template.phases[at:])
    return linked.model_copy(update={"phases": phases, "steps": (*template.steps, *made)})


def _keys(reading: _Reading, records: Sequence[Mapping[str, str]]) -> list[str]:
    given = [record.get("key", "").strip() for record in records]
    there = {step.key for step in reading.template.steps}
    taken = {key for key in given if key} | {step.key for step in reading.template.steps}
    keys: list[str] = []
    for i, record in enumerate(records):
        key, title = given[i], " ".join(record.get("title", "").split())
        if not title:
            reading.fault(i, "title", "is empty; every step needs a title")
        if key and not re.match(KEY, key):
            reading.fault(i, "key", f'"{key}" is no key; use small letters, digits, - and _')
        elif key and key in keys:
            reading.fault(i, "key", f'"{key}" stands in row {keys.index(key) + 2} already; keys are unique')
        if not key or (key in there and reading.beside):
            key = slug(title, taken, fallback="step")
            taken.add(key)
        keys.append(key)
    return keys


def _named(
    reading: _Reading, template: Template, part: str, records: Sequence[Mapping[str, str]], names: Sequence[str]
) -> tuple[Template, list[str]]:
    """The template with the roles or phases that the rows name and it does not have yet."""
    made: type[Phase | Role] = Phase if part == "phases" else Role
    items = list(getattr(template, part))
    known = {name.casefold() for item in items for name in (item.key, item.label)}
    taken = {i.key for p in ("roles", "anchors", "facts") for i in getattr(template, p)} | {"subject"}
    if part == "phases":
        taken = {phase.key for phase in template.phases}
    new: list[str] = []
    for i, record in enumerate(records):
        for name in names:
            label = " ".join(record.get(name, "").split()).removeprefix("+")
            if label and label.casefold() not in known:
                key = slug(label, taken | {key.replace("_", "-") for key in taken}, fallback=part[:-1])
                key = key if part == "phases" else key.replace("-", "_")
                try:
                    items.append(made(key=key, label=label))
                except ValidationError as error:
                    reading.fault(i, name, faults_of(error)[0].message)
                    continue
                known |= {label.casefold(), key}
                taken.add(key)
                new.append(label)
    return template.model_copy(update={part: tuple(items)}), new


def _step(reading: _Reading, i: int, key: str, record: Mapping[str, str], before: Step | None) -> Step | None:
    template = reading.template
    if not record.get("title", "").strip():
        return None
    step = before or Step(key="x", title="x")
    values: dict[str, Any] = {**step.model_dump(mode="json", by_alias=True), "key": key}
    values["title"] = " ".join(record.get("title", "").split())[:400]
    for name in ("role", "phase"):
        if name in record:
            values[name] = _key_of(template, f"{name}s", record[name])
    if "sign_off" in record:
        signer = _key_of(template, "roles", record["sign_off"])
        rules = {} if step.sign_off is None else step.sign_off.written()
        values["sign_off"] = {**rules, "role": signer} if signer else None
    for name, text in record.items():
        if name in _APART or not name or (name == "duration" and not text.strip()):
            continue
        if before is not None and text == field_text(reading.before, before, name):
            continue
        if name in _ROLL_OF and (not text.strip() or not values.get(_ROLL_OF[name])):
            continue
        if FIELD[name].choices and not text.strip():
            values.pop(name, None)
            continue
        signer = values.get("sign_off")
        current = step.model_copy(
            update={
                "when": None if values.get("when") is None else step.when,
                "sign_off": SignOff.model_validate(signer) if signer else None,
            }
        )
        try:
            if name in _ROLL_OF:
                values[_ROLL_OF[name]] = {**values[_ROLL_OF[name]], "roll": " ".join(text.split())}
            else:
                values |= typed_values(template, current, name, text)
        except EditError as error:
            reading.fault(i, name, str(error))
    try:
        return Step.model_validate(values)
    except ValidationError as error:
        for fault in faults_of(error):
            reading.fault(i, fault.path.split(".")[0].split("[")[0], fault.message)
        return None


def _key_of(template: Template, part: str, text: str) -> str | None:
    word = " ".join(text.split()).removeprefix("+").casefold()
    return next((item.key for item in getattr(template, part) if word in {item.key, item.label.casefold()}), None)


def _links(
    reading: _Reading,
    records: Sequence[Mapping[str, str]],
    keys: Sequence[str],
    steps: list[Step],
    template: Template,
    names: StepNames,
) -> tuple[Link, ...]:
    """The links that the rows say, and the parents; without a column the links there were, as far as both ends are."""
    by_key = {step.key: i for i, step in enumerate(steps)}
    known = by_key.keys()
    included = [include.key for include in template.includes]
    if "parent" in reading.columns:
        for i, record in enumerate(records):
            word = " ".join(record.get("parent", "").split())
            parent = _one_of(steps, keys, word)
            if word and parent is None:
                reading.fault(i, "parent", f'no step "{word}" in this table')
            at = by_key.get(keys[i])
            if at is not None:
                steps[at] = steps[at].model_copy(update={"parent": parent})
    if "follows" not in reading.columns:
        if reading.beside:
            return ()
        return tuple(k for k in template.links if {k.from_.split(".")[0], k.to.split(".")[0]} <= {*known, *included})
    wanted: dict[tuple[str, str, str], Link] = {}
    for i, record in enumerate(records):
        try:
            entries = typed_follows(record.get("follows", ""), names)
        except TypedError as error:
            reading.fault(i, "follows", str(error))
            continue
        for w in entries:
            written = {"from": w.key, "to": keys[i], "type": w.type, "lag": w.lag, "unit": w.unit}
            wanted[w.key, keys[i], w.type] = Link.model_validate(written)
    if reading.beside:
        return tuple(wanted.values())
    kept = [
        wanted.pop((k.from_, k.to, k.type), k)
        for k in template.links
        if (k.from_, k.to, k.type) in wanted or k.to.split(".")[0] in included
    ]
    return (*kept, *wanted.values())


def _one_of(steps: Sequence[Step], keys: Sequence[str], word: str) -> str | None:
    if not word:
        return None
    if 1 <= number_in(word) <= len(keys):
        return keys[int(word) - 1]
    return next((step.key for step in steps if word.casefold() in {step.key, step.title.casefold()}), None)


_PLACE = re.compile(r"^steps\[(\d+)\]\.?([a-z_]*)")


def _whole(reading: _Reading, edited: Template, keys: Sequence[str]) -> None:
    """What only the whole can show: circles, levels, names in texts and conditions."""
    for fault in faults_in(edited):
        if fault.path == "links" and _circle(reading, edited, keys, fault):
            continue
        place = _PLACE.match(fault.path)
        key = edited.steps[int(place[1])].key if place else ""
        if place and key in keys and not may_wait(fault):
            reading.fault(keys.index(key), place[2] or "title", fault.message)
        elif not may_wait(fault):
            reading.faults.append(CellFault(1, reading.names.get("follows", "Follows"), fault.message))


def _circle(reading: _Reading, edited: Template, keys: Sequence[str], fault: Fault) -> bool:
    """Tell of a circle at the cells that close it, where any of them is in the table: each could be the one to mend."""
    way = circle_in(edited)
    linked, step_of = {(link.from_, link.to) for link in edited.links}, {step.key: step for step in edited.steps}
    told = False
    for before, key in list(zip(way, (*way[1:], *way[:1]), strict=True))[:_MOST_OF_CIRCLE]:
        if (before, key) in linked and key in keys:
            told, message = True, fault.message
            if before in _above(key, step_of):
                message = f"it is part of {step_of[before].title}; empty this, or make the row a step of its own"
            reading.fault(keys.index(key), "follows", message)
    return told


def _above(key: str, step_of: Mapping[str, Step]) -> Iterator[str]:
    """The steps that a step is part of, from the inside out."""
    at = step_of[key].parent
    while at is not None:
        yield at
        at = step_of[at].parent
