"""Start: the choices at the left, the runs as they would be at the right, from the first moment."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import Field
from starlette.datastructures import FormData
from starlette.responses import JSONResponse, RedirectResponse, Response

from unisequa.actions.people.people import Actor, people
from unisequa.actions.runs.crew import TEAM, teams_to_choose
from unisequa.actions.starting.awaiting import Awaits, awaiting
from unisequa.actions.starting.creating import start_runs
from unisequa.actions.starting.filling import Filled
from unisequa.actions.starting.looks import KINDS, noticed, summed_up
from unisequa.actions.starting.results import Alike, Made, alike, crew_of_last, see_start
from unisequa.actions.subjects import SubjectSeen, find_subjects
from unisequa.actions.templates.library import startable_names
from unisequa.core.calendars.words import day_words, some_names, span_words
from unisequa.core.documents.template import Anchor, Fact, Role
from unisequa.core.errors import ActionError, DateRangeError, DocumentError, Refused
from unisequa.core.terms import number_in
from unisequa.store.store import Session
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field
from unisequa.web.start.form import MOST_TOGETHER, Asked, FormRead, Together, opened, read_form, together
from unisequa.web.start.progress import PROGRESS
from unisequa.web.start.rows import Shown, StartSheet, start_sheet
from unisequa.web.start.would_be import WouldBe, lacking, would_be

router = APIRouter()
MOST_LISTED = 12
Others = Annotated[list[Annotated[int, Field(ge=1, lt=2**31)]], Query(max_length=MOST_TOGETHER)]
About = Annotated[str, Query(max_length=200)]
OnDay = Annotated[str, Query(max_length=30)]


@dataclass(frozen=True, slots=True)
class Question:
    """One thing asked: an anchor, a fact or a role. ``value`` is what was typed; ``last`` what it was the last time,
    as forms say it and in words."""

    name: str
    label: str
    kind: str
    value: str
    required: bool
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    fault: str = ""
    read_as: str = ""
    last: tuple[str, str] = ("", "")
    hourly: bool = False


@dataclass(frozen=True, slots=True)
class Job:
    """A template that is started: what it would come to."""

    id: int
    name: str
    edition: int
    draft: bool
    count: int
    proposed: str
    named: str


@dataclass(frozen=True, slots=True)
class StartPage:
    """Both halves."""

    section: str
    template_id: int
    token: str
    jobs: tuple[Job, ...]
    more: tuple[tuple[int, str], ...]
    anchors: tuple[Question, ...]
    facts: tuple[Question, ...]
    roles: tuple[Question, ...]
    subject: str
    about: SubjectSeen | None
    subjects: tuple[str, ...]
    calendar: str
    calendars: tuple[str, ...]
    end: str
    end_of: str
    prepared: bool
    opens_on: str
    opens_read: str
    by: str
    open_row: str
    sheet: StartSheet
    kept: tuple[tuple[str, str], ...]
    everybody: tuple[tuple[str, str], ...]
    count: int
    span: str
    looks: tuple[tuple[int, str, int], ...]
    begin: dt.date
    warnings: tuple[str, ...]
    more_warnings: int
    alike: tuple[Alike, ...]
    awaits: tuple[Awaits, ...]
    last: str
    missing: tuple[str, ...]
    standing_in: tuple[str, ...]
    faults: Mapping[str, str]


@router.get("/start/{template_id}")
def start_page(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    template_id: Id,
    edition: Number = None,
    t: Others = [],  # noqa: B006
    about: About = "",
    first: OnDay = "",
    last: OnDay = "",
) -> Response:
    """The page, nothing chosen yet but who it is about, or the days from the first to the last of which it is to be."""
    form = FormData([("subject", about)])
    with store.reading() as session:
        on = together(session, me, template_id, edition, t, settings.day())
        form = FormData([*form.multi_items(), *_in_days(on, first, last)])
        page = _page(session, me, on, form, settings.day(), fresh=True)
    return render(request, "start/page.html", page)


def _in_days(on: Together, first: str, last: str) -> Iterator[tuple[str, str]]:
    """The dates asked for, as typed: what is counted back from is on the last day, what is counted from on the first;
    of several the last is on the last day."""
    asked = [one for one in on.anchors if one.part.required and one.part.from_ is None]
    signs = [str(step.when.offset).startswith("-") for step in on.first.template.steps if step.when is not None]
    backward = sum(signs) * 2 > len(signs)
    for n, one in enumerate(asked):
        ends = n == len(asked) - 1 if len(asked) > 1 else backward
        day = (last or first) if ends else first
        if day:
            yield one.name, day


@router.post("/start/{template_id}/preview")
def preview(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """The runs as they would be with what is chosen so far; nothing is created."""
    with store.reading() as session:
        on = _together(session, me, form, template_id, settings.day())
        page = _page(session, me, on, form, settings.day())
    return render(request, "start/_body.html", page)


@router.post("/start/{template_id}")
def start_now(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """Create the runs, all of them whole, or show what is in the way."""
    today, token = settings.day(), field(form, "token", 64)
    with store.reading() as session:  # planned before others have to wait for it
        on = _together(session, me, form, template_id, today)
        read = _read(session, me, on, form, today)
        with suppress(ActionError, DocumentError, DateRangeError):
            would_be(on, read)
    try:
        if read.faults:
            raise Refused(read.faults)
        with PROGRESS.of(me.id, token) as told, store.writing() as session:
            number = start_runs(session, me, read.wanted, today, token, told)
    except Refused as error:
        with store.reading() as session:
            on = _together(session, me, form, template_id, today)
            page = _page(session, me, on, form, today, faults=_by_field(on, error.faults), tried=True)
        return form_again(request, "start/page.html", page, error.faults)
    return RedirectResponse(f"/starts/{number}", status_code=303)


@router.get("/start-progress/{token}")
def progress(me: SignedIn, token: Annotated[str, Field(max_length=64)]) -> Response:
    """How many tasks a start has made by now; what it is asked of is over when it does not know it."""
    return JSONResponse({"tasks": PROGRESS.now(me.id, token)})


@dataclass(frozen=True, slots=True)
class ResultPage:
    """What a start came to."""

    section: str
    runs: tuple[Made, ...]


@router.get("/starts/{number}")
def result(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, number: Id) -> Response:
    """How many tasks were created for whom, and which steps were left out."""
    with store.reading() as session:
        page = ResultPage("runs", see_start(session, me, number, settings.day()))
    return render(request, "start/result.html", page)


def _together(session: Session, me: Actor, form: FormData, template_id: int, today: dt.date) -> Together:
    others = [number for value in form.getlist("t") if isinstance(value, str) and (number := number_in(value))]
    return together(session, me, template_id, number_in(field(form, "edition", 8)) or None, others, today)


def _read(session: Session, me: Actor, on: Together, form: FormData, today: dt.date) -> FormRead:
    return opened(on, read_form(session, me, on, form, today))


def _by_field(on: Together, faults: Mapping[str, str]) -> dict[str, str]:
    """Faults of one template's run at the fields that are asked for all."""
    names: dict[str, str] = {}
    for group, asked in (("anchors", on.anchors), ("facts", on.facts), ("crew", on.roles)):
        for one in asked:
            for number, key in one.keys.items():
                names[f"{number}:{group}.{key}"] = one.name
    return {names.get(path, path): message for path, message in faults.items()}


def _page(
    session: Session,
    me: Actor,
    on: Together,
    form: FormData,
    today: dt.date,
    *,
    faults: Mapping[str, str] | None = None,
    fresh: bool = False,
    tried: bool = False,
) -> StartPage:
    read = _read(session, me, on, form, today)
    would = would_be(on, read)
    wrong, missing = _told(on, read, would, form, tried=tried)
    wrong |= faults or {}
    looks = noticed(session, would.runs, today) if would.runs else []
    if not would.dated:
        looks = [[one for one in found if one.kind in {"nobody", "twice"}] for found in looks]
    every = [one for found in looks for one in found]
    summed = [(n, words, count) for n, (words, count) in enumerate(summed_up(every), 1)]
    numbers = {kind: n for n, words, _ in summed for kind, said in KINDS.items() if said == words}
    everybody = [(str(person.id), person.name) for person in people(session)]
    names = {int(number): name for number, name in everybody}
    groups = [(f"{TEAM}{number}", f"anyone of {name}") for number, name in teams_to_choose(session)]
    last = [crew_of_last(session, me, one.template_id) for one in on.ons]
    by = {"date": "date", "who": "who"}.get(field(form, "by", 10), "phase")
    shown = Shown(by, field(form, "open", 300), numbers, would.dated)
    days = {w.template_id: w.choices.anchors.get(o.opening or "") for w, o in zip(read.wanted, on.ons, strict=True)}
    plans = {run.on.template_id: run.plan for run in would.runs}
    first = read.wanted[0].choices
    nobody = list(dict.fromkeys(one.text for one in every if one.kind == "nobody"))
    without_task = [f"Nobody fills {some_names(nobody, 4)}."] if nobody else []
    without_task += [one.text for one in every if one.task is None and one.kind != "nobody"]
    return StartPage(
        section="library",
        template_id=on.first.template_id,
        token=field(form, "token", 64) or secrets.token_urlsafe(16),
        jobs=tuple(
            Job(
                one.template_id, one.template.name, one.edition, one.draft,
                sum(not plans[one.template_id].is_parent(i) for i in range(len(plans[one.template_id].tasks)))
                if one.template_id in plans else len(one.template.steps),
                plans[one.template_id].name if one.template_id in plans else "", wanted.choices.name,
            )
            for one, wanted in zip(on.ons, read.wanted, strict=True)
        ),
        more=tuple(one for one in startable_names(session, me) if one[0] not in on.ids),
        anchors=tuple(_anchor(asked, form, read, wrong, on) for asked in on.anchors),
        facts=tuple(_fact(asked, form, read, wrong) for asked in on.facts),
        roles=tuple(
            _role(asked, would, [*everybody, *groups], wrong, [one[1] if one else {} for one in last], on)
            for asked in on.roles
        ),
        subject=first.subject,
        about=read.about,
        subjects=tuple(one.name for one in find_subjects(session, me)),
        calendar=first.calendar or on.first.template.calendar or "",
        calendars=on.first.calendars,
        end=field(form, "end", 100),
        end_of=_end_of(on, read),
        prepared=first.prepared,
        opens_on=field(form, "opens_on", 100),
        opens_read=day_words(first.opens_on, year=True) if first.opens_on else "",
        by=by,
        open_row=shown.open,
        sheet=start_sheet(would.runs, looks, names, shown),
        kept=_kept(form, shown.open),
        everybody=tuple(everybody),
        count=would.count,
        span=_span(would) if would.dated else "",
        looks=tuple(summed),
        begin=_next_worked(would, today),
        warnings=tuple(without_task[:MOST_LISTED]),
        more_warnings=max(0, len(without_task) - MOST_LISTED),
        alike=tuple(alike(session, me, on.ids, first.subject, days, [plan.name for plan in plans.values()])),
        awaits=tuple(x for one, w in zip(on.ons, read.wanted, strict=True) for x in awaiting(one, w.choices)),
        last=next((one[0] for one in last if one), ""),
        missing=() if fresh and not read.faults else tuple(missing),
        standing_in=tuple(dict.fromkeys(lacking(would.runs))),
        faults=wrong,
    )  # fmt: skip


def _told(
    on: Together, read: FormRead, would: WouldBe, form: FormData, *, tried: bool
) -> tuple[dict[str, str], list[str]]:
    """What is wrong by its field, and what is missing in words; a required field is a fault once one tried to start."""
    wrong, missing = dict(read.faults), []
    for number, fault in would.missing:
        words = fault.message[:1].upper() + fault.message[1:]
        name = _by_field(on, {f"{number}:{fault.path}": ""}).popitem()[0].removeprefix(f"{number}:")
        if words not in missing:
            missing.append(words)
        asked = name.partition(".")[0] in {"anchors", "facts"}
        if not asked or tried or field(form, name).strip():
            wrong.setdefault(name if asked else f"{number}:{fault.path}", f"{words}.")
    return wrong, missing


def _kept(form: FormData, open_row: str) -> tuple[tuple[str, str], ...]:
    """What was mended, to be sent again; the open row has fields of its own for it."""
    mended = [(name, str(value)) for name, value in form.multi_items() if name.partition(".")[0] in {"put", "give"}]
    kept = [(name, value) for name, value in mended if value.strip() and name.partition(".")[2] != open_row]
    return (*kept, *(("without", str(value)) for value in form.getlist("without")))


def _next_worked(would: WouldBe, today: dt.date) -> dt.date:
    """Today, or the next day that is worked."""
    if not would.runs:
        return today
    return dt.date.fromordinal(would.runs[0].plan.calendars.by_day[None].roll_forward(today.toordinal()))


def _span(would: WouldBe) -> str:
    reach = would.reach
    return span_words(*reach, year=True) if reach else ""


def _end_of(on: Together, read: FormRead) -> str:
    """What follows from the end, where it is given: ``First day Mon 4 Jan 2027``."""
    said = []
    for one, wanted in zip(on.ons, read.wanted, strict=True):
        opening = one.opening
        if wanted.choices.end is None or opening is None or opening not in wanted.choices.anchors:
            continue
        label = next(anchor.label for anchor in one.template.anchors if anchor.key == opening)
        said.append(f"{label} {_read_as(wanted.choices.anchors[opening])}")
    return ", ".join(dict.fromkeys(said))


def _read_as(day: dt.date) -> str:
    time = f" {day:%H:%M}" if isinstance(day, dt.datetime) else ""
    return day_words(dt.date(day.year, day.month, day.day), year=True) + time


def _anchor(asked: Asked[Anchor], form: FormData, read: FormRead, wrong: Mapping[str, str], on: Together) -> Question:
    part = asked.part
    derived = part.from_ is not None
    hint = "worked out from another date unless you give it" if derived else "" if part.required else "may stay open"
    if asked.name in read.recorded:
        hint = "from the record"
    typed = field(form, asked.name, 100)
    day = read.days.get(asked.name)
    return Question(
        asked.name, part.label, "date", typed or read.recorded.get(asked.name, ""), part.required and not derived,
        hint, (), wrong.get(asked.name, ""), _read_as(day) if day else "", hourly=on.hourly(asked),
    )  # fmt: skip


def _fact(asked: Asked[Fact], form: FormData, read: FormRead, wrong: Mapping[str, str]) -> Question:
    part = asked.part
    choices = tuple((c, c) for c in part.choices) or ((("yes", "yes"), ("no", "no")) if part.kind == "yes-no" else ())
    recorded = read.recorded.get(asked.name, "")
    return Question(
        asked.name, part.label, part.kind, field(form, asked.name, 2000) or recorded, part.required,
        "from the record" if recorded else "", choices, wrong.get(asked.name, ""),
    )  # fmt: skip


_HINTS = {
    "keeper": "the keeper, you", "outside": "outside: name <mail>", "subject": "the one it is about",
    "manager": "the manager of the one it is about",
}  # fmt: skip


def _role(
    asked: Asked[Role],
    would: WouldBe,
    everybody: Sequence[tuple[str, str]],
    wrong: Mapping[str, str],
    last: Sequence[Mapping[str, tuple[str, str]]],
    on: Together,
) -> Question:
    """A role with who fills it, as chosen or by its rule, and who did the last time."""
    fill, outside = asked.part.fill, asked.part.fill.by == "outside"
    value = ""
    for run in would.runs:
        key = asked.keys.get(run.on.template_id)
        if key is not None and (member := run.members.get(key, Filled())).value:
            value = member.value
            break
    before = ("", "")
    for one, crew in zip(on.ons, last, strict=True):
        key = asked.keys.get(one.template_id)
        before = crew.get(key or "", before)
    hint = _HINTS.get(fill.by, "")
    if fill.by in {"team", "position"}:
        hint = f"anyone of {fill.team}" if fill.by == "team" else f"by position: {fill.position or 'none named'}"
    return Question(
        asked.name, asked.part.label, "text" if outside else "choice", value, False, hint,
        () if outside else (("", "nobody yet"), *everybody), wrong.get(asked.name, ""), "",
        before if before[0] != value and fill.by in {"ask", "outside", "position", "person"} else ("", ""),
    )  # fmt: skip
