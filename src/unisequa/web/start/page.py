"""Start: the choices at the left, the run as it would be at the right."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor, people
from unisequa.actions.runs.crew import TEAM, teams_to_choose
from unisequa.actions.runs.start import Choices, Startable, rehearse, rule_of_crew, start_run, startable
from unisequa.core.calendars.typed import typed_date
from unisequa.core.calendars.words import count_words, day_words, span_words
from unisequa.core.documents.template import Template
from unisequa.core.errors import ActionError, DateRangeError, DocumentError, Refused, TypedError
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import number_in
from unisequa.store.store import Session
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id, Number
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()
MOST_LISTED = 12


@dataclass(frozen=True, slots=True)
class Question:
    """One thing asked: an anchor, a fact or a role. ``value`` is what was typed."""

    name: str
    label: str
    kind: str
    value: str
    required: bool
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    fault: str = ""
    read_as: str = ""


@dataclass(frozen=True, slots=True)
class WouldBe:
    """A task as it would be."""

    title: str
    who: str
    dates: str
    note: str


@dataclass(frozen=True, slots=True)
class Group:
    """Tasks that belong together in the list at the right."""

    label: str
    tasks: tuple[WouldBe, ...]


@dataclass(frozen=True, slots=True)
class StartPage:
    """Both halves. ``groups`` is empty while something required is missing."""

    section: str
    template_id: int
    template: str
    edition: int
    draft: bool
    anchors: tuple[Question, ...]
    facts: tuple[Question, ...]
    roles: tuple[Question, ...]
    subject: str
    name: str
    proposed: str
    calendar: str
    calendars: tuple[str, ...]
    by: str
    groups: tuple[Group, ...]
    count: int
    span: str
    warnings: tuple[str, ...]
    more_warnings: int
    missing: tuple[str, ...]
    faults: Mapping[str, str]


@router.get("/start/{template_id}")
def start_page(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, template_id: Id, edition: Number = None
) -> Response:
    """The page, nothing chosen yet."""
    with store.reading() as session:
        on = startable(session, me, template_id, edition)
        page = _page(session, me, on, FormData(), settings.day(), fresh=True)
    return render(request, "start/page.html", page)


@router.post("/start/{template_id}/preview")
def preview(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """The run as it would be with what is chosen so far; nothing is created."""
    with store.reading() as session:
        on = startable(session, me, template_id, _edition(form))
        page = _page(session, me, on, form, settings.day())
    return render(request, "start/_body.html", page)


@router.post("/start/{template_id}")
def start_now(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, template_id: Id
) -> Response:
    """Create the run, whole, or show what is in the way."""
    today = settings.day()
    with (
        store.reading() as session,
        suppress(ActionError, DocumentError, DateRangeError),
    ):  # planned before others have to wait for it
        on = startable(session, me, template_id, _edition(form))
        rehearse(session, me, template_id, on.edition, _choices(session, on, form, today)[0], today)
    try:
        with store.writing() as session:
            on = startable(session, me, template_id, _edition(form))
            choices, faults = _choices(session, on, form, today)
            if faults:
                raise Refused(faults)
            run_id = start_run(session, me, template_id, on.edition, choices, today)
    except Refused as error:
        with store.reading() as session:
            on = startable(session, me, template_id, _edition(form))
            page = _page(session, me, on, form, today, faults=error.faults, tried=True)
        return form_again(request, "start/page.html", page, error.faults)
    return RedirectResponse(f"/runs/{run_id}", status_code=303)


def _edition(form: FormData) -> int | None:
    number = field(form, "edition", 8)
    return number_in(number) or None


def _choices(session: Session, on: Startable, form: FormData, today: dt.date) -> tuple[Choices, dict[str, str]]:
    template = on.template
    calendar_name = field(form, "calendar", 200)
    calendar = Calendars(sorted(on.documents, key=lambda one: calendar_name not in {"", one.name}))[None]
    anchors: dict[str, dt.date] = {}
    faults: dict[str, str] = {}
    for anchor in template.anchors:
        text = field(form, f"anchors.{anchor.key}", 100).strip()
        if text:
            try:
                anchors[anchor.key] = typed_date(text, today=today, base=None, calendar=calendar)
            except (TypedError, DateRangeError) as error:
                faults[f"anchors.{anchor.key}"] = str(error)
    facts = {fact.key: field(form, f"facts.{fact.key}", 2000) for fact in template.facts}
    crew = {role.key: field(form, f"crew.{role.key}", 200) for role in template.roles if f"crew.{role.key}" in form}
    choices = Choices(
        anchors=anchors,
        facts={key: value for key, value in facts.items() if value.strip()},
        crew=crew,
        subject=field(form, "subject", 200),
        name=field(form, "name", 200),
        calendar=calendar_name,
        prepared=field(form, "prepared", 5) == "yes",
    )
    return choices, faults


def _page(
    session: Session,
    me: Actor,
    on: Startable,
    form: FormData,
    today: dt.date,
    *,
    faults: Mapping[str, str] | None = None,
    fresh: bool = False,
    tried: bool = False,
) -> StartPage:
    template = on.template
    choices, typed_faults = _choices(session, on, form, today)
    wrong = {**typed_faults, **(faults or {})}
    plan: Plan | None = None
    missing: list[str] = []
    if not typed_faults:
        try:
            plan = rehearse(session, me, on.template_id, on.edition, choices, today)
        except DocumentError as error:
            for fault in error.faults:
                asked = fault.path.split(".")[0] in {"anchors", "facts"}
                empty = not field(form, fault.path).strip()
                missing.append(fault.message[:1].upper() + fault.message[1:])
                if asked and (tried or not empty):
                    wrong.setdefault(fault.path, missing[-1] + ".")
    everybody = [(str(person.id), person.name) for person in people(session)]
    groups = [(f"{TEAM}{number}", f"anyone of {name}") for number, name in teams_to_choose(session)]
    names = dict([*everybody, *groups])
    crew = _roles(template, rule_of_crew(session, me, template, choices), [*everybody, *groups], wrong)
    who = {ask.name.removeprefix("crew."): names.get(ask.value, ask.value) for ask in crew}
    by = "date" if field(form, "by", 10) == "date" else "who" if field(form, "by", 10) == "who" else "phase"
    reach = plan.reach() if plan else None
    warnings = _looks(template, plan, who)
    return StartPage(
        section="library",
        template_id=on.template_id,
        template=template.name,
        edition=on.edition,
        draft=on.draft,
        anchors=tuple(
            Question(
                f"anchors.{a.key}",
                a.label,
                "date",
                field(form, f"anchors.{a.key}", 100),
                a.required and a.from_ is None,
                "worked out from another date unless you give it" if a.from_ else "" if a.required else "may stay open",
                (),
                wrong.get(f"anchors.{a.key}", ""),
                day_words(choices.anchors[a.key], year=True) if a.key in choices.anchors else "",
            )
            for a in template.anchors
        ),
        facts=tuple(
            Question(
                f"facts.{f.key}",
                f.label,
                f.kind,
                field(form, f"facts.{f.key}", 2000),
                f.required,
                "",
                tuple((c, c) for c in f.choices) or ((("yes", "yes"), ("no", "no")) if f.kind == "yes-no" else ()),
                wrong.get(f"facts.{f.key}", ""),
            )
            for f in template.facts
        ),
        roles=crew,
        subject=choices.subject,
        name=choices.name,
        proposed=plan.name if plan else "",
        calendar=choices.calendar or template.calendar or "",
        calendars=on.calendars,
        by=by,
        groups=_groups(template, plan, who, by) if plan else (),
        count=len(plan.tasks) if plan else 0,
        span=span_words(*reach) + f" {dt.date.fromordinal(reach[1]).year}" if reach else "",
        warnings=tuple(warnings[:MOST_LISTED]),
        more_warnings=max(0, len(warnings) - MOST_LISTED),
        missing=() if fresh and not typed_faults else tuple(missing),
        faults=wrong,
    )


_HINTS = {
    "keeper": "the keeper, you", "outside": "an outside party", "subject": "the one it is about",
    "manager": "the manager of the one it is about",
}  # fmt: skip


def _roles(
    template: Template, filled: Mapping[str, str], everybody: list[tuple[str, str]], faults: Mapping[str, str]
) -> tuple[Question, ...]:
    """The roles with who fills them: as chosen, or by their rule."""
    asks = []
    for role in template.roles:
        name, outside = f"crew.{role.key}", role.fill.by == "outside"
        choices = () if outside else (("", "nobody yet"), *everybody)
        hint = f"anyone of {role.fill.team}" if role.fill.by == "team" else _HINTS.get(role.fill.by, "")
        kind = "text" if outside else "choice"
        fault = faults.get(name, "")
        asks.append(Question(name, role.label, kind, filled.get(role.key, ""), False, hint, choices, fault))
    return tuple(asks)


def _looks(template: Template, plan: Plan | None, who: Mapping[str, str]) -> list[str]:
    """What deserves a look before the run is started."""
    if plan is None:
        return []
    order = {"deadline": 0, "anchor": 0, "window": 0, "drift": 1, "past": 2, "rolled": 3, "undated": 4}
    noticed = [w.text for w in sorted(plan.warnings, key=lambda warning: order.get(warning.kind, 9))]
    used = {task.role for task in plan.tasks}
    empty = [
        f"{role.label} is not filled yet: {count_words(sum(t.role == role.key for t in plan.tasks), 'task')}"
        for role in template.roles
        if role.key in used and not who.get(role.key)
    ]
    return empty + noticed


def _groups(template: Template, plan: Plan, who: Mapping[str, str], by: str) -> tuple[Group, ...]:
    marked = {warning.task: warning for warning in plan.warnings}
    words = {
        "rolled": "rolled",
        "past": "in the past",
        "undated": "",
        "drift": "later than the template",
        "deadline": "after its deadline",
        "anchor": "after its anchor",
        "window": "after its phase's window",
    }
    labels = {phase.key: phase.label for phase in template.phases}
    roles = {role.key: role.label for role in template.roles}
    groups: dict[str, list[WouldBe]] = {}
    positions = list(range(len(plan.tasks)))
    if by == "date":
        positions.sort(key=lambda i: plan.days(i) or (10**7, 10**7))
    elif by == "phase":
        order = {phase.key: i for i, phase in enumerate(template.phases, 1)}
        positions.sort(key=lambda i: order.get(plan.tasks[i].phase or "", 0))
    for i in positions:
        task, days = plan.tasks[i], plan.days(i)
        name = who.get(task.role or "", "")
        if by == "who":
            label = name or f"{roles.get(task.role or '', 'No role')}, nobody yet"
        elif by == "date":
            monday = days[0] - (days[0] + 6) % 7 if days else None
            label = f"Week of {day_words(monday, year=True)}" if monday else "No date yet"
        else:
            label = labels.get(task.phase or "", "")
        warning = marked.get(task.key)
        note = words.get(warning.kind, "") if warning else ""
        dates = span_words(*days) if days else "undated"
        groups.setdefault(label, []).append(WouldBe(task.title, name or roles.get(task.role or "", ""), dates, note))
    return tuple(Group(label, tuple(tasks)) for label, tasks in groups.items())
