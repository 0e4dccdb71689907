"""Runs: the list of them, and one as sheet, list, crew, facts and history."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.errors import Refused
from unisequa.actions.history import run_history
from unisequa.actions.people.people import people
from unisequa.actions.runs import runs as actions
from unisequa.core.calendars.words import day_words
from unisequa.core.documents.template import Template
from unisequa.core.terms import FINISHED
from unisequa.core.work.task_states import Act
from unisequa.formats.icalendar import plan_ics
from unisequa.formats.plan_tables import plan_csv
from unisequa.store.documents import template_of_run
from unisequa.store.plans import plan_of
from unisequa.store.tables import Run
from unisequa.web.pages import render
from unisequa.web.run.asked import Asked, asked_in
from unisequa.web.run.views import (
    VIEWS,
    LastShift,
    Panel,
    RunHead,
    Work,
    last_shift,
    outlook,
    run_head,
    task_panel,
    who_in,
    work,
)
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class RunLine:
    """A run in the list."""

    id: int
    name: str
    template: str
    keeper: str
    state: str
    done: int
    of: int
    next: str
    ends: str
    outlook: str


@dataclass(frozen=True, slots=True)
class RunsPage:
    """The list of runs."""

    section: str
    runs: tuple[RunLine, ...]


@dataclass(frozen=True, slots=True)
class RunPage:
    """The sheet or the list of a run."""

    section: str
    views: tuple[tuple[str, str], ...]
    view: str
    head: RunHead
    work: Work


@dataclass(frozen=True, slots=True)
class PanelPiece:
    """The panel alone."""

    panel: Panel
    head: RunHead


@dataclass(frozen=True, slots=True)
class RolePlace:
    """A role in the crew."""

    role: str
    label: str
    person_id: int
    outside: str
    name: str
    by_outside: bool
    tasks: int
    open: int


@dataclass(frozen=True, slots=True)
class SidePage:
    """Crew, facts or history of a run; only one of them is filled."""

    section: str
    views: tuple[tuple[str, str], ...]
    view: str
    head: RunHead
    crew: tuple[RolePlace, ...] = ()
    people: tuple[tuple[int, str], ...] = ()
    facts: tuple[tuple[str, str], ...] = ()
    anchors: tuple[tuple[str, str], ...] = ()
    calendars: tuple[str, ...] = ()
    history: tuple[tuple[str, str, str], ...] = ()
    last: LastShift | None = None
    fault: str = ""


@router.get("/runs")
def list_runs(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """All runs."""
    with store.reading() as session:
        lines = tuple(_line(run, settings) for run in actions.runs(session, me))
    return render(request, "run/list.html", RunsPage("runs", lines))


def _line(run: Run, settings: SettingsOf) -> RunLine:
    plan = plan_of(run, settings.day())
    reach = plan.reach()
    ahead = sorted(
        (day, plan.labels[key]) for key, day in plan.anchors.items() if day and plan.today and day >= plan.today
    )
    worked = [task for i, task in enumerate(plan.tasks) if not plan.is_parent(i)]
    done = sum(task.state in FINISHED for task in worked)
    words = outlook(plan) if run.state == "live" else ""
    next_words = f"{ahead[0][1]} {day_words(ahead[0][0])}" if ahead else ""
    template = run.edition.template.name
    ends = day_words(reach[1], year=True) if reach else ""
    return RunLine(run.id, run.name, template, run.keeper.name, run.state, done, len(worked), next_words, ends, words)


@router.get("/runs/{run_id}")
def run_page(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    run_id: int,
    view: str = "sheet",
    task: str = "",
    zoom: str = "day",
) -> Response:
    """A run in one of its views."""
    if view in {"crew", "facts", "history"}:
        return _side(request, me, store, settings, run_id, view)
    view = "list" if view == "list" else "sheet"
    asked = Asked(zoom=zoom, selected=task, view=view)  # type: ignore[arg-type]
    with store.reading() as session:
        piece = work(session, me, run_id, asked, settings.day())
    return render(request, "run/page.html", RunPage("runs", VIEWS, view, piece.head, piece))


@router.get("/runs/{run_id}/tasks/{key}")
def panel(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int, key: str) -> Response:
    """The panel of one task."""
    with store.reading() as session:
        run = actions.run_of(session, run_id, me)
        plan = plan_of(run, settings.day())
        actions.task_of(run, key)
        piece = PanelPiece(task_panel(run, me, plan, template_of_run(run), key), run_head(run, me, plan))
    return render(request, "run/_panel.html", piece)


def _side(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int, view: str, fault: str = ""
) -> Response:
    with store.reading() as session:
        run = actions.run_of(session, run_id, me)
        plan, template = plan_of(run, settings.day()), template_of_run(run)
        page = SidePage(
            "runs",
            VIEWS,
            view,
            run_head(run, me, plan),
            crew=_crew(run, template),
            people=tuple((person.id, person.name) for person in people(session)),
            facts=tuple((fact.label, _shown(run.facts.get(fact.key))) for fact in template.facts),
            anchors=run_head(run, me, plan).anchors,
            calendars=tuple(document["name"] for document in run.calendars[:1]),
            history=tuple(
                (f"{day_words(row.at.date())} {row.at:%H:%M}", row.person.name, row.text)
                for row in (run_history(session, run_id) if view == "history" else ())
            ),
            last=last_shift(run),
            fault=fault,
        )
    return render(request, f"run/{view}.html", page, status=422 if fault else 200)


def _shown(value: object) -> str:
    if value is None or value == "":
        return "not given"
    return f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else str(value)


def _crew(run: Run, template: Template) -> tuple[RolePlace, ...]:
    outside = {role.key for role in template.roles if role.fill.by == "outside"}
    places = []
    for member in run.crew:
        mine = [row for row in run.tasks if row.role == member.role]
        still = sum(row.state not in FINISHED for row in mine)
        places.append(
            RolePlace(
                member.role,
                member.label,
                member.person_id or 0,
                member.outside,
                member.name,
                member.role in outside,
                len(mine),
                still,
            )
        )
    return tuple(places)


@router.post("/runs/{run_id}/crew")
def change_crew(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: int
) -> Response:
    """Put somebody in a role."""
    try:
        with store.writing() as session:
            actions.fill_role(session, me, run_id, field(form, "role", 80), field(form, "who", 200))
    except Refused as error:
        return _side(request, me, store, settings, run_id, "crew", str(error))
    return RedirectResponse(f"/runs/{run_id}?view=crew", status_code=303)


@router.post("/runs/{run_id}/state")
def change_state(request: Request, me: SignedIn, form: Posted, store: StoreOf, run_id: int) -> Response:
    """Open, hold, finish or call off a run."""
    with store.writing() as session:
        actions.set_run_state(session, me, run_id, field(form, "state", 20))
    return RedirectResponse(f"/runs/{run_id}", status_code=303)


@router.post("/runs/{run_id}/tasks/{key}/act")
def act(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: int, key: str
) -> Response:
    """Begin, finish, sign off, send back, drop or reopen a task."""
    asked = asked_in(form, selected=key)
    faults: tuple[tuple[str, str], ...] = ()
    try:
        with store.writing() as session:
            wanted = cast(Act, field(form, "act", 20))
            confirmed = field(form, "confirmed", 5) == "yes"
            actions.act_on_task(session, me, run_id, key, wanted, settings.day(), confirmed=confirmed)
    except Refused as error:
        faults = tuple(error.faults.items())
    with store.reading() as session:
        from dataclasses import replace

        piece = work(session, me, run_id, replace(asked, faults=asked.faults + faults), settings.day())
    return render(request, "run/_work.html", {"work": piece}, status=422 if faults else 200)


@router.get("/runs/{run_id}/tasks.csv")
def csv(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int) -> Response:
    """The list of tasks as CSV."""
    with store.reading() as session:
        run = actions.run_of(session, run_id, me)
        crew, template = who_in(run), template_of_run(run)
        phases = {phase.key: phase.label for phase in template.phases}
        text = plan_csv(_with_states(run, settings), who=lambda role: crew.get(role or "", ("", ""))[0], phases=phases)
    return _download("\ufeff" + text, "text/csv; charset=utf-8", f"{_file_name(run.name)}.csv")


@router.get("/runs/{run_id}/tasks.ics")
def ics(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int) -> Response:
    """The tasks as iCalendar to-dos."""
    with store.reading() as session:
        run = actions.run_of(session, run_id, me)
        texts = {row.key: row.instructions for row in run.tasks}
        content = plan_ics(_with_states(run, settings), identity=f"run-{run.id}", notes=lambda key: texts.get(key, ""))
    return _download(content.decode(), "text/calendar; charset=utf-8", f"{_file_name(run.name)}.ics")


def _with_states(run: Run, settings: SettingsOf):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    from unisequa.core.work.task_states import shown_state

    plan = plan_of(run, settings.day())
    tasks = tuple(replace(task, state=shown_state(plan, i)) for i, task in enumerate(plan.tasks))
    return replace(plan, tasks=tasks)


def _download(text: str, kind: str, name: str) -> Response:
    return Response(text, media_type=kind, headers={"content-disposition": f'attachment; filename="{name}"'})


def _file_name(name: str) -> str:
    from unisequa.core.design.editing import slug

    return slug(name, fallback="run")
