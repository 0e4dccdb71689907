"""The panels beside a template's sheet: the selected steps, and what the template has beside its steps."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query, Request
from starlette.responses import JSONResponse, Response

from unisequa.actions.calendars import calendar_documents
from unisequa.actions.lookback.past_of_step import Glance, glance
from unisequa.actions.messages.texts import TextSeen, see_texts
from unisequa.actions.people.people import Actor, people
from unisequa.actions.templates.included import Linked, all_released, names_open_to
from unisequa.actions.templates.seeing import EditionSeen, see_edition, see_open, see_whole
from unisequa.core.design.fields.entries import FIELD, KINDS, PRIORITIES, field_text
from unisequa.core.design.fields.waits import wait_words
from unisequa.core.design.following import WORDS, lag_words
from unisequa.core.design.parts import FACT_KINDS, FILLS, from_words, label_words, sample_name
from unisequa.core.documents.conditions import BY_KIND, condition_of, condition_words
from unisequa.core.documents.includes import Library, whole
from unisequa.core.documents.template import Attachment, Step, Template
from unisequa.core.errors import DocumentError
from unisequa.store.store import Session
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf
from unisequa.web.template.step_messages import StepMessage, step_messages

router = APIRouter()
SEVERAL = "\x00several"
ROLLS = (
    ("following", "the next working day"),
    ("preceding", "the one before"),
    ("modified following", "next, within the month"),
    ("modified preceding", "before, within the month"),
    ("none", "stays on the day off"),
)
MOMENTS = (("due", "is due"), ("start", "starts"), ("done", "is done"))
OPERATORS = {
    "is": "is", "is not": "is not", "over": "is over", "at least": "is at least", "under": "is under",
    "at most": "is at most", "yes": "is yes", "no": "is no", "given": "is given", "open": "is not given",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Neighbour:
    """A step at the other end of a link, and the link's words."""

    key: str
    title: str
    before: str
    behind: str
    source: str
    target: str
    type: str


@dataclass(frozen=True, slots=True)
class StepPanel:
    """What is selected: one step with all it has, or several with what they have in common."""

    id: int
    edition: int
    keys: tuple[str, ...]
    title: str
    values: Mapping[str, str]
    editable: bool
    parent: bool
    locked: str
    hourly: bool
    before: tuple[Neighbour, ...]
    after: tuple[Neighbour, ...]
    attachments: tuple[Attachment, ...]
    messages: tuple[StepMessage, ...]
    condition: str
    condition_words: str
    held: str
    held_words: str
    waits: Sequence[str]
    kinds: Sequence[tuple[str, str]]
    priorities: Sequence[tuple[str, str]]
    phases: Sequence[tuple[str, str]]
    roles: Sequence[tuple[str, str]]
    rolls: Sequence[tuple[str, str]]
    moments: Sequence[tuple[str, str]]
    calendars: Sequence[str]
    texts: Sequence[TextSeen] = ()
    past: Glance | None = None
    several: str = SEVERAL


@router.get("/templates/{template_id}/panel")
def panel(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    template_id: Id,
    k: Annotated[list[str], Query(max_length=5000)],
    edition: Number = None,
) -> Response:
    """The panel of the selected steps."""
    with store.reading() as session:
        edition_seen, included = see_whole(session, me, template_id, edition)
        template = edition_seen.template
        steps = {step.key: step for step in template.steps}
        chosen = [steps[key] for key in k if key in steps]
        if chosen:
            shown = _panel(
                session, me, edition_seen, template, chosen, settings.day(), editable=edition_seen.changeable
            )
        else:
            shown = _included(session, me, edition_seen, included, k[0], settings.day())
    return render(request, "template/_panel.html", {"p": shown})


@router.get("/templates/{template_id}/awaitable")
def steps_of_others(me: SignedIn, store: StoreOf, template_id: Id) -> JSONResponse:
    """The steps of other released templates that a step here may wait for, to choose from while typing."""
    with store.reading() as session:
        see_edition(session, me, template_id)
        released = all_released(session, me)
    return JSONResponse(
        [
            {"text": f"{other.name}: {step.key}", "label": step.title, "hint": other.name}
            for other in released.library.all()
            if released.id_of(other.name) != template_id
            for step in other.steps
        ]
    )


FOLLOWING = {kind: (before or "after ", behind) for kind, (before, behind) in WORDS.items()}
FOLLOWED = {
    "FS": ("before ", ""), "SS": ("", " starts with it"), "FF": ("", " ends with it"),
    "SF": ("", " ends after it starts"),
}  # fmt: skip


def _panel(
    session: Session,
    me: Actor,
    edition: EditionSeen,
    template: Template,
    steps: list[Step],
    today: dt.date,
    *,
    editable: bool,
) -> StepPanel:
    shown = FIELD if len(steps) == 1 else [name for name in FIELD if name != "follows"]
    texts = [{name: field_text(template, step, name) for name in shown} for step in steps]
    values = {name: texts[0][name] if len({text[name] for text in texts}) == 1 else SEVERAL for name in shown}
    only = steps[0] if len(steps) == 1 else None
    condition = _same(step.only_if for step in steps)
    held = _same(step.sign_off.until if step.sign_off else None for step in steps)
    library = Library()
    if only and only.waits_for and template is edition.template:
        library = see_open(session, me, edition.template_id, edition.number).library
    titles = {step.key: step.title for step in template.steps}
    parents = {step.parent for step in template.steps}
    shared = see_texts(session, me) if only else ()
    return StepPanel(
        id=edition.template_id,
        edition=edition.number,
        keys=tuple(step.key for step in steps),
        title=only.title if only else f"{len(steps)} steps",
        values=values,
        editable=editable,
        parent=any(step.key in parents for step in steps),
        locked="",
        hourly=template.grid == "minute",
        before=tuple(_neighbours(template, only.key, titles, into=True)) if only else (),
        after=tuple(_neighbours(template, only.key, titles, into=False)) if only else (),
        attachments=only.attachments if only else (),
        messages=tuple(step_messages(template, only, shared, today)) if only else (),
        condition=_builder(template, condition),
        condition_words=condition_words(condition, template) if condition else "",
        held=_builder(template, held),
        held_words=condition_words(held, template) if held else "",
        waits=[wait_words(wait, template, library) for wait in only.waits_for] if only else (),
        kinds=tuple(KINDS.items()),
        priorities=tuple(PRIORITIES.items()),
        phases=[(p.key, p.label) for p in template.phases if not p.retired or any(s.phase == p.key for s in steps)],
        roles=[(role.key, role.label) for role in template.roles if not role.retired],
        rolls=ROLLS,
        moments=MOMENTS,
        calendars=[document.name for document in calendar_documents(session, template.calendar)],
        texts=shared,
        past=glance(session, me, edition.template_id, only.key) if only and template is edition.template else None,
    )


def _same(texts: Iterable[str | None]) -> str:
    """What they all say; nothing where they differ."""
    distinct = {text or "" for text in texts}
    return distinct.pop() if len(distinct) == 1 else ""


def _neighbours(template: Template, key: str, titles: Mapping[str, str], *, into: bool) -> list[Neighbour]:
    neighbours = []
    for link in template.links:
        if (link.to if into else link.from_) == key:
            other = link.from_ if into else link.to
            before, behind = FOLLOWING[link.type] if into else FOLLOWED[link.type]
            words = behind + lag_words(link)
            neighbours.append(Neighbour(other, titles.get(other, other), before, words, link.from_, link.to, link.type))
    return neighbours


def _builder(template: Template, text: str) -> str:
    """What the script that puts conditions together starts from, as JSON."""
    condition = condition_of(text) if text else None
    kinds = [
        {"key": fact.key, "label": fact.label, "kind": fact.kind, "choices": fact.choices} for fact in template.facts
    ] + [
        {"key": a.key, "label": f"{a.label} (date)", "kind": "anchor", "choices": ()}
        for a in template.anchors
        if not a.required or a.from_
    ]
    clauses = (
        [{"fact": c.fact, "operator": c.operator, "value": c.value} for c in condition.clauses] if condition else []
    )
    return json.dumps(
        {
            "facts": kinds,
            "operators": {kind: [[o, OPERATORS[o]] for o in names] for kind, names in BY_KIND.items()},
            "joiner": condition.joiner if condition else "and",
            "clauses": clauses,
            "raw": text if text and condition is None else "",
        }
    )


def _included(
    session: Session, me: Actor, edition: EditionSeen, included: Linked, key: str, today: dt.date
) -> StepPanel:
    """The panel of a step of an included template: to look at; it is changed where it is written."""
    template = edition.template
    try:
        parts = whole(template, included.library)
        placed = next((one for one in parts.steps if one.key == key), None)
    except DocumentError:
        placed = None
    if placed is None:
        return _nothing(edition)
    include = next(include for include in template.includes if include.key == key.split(".", maxsplit=1)[0])
    inner = included.library.find(include.template)
    home = inner if inner and any(step.key == placed.step.key for step in inner.steps) else None
    inside = (
        _panel(session, me, edition, home or template, [placed.step], today, editable=False)
        if home
        else _nothing(edition)
    )
    values = {f: getattr(inside, f) for f in inside.__dataclass_fields__}
    return StepPanel(**values | {"locked": inner.name if inner else include.template, "attachments": ()})


def _nothing(edition: EditionSeen) -> StepPanel:
    empty: dict[str, str] = dict.fromkeys(FIELD, "")
    return StepPanel(
        edition.template_id, edition.number, (), "This step is not there any more", empty, False, False, "", False,
        (), (), (), (), "{}", "", "{}", "", (), (), (), (), (), (), (), (),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class PartFields:
    """A role, anchor or fact with its fields as they are typed."""

    key: str
    label: str
    values: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class IncludeFields:
    """An included template with what its anchors and roles are here."""

    key: str
    template: str
    id: int | None
    phase: str
    anchors: tuple[tuple[str, str, str], ...]
    roles: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True, slots=True)
class Setup:
    """The panel of the template itself."""

    id: int
    template: Template
    editable: bool
    example: str
    roles: tuple[PartFields, ...]
    anchors: tuple[PartFields, ...]
    facts: tuple[PartFields, ...]
    labels: tuple[PartFields, ...]
    includes: tuple[IncludeFields, ...]
    can_include: tuple[str, ...]
    fills: Sequence[tuple[str, str]]
    kinds: Sequence[tuple[str, str]]
    people: Sequence[tuple[str, str]]
    calendars: Sequence[str]


@router.get("/templates/{template_id}/setup")
def setup(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    template_id: Id,
    edition: Number = None,
) -> Response:
    """Name, roles, anchors, facts, day labels and included templates."""
    with store.reading() as session:
        seen, included = see_whole(session, me, template_id, edition)
        template = seen.template
        fields = Setup(
            id=template_id,
            template=template,
            editable=seen.changeable,
            example=sample_name(template, settings.day()) if template.naming else "",
            roles=tuple(
                PartFields(
                    role.key,
                    role.label,
                    {
                        "fill": role.fill.by, "person": role.fill.person or "", "team": role.fill.team or "",
                        "position": role.fill.position or "", "calendar": role.calendar or "",
                        "retired": _yes(role.retired),
                    },
                )
                for role in template.roles
            ),
            anchors=tuple(
                PartFields(
                    a.key,
                    a.label,
                    {
                        "required": _yes(a.required), "retired": _yes(a.retired),
                        "from": from_words(template, a.key),
                    },
                )
                for a in template.anchors
            ),
            facts=tuple(
                PartFields(
                    fact.key,
                    fact.label,
                    {
                        "kind": fact.kind, "choices": ", ".join(fact.choices),
                        "required": _yes(fact.required), "retired": _yes(fact.retired),
                    },
                )
                for fact in template.facts
            ),
            labels=tuple(
                PartFields(str(i), label.label, {"day": label_words(template, i)})
                for i, label in enumerate(template.day_labels)
            ),
            includes=tuple(_include(template, include.key, included) for include in template.includes),
            can_include=tuple(name for name, number in names_open_to(session, me).items() if number != template_id),
            fills=tuple(FILLS.items()),
            kinds=tuple(FACT_KINDS.items()),
            people=[(person.email, person.name) for person in people(session)],
            calendars=[document.name for document in calendar_documents(session, template.calendar)],
        )  # fmt: skip
    return render(request, "template/_setup.html", {"s": fields})


def _yes(flag: bool) -> str:
    return "yes" if flag else ""


def _include(template: Template, key: str, included: Linked) -> IncludeFields:
    include = next(include for include in template.includes if include.key == key)
    inner = included.library.find(include.template)
    ours_a, ours_r = {a.key for a in template.anchors}, {r.key for r in template.roles}
    anchors = tuple(
        (a.key, a.label, include.anchors.get(a.key, a.key if a.key in ours_a else "")) for a in inner.anchors
    ) if inner else ()  # fmt: skip
    roles = tuple(
        (r.key, r.label, include.roles.get(r.key, r.key if r.key in ours_r else "")) for r in inner.roles
    ) if inner else ()  # fmt: skip
    name = inner.name if inner else include.template
    return IncludeFields(key, name, included.id_of(name), include.phase or "", anchors, roles)
