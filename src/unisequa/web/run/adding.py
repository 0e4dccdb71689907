"""Tasks of a run's own: typed, pasted, from a file, from a template; and taken out again."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import partial

from fastapi import APIRouter, Request
from starlette.datastructures import FormData, UploadFile
from starlette.responses import RedirectResponse, Response

from unisequa.actions.people.people import Actor, people
from unisequa.actions.runs.own import NewTask, Place, add_tasks, in_lines, remove_task
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.starting.into_run import add_template
from unisequa.actions.templates.library import startable_names
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.typed import typed_moment
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import DateRangeError, DocumentError, NotAllowed, Refused, TypedError
from unisequa.core.terms import number_in
from unisequa.formats.apart import read_apart
from unisequa.store.store import Store
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.run.acts import answer
from unisequa.web.run.asked import asked_in
from unisequa.web.run.head import VIEWS, RunHead, run_head
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()
FIELDS = ("title", "who", "start", "days", "after", "effort", "phase", "under", "lines", "template", "day")


@dataclass(frozen=True, slots=True)
class AddingPage:
    """The three ways in which tasks come, with what was typed."""

    section: str
    views: tuple[tuple[str, str], ...]
    view: str
    head: RunHead
    phases: tuple[tuple[str, str], ...]
    tasks: tuple[tuple[str, str], ...]
    names: tuple[str, ...]
    templates: tuple[tuple[int, str], ...]
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)
    told: tuple[str, ...] = ()


@router.get("/runs/{run_id}/add")
def adding(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """The page."""
    return render(request, "run/add.html", _page(store, me, run_id, settings.day()))


@router.post("/runs/{run_id}/add")
def add(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Add one task, many, or a template's; all or none."""
    today = settings.day()
    with store.reading() as session:
        grid = see_run(session, me, run_id, today).plan.grid
    place = Place(text_field(form, "phase", 80), text_field(form, "under", 200))
    tasks: list[NewTask] = []
    try:
        if text_field(form, "what", 20) == "template":
            day = (
                _day(text_field(form, "day", 60), today=today, name="day", grid=grid, month_first=me.month_first)
                or today
            )
            number = number_in(text_field(form, "template", 12))
            if not number:
                raise Refused({"template": "Choose a template."})
            with store.writing() as session:
                keys = add_template(session, me, run_id, number, day, place, today)
        else:
            habit = partial(_day, today=today, grid=grid, month_first=me.month_first)
            tasks = _lines(form, habit) if text_field(form, "what", 20) == "lines" else [_one(form, habit)]
            with store.writing() as session:
                keys = add_tasks(session, me, run_id, tasks, place, today)
    except Refused as error:
        typed = {name: text_field(form, name, 200_000) for name in FIELDS}
        page = _page(store, me, run_id, today)
        told = tuple(
            f"Row {n + 1}{', ' + tasks[n].title[:80] if tasks[n].title else ''}: {message}"
            for path, message in error.faults.items()
            if path.startswith("lines.") and (n := int(path.removeprefix("lines."))) < len(tasks)
        )
        if "title" in form and "lines.0" in error.faults and text_field(form, "what", 20) == "one":
            told = (error.faults["lines.0"],)
        page = replace(page, typed=typed, faults=error.faults, told=told)
        return form_again(request, "run/add.html", page, error.faults)
    return RedirectResponse(f"/runs/{run_id}?task={keys[0]}", status_code=303)


@router.post("/runs/{run_id}/tasks/{key}/remove")
def remove(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, key: str
) -> Response:
    """Take a task of the run's own out again."""
    asked = asked_in(form, selected="")
    try:
        with store.writing() as session:
            title = remove_task(session, me, run_id, key, settings.day())
        asked = replace(asked, toast=f"{title} is taken out.")
    except Refused as error:
        asked = replace(asked, selected=key, faults=asked.faults + tuple(error.faults.items()))
    return answer(request, me, store, settings, run_id, asked)


def _page(store: Store, me: Actor, run_id: int, today: dt.date) -> AddingPage:
    with store.reading() as session:
        run = see_run(session, me, run_id, today)
        if not run.may_change:
            raise NotAllowed(f"Only {run.keeper}, who keeps this run, adds tasks to it.")
        names = [member.label for member in run.crew] + [person.name for person in people(session)]
        templates = tuple(startable_names(session, me))
    open_tasks = [task for task in run.plan.tasks if task.state not in {"done", "dropped"}]
    return AddingPage(
        "runs",
        VIEWS,
        "add",
        run_head(run),
        tuple((phase.key, phase.label) for phase in run.template.phases),
        tuple((task.key, task.title) for task in open_tasks),
        tuple(dict.fromkeys(names)),
        templates,
    )


def _day(text: str, *, today: dt.date, name: str, grid: Grid, month_first: bool) -> dt.date | None:
    if not text.strip():
        return None
    try:
        return typed_moment(
            text, today=today, base=None, calendar=WorkingCalendar(), grid=grid, month_first=month_first
        )
    except (TypedError, DateRangeError) as error:
        raise Refused({name: str(error)}) from error


def _one(form: FormData, day: Callable[..., dt.date | None]) -> NewTask:
    start, days = day(text_field(form, "start", 60), name="start"), text_field(form, "days", 40)
    title, who = text_field(form, "title", 1000), text_field(form, "who", 200)
    return NewTask(title, who, start, days, text_field(form, "after", 400), text_field(form, "effort", 40))


def _lines(form: FormData, day: Callable[..., dt.date | None]) -> list[NewTask]:
    """The rows of a file, or of what was pasted: cells by tabs, semicolons where there is one in the first row."""
    file, text = form.get("file"), text_field(form, "lines", 400_000)
    rows: list[list[str]] = []
    if isinstance(file, UploadFile) and file.filename:
        try:
            found = read_apart(file.file.read(), file.filename[:200])
        except DocumentError as error:
            raise Refused({"file": "; ".join(str(fault) for fault in error.faults[:3])}) from error
        if found.template is not None:
            raise Refused({"file": "This is a template, not a table; import it in the library, then add it below."})
        rows = [list(found.names), *(list(row) for row in found.rows)]
    elif text.strip():
        first = text.strip().splitlines()[0]
        cut = "\t" if "\t" in first else ";" if ";" in first else "\t"
        rows = list(csv.reader(io.StringIO(text), delimiter=cut))
    tasks = in_lines(rows, lambda word: day(word, name=""))
    if not tasks:
        raise Refused({"lines": f"Paste rows, or choose a file; there is {count_words(0, 'row')} so far."})
    return tasks
