"""The start page's form, read: one answer for what several templates ask alike."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Generic, TypeVar

from starlette.datastructures import FormData

from unisequa.actions.people.people import Actor
from unisequa.actions.starting.choices import Choices, Wanted
from unisequa.actions.starting.rehearsing import Startable
from unisequa.actions.subjects import SubjectSeen, date_of, subject_of
from unisequa.core.calendars.grid import DAYS, MINUTES, Grid
from unisequa.core.calendars.typed import typed_moment
from unisequa.core.documents.template import Anchor, Fact, Role
from unisequa.core.errors import DateRangeError, DocumentError, TypedError
from unisequa.core.plan.calendars import Calendars
from unisequa.core.terms import number_in
from unisequa.store.store import Session
from unisequa.web.session import field

T = TypeVar("T", bound=Anchor | Fact | Role)
MOST_TOGETHER = 12
LONGEST_KEY = 200


@dataclass(frozen=True, slots=True)
class Asked(Generic[T]):
    """Something asked once for all templates that have it by that label: its field, and its key in each of them."""

    name: str
    part: T
    keys: Mapping[int, str]


@dataclass(frozen=True, slots=True)
class Together:
    """What is started together: the templates, the first one that of the address, and what they ask."""

    ons: tuple[Startable, ...]
    anchors: tuple[Asked[Anchor], ...]
    facts: tuple[Asked[Fact], ...]
    roles: tuple[Asked[Role], ...]

    @property
    def first(self) -> Startable:
        """That of the address."""
        return self.ons[0]

    def hourly(self, anchor: Asked[Anchor]) -> bool:
        """Whether a job of hours asks for it, so that it has a time."""
        return any(on.grid.per_day > 1 for on in self.ons if on.template_id in anchor.keys)

    @property
    def ids(self) -> tuple[int, ...]:
        """The ids of all."""
        return tuple(on.template_id for on in self.ons)


def together(
    session: Session, me: Actor, first: int, edition: int | None, others: Iterable[int], today: dt.date
) -> Together:
    """The templates that are started together, each once."""
    ids = list(dict.fromkeys(number for number in others if number != first))[: MOST_TOGETHER - 1]
    ons = [Startable(session, me, first, edition, today), *(Startable(session, me, n, None, today) for n in ids)]
    return Together(
        tuple(ons),
        tuple(_asked("anchors", ons, lambda on: on.template.anchors)),
        tuple(_asked("facts", ons, lambda on: on.template.facts)),
        tuple(_asked("crew", ons, lambda on: on.template.roles)),
    )


def _asked(group: str, ons: Sequence[Startable], parts: Callable[[Startable], Sequence[T]]) -> Iterable[Asked[T]]:
    """Each part once: one of another template is the same when it goes by the same label, and is of the same kind."""
    found: dict[tuple[object, ...], tuple[str, T, dict[int, str]]] = {}
    names: set[str] = set()
    for on in ons:
        for part in parts(on):
            same = (" ".join(part.label.split()).casefold(), *_kind(part))
            if same in found:
                found[same][2].setdefault(on.template_id, part.key)
                continue
            name = f"{group}.{part.key}"
            if name in names:
                name = f"{group}.{on.template_id}:{part.key}"
            names.add(name)
            found[same] = (name, part, {on.template_id: part.key})
    return [Asked(*one) for one in found.values()]


def _kind(part: Anchor | Fact | Role) -> tuple[object, ...]:
    if isinstance(part, Fact):
        return part.kind, part.choices
    if isinstance(part, Role):
        return part.fill.by, part.fill.person, part.fill.team, part.fill.position
    return ("derived" if part.from_ is not None else "",)


@dataclass(frozen=True, slots=True)
class FormRead:
    """What the form says: the runs wanted, what was not understood by its field, and what the record of the subject
    filled in (field → text)."""

    wanted: tuple[Wanted, ...]
    faults: dict[str, str]
    about: SubjectSeen | None
    recorded: dict[str, str]
    days: dict[str, dt.date]


def read_form(session: Session, me: Actor, on: Together, form: FormData, today: dt.date) -> FormRead:
    """The form as choices for each template."""
    subject = " ".join(field(form, "subject", 200).split())
    about = subject_of(session, me, subject)
    calendar_name = field(form, "calendar", 200)
    first = on.first
    calendar = Calendars(sorted(first.documents, key=lambda one: calendar_name not in {"", one.name}))[None]
    faults: dict[str, str] = {}

    hours = Grid(MINUTES)

    def day(name: str, text: str, grid: Grid = DAYS) -> dt.date | None:
        try:
            return typed_moment(text, today=today, base=None, calendar=calendar, grid=grid, month_first=me.month_first)
        except (TypedError, DateRangeError) as error:
            faults[name] = str(error)
            return None

    recorded: dict[str, str] = {}
    days: dict[str, dt.date] = {}
    for anchor in on.anchors:
        text = field(form, anchor.name, 100).strip()
        kept = date_of(about.dates, anchor.part.label) if about else None
        if not text and kept is not None:
            recorded[anchor.name] = kept.isoformat()
            days[anchor.name] = kept
        elif text and (typed := day(anchor.name, text, hours if on.hourly(anchor) else DAYS)) is not None:
            days[anchor.name] = typed
    facts: dict[str, str] = {}
    for fact in on.facts:
        text = field(form, fact.name, 2000)
        if not text.strip() and about is not None and (said := _of_record(about, fact.part.label)):
            text = recorded[fact.name] = said
        if fact.part.kind == "date" and text.strip() and (typed := day(fact.name, text.strip())) is not None:
            text = typed.isoformat()
        if text.strip() and fact.name not in faults:
            facts[fact.name] = text
    crew = {role.name: field(form, role.name, 200) for role in on.roles if role.name in form}
    end_text, opens_text = field(form, "end", 100).strip(), field(form, "opens_on", 100).strip()
    end, opens = (day("end", end_text) if end_text else None), (day("opens_on", opens_text) if opens_text else None)
    prepared = field(form, "prepared", 5) == "yes"
    wanted = []
    for n, one in enumerate(on.ons):
        number = one.template_id
        put = {}
        for key, text in _mended(form, "put", number).items():
            if text and (typed := day(f"put.{number}:{key}", text, one.grid)) is not None:
                put[key] = typed
        choices = Choices(
            anchors={asked.keys[number]: _on(one.grid, days[asked.name]) for asked in on.anchors
                     if number in asked.keys and asked.name in days},
            facts={asked.keys[number]: facts[asked.name] for asked in on.facts
                   if number in asked.keys and asked.name in facts},
            crew={asked.keys[number]: crew[asked.name] for asked in on.roles
                  if number in asked.keys and asked.name in crew},
            subject=subject,
            name=field(form, "name" if n == 0 else f"name.{number}", 200),
            calendar=calendar_name if calendar_name in one.calendars else "",
            prepared=prepared,
            opens_on=opens if prepared else None,
            without=frozenset(_left_out(form, number)),
            put=put,
            given={key: who for key, text in _mended(form, "give", number).items() if (who := number_in(text))},
            awaits={int(key): run for key, text in _mended(form, "await", number).items()
                    if key.isdigit() and (run := number_in(text))},
            end=end,
        )  # fmt: skip
        wanted.append(Wanted(number, one.edition, choices))
    return FormRead(tuple(wanted), faults, about, recorded, days)


def _on(grid: Grid, day: dt.date) -> dt.date:
    """A date as a template on a grid takes it: without its time where that goes by days."""
    return day if grid.per_day > 1 or not isinstance(day, dt.datetime) else day.date()


def _of_record(about: SubjectSeen, label: str) -> str:
    """What a record says of a fact that is called as a part of it."""
    return {"position": about.position, "unit": about.unit, "name": about.name}.get(label.strip().casefold(), "")


def _mended(form: FormData, what: str, template_id: int) -> dict[str, str]:
    """Task → what was typed for it."""
    start = f"{what}.{template_id}:"
    return {
        name.removeprefix(start)[:LONGEST_KEY]: str(value)[:100].strip()
        for name, value in form.multi_items()
        if name.startswith(start)
    }


def _left_out(form: FormData, template_id: int) -> Iterable[str]:
    start = f"{template_id}:"
    for value in form.getlist("without"):
        if isinstance(value, str) and value.startswith(start):
            yield value.removeprefix(start)[:LONGEST_KEY]


def without_wrong(choices: Choices, error: DocumentError) -> Choices:
    """The choices without the facts and dates that are wrong, which are told where they were given."""
    wrong = {fault.path for fault in error.faults}
    facts = {key: text for key, text in choices.facts.items() if f"facts.{key}" not in wrong}
    put = {key: day for key, day in choices.put.items() if f"put.{key}" not in wrong}
    return replace(choices, facts=facts, put=put)


def _opened_by_end(template: Startable, choices: Choices, opening: str) -> dt.date:
    try:
        return template.opened_by_end(choices, opening).anchors[opening]
    except DocumentError as error:
        if (passable := without_wrong(choices, error)) == choices:
            raise
        return template.opened_by_end(passable, opening).anchors[opening]


def opened(on: Together, read: FormRead) -> FormRead:
    """What the form says with openings that follow from the end, where that was given and they were not."""
    wanted, faults, days = [], dict(read.faults), dict(read.days)
    for one, template in zip(read.wanted, on.ons, strict=True):
        choices, opening = one.choices, template.opening
        if choices.end is not None and opening is not None and opening not in choices.anchors:
            try:
                day = _opened_by_end(template, choices, opening)
                choices = replace(choices, anchors={**choices.anchors, opening: day})
                name = next(asked.name for asked in on.anchors if asked.keys.get(one.template_id) == opening)
                days[name] = min(day, days.get(name, day), key=dt.date.isoformat)
            except (TypedError, DocumentError) as error:
                faults["end"] = str(error)
        wanted.append(replace(one, choices=choices))
    return replace(read, wanted=tuple(wanted), faults=faults, days=days)
