"""What the sheet's script asks to be changed, and the edit that each makes of the template."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.design import editing, linking, rows
from unisequa.core.design import parts as template_parts
from unisequa.core.design.clip import Clip, pasted
from unisequa.core.design.dated import offset_said
from unisequa.core.design.fields.entries import field_text, set_column, set_field
from unisequa.core.design.fields.waits import circle_of
from unisequa.core.design.following import follows_words
from unisequa.core.design.linking import names_of
from unisequa.core.design.outline import outline
from unisequa.core.documents.conditions import Clause
from unisequa.core.documents.includes import Library, titles_inside
from unisequa.core.documents.template import Template
from unisequa.core.errors import EditError, TypedError
from unisequa.core.terms import LinkType

MOST_KEYS = 5000
Keys = Annotated[list[Annotated[str, Field(max_length=200)]], Field(min_length=1, max_length=MOST_KEYS)]
Text = Annotated[str, Field(max_length=25_000)]
Short = Annotated[str, Field(max_length=400)]
Files = Annotated[list[Short], Field(max_length=20)]
MessageField = Literal["to", "offset", "unit", "of", "at", "subject", "text", "shared", "files"]


MEASURES = frozenset({"when", "not_before", "deadline"})
"""Fields that are measured from an anchor, where a day may be typed too."""


@dataclass(frozen=True, slots=True)
class DaysKnown:
    """The days that anchors have in a rehearsal that is on, the calendar they go by, and how days between slashes are
    read."""

    days: Mapping[str, dt.date] = field(default_factory=dict)
    calendar: WorkingCalendar | None = None
    month_first: bool = False


class Op(BaseModel):
    """Base of all edits; unknown keys are refused."""

    model_config = ConfigDict(extra="forbid")


class Where(Op):
    """A place among the rows: behind a row on a level, or first in a phase."""

    after: Short | None = None
    level: Annotated[int, Field(ge=0, le=2)] | None = None
    phase: Short | None = None

    def place(self, template: Template) -> rows.Place:
        if self.after is None:
            return rows.Place(None, self.phase or None)
        return rows.place_behind(template, self.after, self.level)


class Set(Op):
    """A field of one or many steps, as it was typed; ``was`` is what was shown before."""

    op: Literal["set"]
    keys: Keys
    field: Short
    value: Text
    was: Text | None = None


class Column(Op):
    """A field of many steps, each with its own text."""

    op: Literal["column"]
    keys: Keys
    field: Short
    values: Annotated[list[Text], Field(min_length=1, max_length=5000)]


class Insert(Op):
    """New steps, one a line of ``text``."""

    op: Literal["insert"]
    text: Annotated[str, Field(max_length=2_000_000)]
    where: Where = Where()


class Paste(Op):
    """Steps of a clip that is kept here, by its name."""

    op: Literal["paste"]
    clip: Annotated[str, Field(max_length=80)]
    where: Where = Where()


class Remove(Op):
    """Steps taken out; ``cut`` leaves their followers without them, since they will be put in again."""

    op: Literal["remove"]
    keys: Keys
    cut: bool = False


class Move(Op):
    """Rows to another place."""

    op: Literal["move"]
    keys: Keys
    where: Where = Where()


class Nudge(Op):
    """Rows one place up or down."""

    op: Literal["nudge"]
    keys: Keys
    by: Literal[-1, 1]


class Level(Op):
    """Rows one level in or out."""

    op: Literal["level"]
    keys: Keys
    by: Literal[-1, 1]


class Drag(Op):
    """Bars let go so many working days, or minutes of a job of hours, from where they were."""

    op: Literal["drag"]
    keys: Keys
    slots: Annotated[int, Field(ge=-10_000_000, le=10_000_000)]


class Stretch(Op):
    """A bar's right end let go so many working days, or minutes, from where it was."""

    op: Literal["stretch"]
    key: Short
    slots: Annotated[int, Field(ge=-10_000_000, le=10_000_000)]


class AddLink(Op):
    """A link drawn from one bar to another."""

    op: Literal["link"]
    source: Short
    target: Short
    type: LinkType = "FS"


class CutLink(Op):
    """A link taken out."""

    op: Literal["unlink"]
    source: Short
    target: Short
    type: LinkType = "FS"


class Sort(Op):
    """The rows of a phase, or all, by date."""

    op: Literal["sort"]
    phase: Short | None = None


class AddPart(Op):
    """A new phase, role, anchor, fact or included template."""

    op: Literal["add"]
    part: Literal["phases", "roles", "anchors", "facts", "includes"]
    label: Short
    after: Short | None = None


class NudgePart(Op):
    """A phase, role … one place up or down."""

    op: Literal["nudge-part"]
    part: Literal["phases", "roles", "anchors", "facts", "includes"]
    key: Short
    by: Literal[-1, 1]


class RemovePart(Op):
    """A phase, role … taken out."""

    op: Literal["remove-part"]
    part: Literal["phases", "roles", "anchors", "facts", "includes"]
    key: Short


class MovePart(Op):
    """A phase, role … behind another, or first."""

    op: Literal["move-part"]
    part: Literal["phases", "roles", "anchors", "facts", "includes"]
    key: Short
    after: Short | None = None


class Rename(Op):
    """A phase under another name."""

    op: Literal["rename"]
    part: Literal["phases"]
    key: Short
    value: Short


class Part(Op):
    """A field of a role, anchor, fact, day label … as it was typed."""

    op: Literal["part"]
    part: Literal["phases", "roles", "anchors", "facts", "includes", "day_labels"]
    key: Short
    field: Short
    value: Text


class About(Op):
    """A field of the template itself."""

    op: Literal["about"]
    field: Short
    value: Text


class OneClause(Op):
    """A comparison in a condition."""

    fact: Short
    operator: Short
    value: Short = ""


class ConditionOp(Op):
    """A condition of steps, put together from clauses: when they are there, or what holds them in review."""

    op: Literal["condition"]
    keys: Keys
    field: Literal["only_if", "sign_off_until"] = "only_if"
    joiner: Literal["and", "or"] = "and"
    clauses: Annotated[list[OneClause], Field(max_length=20)] = []


class MessageOp(Op):
    """A message of a step: added without an index, to each of several where there are ``keys``; taken out without
    values."""

    op: Literal["message"]
    key: Short
    keys: Keys | None = None
    index: int | None = None
    values: dict[MessageField, str | int | Files | None] = {}


class Detach(Op):
    """A file no longer kept with a step."""

    op: Literal["detach"]
    key: Short
    sha256: Short


AnyOp = Annotated[
    Set | Column | Insert | Paste | Remove | Move | Nudge | Level | Drag | Stretch | AddLink | CutLink | Sort
    | AddPart | NudgePart | MovePart | RemovePart | Rename | Part | About | ConditionOp | MessageOp | Detach,
    Field(discriminator="op"),
]  # fmt: skip


class SentEdit(Op):
    """An edit with the rehearsal that is on, if one is."""

    edit: AnyOp
    rehearsal: dict[str, Any] | None = None


def edit_of(
    op: Any,
    library: Library,
    clips: Callable[[str], Clip | None],
    made: list[str],
    known: Callable[[Template], DaysKnown] | None = None,
) -> Callable[[Template], Template]:
    """The edit that an op makes; the keys of new steps are put into ``made``, days typed as offsets are read against
    those ``known``."""

    def said(template: Template, field: str, *texts: str) -> list[str]:
        if field not in MEASURES:
            return list(texts)
        days = known(template) if known else DaysKnown()
        try:
            return [offset_said(t, template, days.days, days.calendar, month_first=days.month_first) for t in texts]
        except TypedError as error:
            raise EditError(field, str(error)) from None

    def keep(pair: tuple[Template, list[str]]) -> Template:
        made.extend(pair[1])
        return pair[0]

    def edit(template: Template) -> Template:
        match op:
            case Set():
                inside = titles_inside(template, library) if op.field == "follows" else {}
                _unchanged(template, op, inside)
                edited = set_field(template, op.keys, op.field, said(template, op.field, op.value)[0], inside)
                return _without_circles(edited, op.keys, library) if op.field == "waits_for" else edited
            case Column():
                if len(op.keys) != len(op.values):
                    raise EditError(op.field, "there must be as many texts as steps")
                inside = titles_inside(template, library) if op.field == "follows" else {}
                edited = set_column(template, op.keys, op.field, said(template, op.field, *op.values), inside=inside)
                return _without_circles(edited, op.keys, library) if op.field == "waits_for" else edited
            case Insert():
                return keep(rows.insert(template, rows.lines_of(op.text), op.where.place(template)))
            case Paste():
                clip = clips(op.clip)
                if clip is None:
                    raise EditError("paste", "what was copied is no longer kept here; copy it again")
                return keep(pasted(template, clip, op.where.place(template)))
            case Remove():
                return editing.remove_steps(template, op.keys, bridge=not op.cut)
            case Move():
                return rows.move(template, op.keys, op.where.place(template))
            case Nudge():
                return rows.nudge(template, op.keys, by=op.by)
            case Level():
                return rows.level(template, op.keys, by=op.by)
            case Drag():
                return linking.drag(template, op.keys, op.slots, outline(template, library))
            case Stretch():
                return linking.stretch(template, op.key, op.slots, outline(template, library))
            case AddLink():
                return linking.link(template, op.source, op.target, op.type)
            case CutLink():
                return linking.unlink(template, op.source, op.target, op.type)
            case Sort():
                starts = {key: span[0] for key, span in outline(template, library).spans.items()}
                return rows.sort_by_date(template, starts, op.phase)
            case AddPart():
                if op.part == "includes":
                    inner = library.find(op.label)
                    if inner is None:
                        raise EditError("label", f'no template "{op.label}" is released here')
                    edited, key = template_parts.include(template, inner)
                else:
                    edited, key = editing.add_named(template, op.part, op.label)
                made.append(key)
                return editing.move_named(edited, op.part, key, after=op.after) if op.after else edited
            case NudgePart():
                return editing.nudge_named(template, op.part, op.key, by=op.by)
            case MovePart():
                return editing.move_named(template, op.part, op.key, after=op.after)
            case Part():
                return template_parts.set_part(template, op.part, op.key, op.field, op.value)
            case About():
                return template_parts.set_about(template, op.field, op.value)
            case ConditionOp():
                clauses = [Clause(clause.fact, clause.operator, clause.value) for clause in op.clauses]
                return template_parts.set_condition(template, op.keys, op.joiner, clauses, op.field)
            case MessageOp():
                for key in op.keys if op.keys and op.index is None else [op.key]:
                    template = template_parts.set_message(template, key, op.index, **op.values)
                return template
            case Detach():
                return template_parts.without_file(template, op.key, op.sha256)
            case RemovePart():
                return editing.remove_named(template, op.part, op.key)
            case Rename():
                return editing.change_named(template, op.part, op.key, label=op.value)
        raise EditError("op", "that cannot be done here")

    return edit


def _without_circles(template: Template, keys: Sequence[str], library: Library) -> Template:
    for step in template.steps:
        for wait in step.waits_for if step.key in keys else ():
            if circle := circle_of(template, step.key, wait, library):
                raise EditError("waits_for", f"that would wait in a circle: {' → '.join(circle)}")
    return template


def _unchanged(template: Template, op: Set, inside: Mapping[str, str]) -> None:
    """Refuse to write over what somebody else has typed meanwhile."""
    if op.was is None or len(op.keys) != 1:
        return
    step = next((step for step in template.steps if step.key == op.keys[0]), None)
    if step is None:
        return
    now = field_text(template, step, op.field)
    if op.field == "follows":
        now = follows_words([link for link in template.links if link.to == step.key], names_of(template, inside))
    if now not in (op.was, op.value):
        raise EditError(op.field, f'somebody has changed this meanwhile to "{now}"; type yours again to have it so')
