"""Crew, facts and history of a run."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.history import of_run
from unisequa.actions.people.people import people
from unisequa.actions.runs.crew import fill_role
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.core.calendars.words import day_words
from unisequa.core.errors import Refused
from unisequa.core.terms import FINISHED
from unisequa.core.work.run_states import ways_on
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.run.head import VIEWS, RunHead, run_head
from unisequa.web.run.work import LastLine, last_line
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()


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
    ways_on: tuple[tuple[str, str], ...] = ()
    history: tuple[tuple[str, str, str], ...] = ()
    last: LastLine | None = None
    fault: str = ""


def side(
    request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: int, view: str, fault: str = ""
) -> Response:
    """One of the views beside sheet and list."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        everybody = people(session) if view == "crew" else []
        history = of_run(session, run_id) if view == "history" else ()
    head = run_head(run)
    page = SidePage(
        "runs",
        VIEWS,
        view,
        head,
        crew=_crew(run),
        people=tuple((person.id, person.name) for person in everybody),
        facts=tuple((fact.label, _shown(run.facts.get(fact.key))) for fact in run.template.facts),
        anchors=head.anchors,
        calendars=(run.plan.calendars.default,),
        ways_on=ways_on(head.state),
        history=tuple((f"{day_words(one.at.date())} {one.at:%H:%M}", one.who, one.text) for one in history),
        last=last_line(run),
        fault=fault,
    )
    if fault:
        return form_again(request, f"run/{view}.html", page, {"": fault})
    return render(request, f"run/{view}.html", page)


def _shown(value: object) -> str:
    if value is None or value == "":
        return "not given"
    return f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else str(value)


def _crew(run: RunSeen) -> tuple[RolePlace, ...]:
    outside = {role.key for role in run.template.roles if role.fill.by == "outside"}
    places = []
    for member in run.crew:
        mine = [task for task in run.tasks.values() if task.role == member.role]
        still = sum(task.state not in FINISHED for task in mine)
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
            fill_role(session, me, run_id, field(form, "role", 80), field(form, "who", 200), settings.day())
    except Refused as error:
        return side(request, me, store, settings, run_id, "crew", str(error))
    return RedirectResponse(f"/runs/{run_id}?view=crew", status_code=303)
