"""Crew, facts and history of a run."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.history import of_run
from unisequa.actions.people.people import Actor, people
from unisequa.actions.runs import life
from unisequa.actions.runs.baselines import keep_named
from unisequa.actions.runs.crew import TEAM, fill_roles, teams_to_choose
from unisequa.actions.runs.facts import correct_facts
from unisequa.actions.runs.in_hand import in_hand
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.actions.runs.shift_history import ShiftLine, shift_lines, take_back_along
from unisequa.actions.runs.together import Source, held_elsewhere
from unisequa.core.calendars.words import count_words
from unisequa.core.errors import Refused
from unisequa.core.terms import FINISHED, number_in
from unisequa.core.work.run_states import ways_on
from unisequa.store.store import Session
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.moments import utc_words
from unisequa.web.pages import render
from unisequa.web.run.head import VIEWS, RunHead, run_head
from unisequa.web.run.work import LastLine, last_line
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()

FOLLOWS = (
    ("ask", "Nothing moves unasked: what no longer holds, or could come forward, is offered"),
    ("late", "After a late finish what is forced later moves by itself; the rest is offered"),
    ("both", "What follows moves by itself, later and earlier"),
)


@dataclass(frozen=True, slots=True)
class RolePlace:
    """A role in the crew; ``chosen`` is the value of who fills it: an id, a team's, or a name."""

    role: str
    label: str
    chosen: str
    name: str
    by_outside: bool
    tasks: int
    open: int
    given: str
    fault: str = ""


@dataclass(frozen=True, slots=True)
class PersonPart:
    """Somebody's part of a run: their tasks, how many are open and late."""

    name: str
    tasks: int
    open: int


@dataclass(frozen=True, slots=True)
class FactPlace:
    """A fact as it is, or as it was typed."""

    key: str
    label: str
    kind: str
    value: str
    shown: str
    choices: tuple[str, ...] = ()
    required: bool = False
    fault: str = ""


@dataclass(frozen=True, slots=True)
class SidePage:
    """Crew, facts or history of a run; only one of them is filled."""

    section: str
    views: tuple[tuple[str, str], ...]
    view: str
    head: RunHead
    crew: tuple[RolePlace, ...] = ()
    parts: tuple[PersonPart, ...] = ()
    people: tuple[tuple[str, str], ...] = ()
    teams: tuple[tuple[str, str], ...] = ()
    deputies: tuple[tuple[int, str], ...] = ()
    keeper_id: int = 0
    facts: tuple[FactPlace, ...] = ()
    anchors: tuple[tuple[str, str, str], ...] = ()
    held: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    calendars: tuple[str, ...] = ()
    ways_on: tuple[tuple[str, str], ...] = ()
    may_state: bool = False
    may_delete: bool = False
    follow: str = "ask"
    follows: tuple[tuple[str, str], ...] = FOLLOWS
    history: tuple[tuple[str, str, str], ...] = ()
    shifts: tuple[ShiftLine, ...] = ()
    in_hand: int = 0
    last: LastLine | None = None
    typed: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)
    saved: bool = False


@router.post("/runs/{run_id}/baselines")
def keep_baseline(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Keep where everything stands now under a name."""
    name = text_field(form, "name", 200)
    try:
        with store.writing() as session:
            number = keep_named(session, me, run_id, name, settings.day())
    except Refused as error:
        return side(request, me, store, settings, run_id, "history", error.faults, {"name": name})
    return RedirectResponse(f"/runs/{run_id}?against={number}", status_code=303)


@router.post("/runs/{run_id}/history/{number}/take-back")
def take_back(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id, number: Id
) -> Response:
    """Take a shift of the history back, with those that rest on it."""
    try:
        with store.writing() as session:
            take_back_along(session, me, run_id, number, settings.day())
    except Refused as error:
        return side(request, me, store, settings, run_id, "history", error.faults)
    return RedirectResponse(f"/runs/{run_id}?view=history", status_code=303)


def side(
    request: Request,
    me: Actor,
    store: StoreOf,
    settings: SettingsOf,
    run_id: int,
    view: str,
    faults: Mapping[str, str] | None = None,
    typed: Mapping[str, str] | None = None,
    *,
    saved: bool = False,
) -> Response:
    """One of the views beside sheet and list; whether something was ``saved`` just now."""
    faults, typed = faults or {}, typed or {}
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        everybody = people(session) if view == "crew" else []
        teams = teams_to_choose(session) if view == "crew" else ()
        history = of_run(session, run_id) if view == "history" else ()
        shifts = shift_lines(session, run) if view == "history" else ()
        hand = in_hand(session, me, run)
        held = held_elsewhere(session, me, run_id) if view == "facts" else {}
    head = run_head(run)
    page = SidePage(
        "runs",
        VIEWS,
        view,
        head,
        crew=_crew(run, faults, typed),
        parts=_parts(run),
        people=tuple((str(person.id), person.name) for person in everybody),
        teams=tuple((f"{TEAM}{number}", f"anyone of {name}") for number, name in teams),
        deputies=run.deputies,
        keeper_id=run.keeper_id,
        facts=_facts(run, faults, typed),
        anchors=tuple((key, label, shown) for key, (label, shown) in zip(run.plan.anchors, head.anchors, strict=True)),
        held={key: _held(source, runs) for key, (source, runs) in held.items()},
        calendars=(run.plan.calendars.default,),
        ways_on=ways_on(head.state),
        may_state=run.may_state,
        may_delete=run.may_state and run.state == "prepared" and not run.was_live,
        follow=run.follow,
        history=tuple((utc_words(one.at), one.who, one.text) for one in history),
        shifts=shifts,
        in_hand=len(hand.held.edits),
        last=last_line(run),
        typed=typed,
        faults=faults,
        saved=saved,
    )
    if faults:
        return form_again(request, f"run/{view}.html", page, faults)
    return render(request, f"run/{view}.html", page)


def _crew(run: RunSeen, faults: Mapping[str, str], typed: Mapping[str, str]) -> tuple[RolePlace, ...]:
    outside = {role.key for role in run.template.roles if role.fill.by == "outside"}
    places = []
    for member in run.crew:
        mine = [task for task in run.tasks.values() if task.role == member.role and not run.is_parent(task.key)]
        given = [task for task in mine if task.given]
        chosen = str(member.person_id) if member.person_id else f"{TEAM}{member.team_id}" if member.team_id else ""
        places.append(
            RolePlace(
                member.role,
                member.label,
                typed.get(f"who.{member.role}", chosen or member.outside),
                member.name,
                member.role in outside,
                len(mine),
                sum(run.state_of(task.key) not in FINISHED for task in mine),
                f"{count_words(len(given), 'task')} given to somebody else" if given else "",
                faults.get(f"who.{member.role}", ""),
            )
        )
    return tuple(places)


def _parts(run: RunSeen) -> tuple[PersonPart, ...]:
    """Everybody's part, by name."""
    by_name: dict[str, list[str]] = {}
    for task in run.tasks.values():
        if task.who and not run.is_parent(task.key):
            by_name.setdefault(task.who, []).append(run.state_of(task.key))
    return tuple(
        PersonPart(name, len(states), sum(state not in FINISHED for state in states))
        for name, states in sorted(by_name.items())
    )


def _facts(run: RunSeen, faults: Mapping[str, str], typed: Mapping[str, str]) -> tuple[FactPlace, ...]:
    return tuple(
        FactPlace(
            fact.key,
            fact.label,
            fact.kind,
            typed.get(f"facts.{fact.key}", _text(run.facts.get(fact.key))),
            _shown(run.facts.get(fact.key)),
            tuple(fact.choices) or (("yes", "no") if fact.kind == "yes-no" else ()),
            fact.required,
            faults.get(f"facts.{fact.key}", ""),
        )
        for fact in run.template.facts
    )


def _held(source: Source, runs: int) -> tuple[str, str]:
    """Where a date is moved in all runs that hold it, and in words how many do."""
    path = "/together?" + urlencode({"kind": source.kind, "id": source.id, "name": source.name})
    where = "from the record" if source.kind == "subject" else "from their start"
    return path, f"{count_words(runs, 'run')} {'has' if runs == 1 else 'have'} it {where}"


def _text(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "" if value is None else str(value)


def _shown(value: object) -> str:
    if value is None or value == "":
        return "not given"
    return f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else _text(value)


def _changed(
    request: Request,
    me: Actor,
    form: Any,
    store: StoreOf,
    settings: SettingsOf,
    run_id: int,
    view: str,
    change: Callable[[Session], object],
) -> Response:
    """Change something of a run and show the view again, with what was typed where it was refused."""
    try:
        with store.writing() as session:
            change(session)
    except Refused as error:
        typed = {name: text_field(form, name, 2000) for name in form}
        return side(request, me, store, settings, run_id, view, error.faults, typed)
    return RedirectResponse(f"/runs/{run_id}?view={view}&saved=yes", status_code=303)


@router.post("/runs/{run_id}/crew")
def change_crew(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Fill the roles, all in one save."""
    chosen = {name.removeprefix("who."): text_field(form, name, 200) for name in form if name.startswith("who.")}
    if role := text_field(form, "role", 80):
        chosen[role] = text_field(form, "who", 200)
    return _changed(
        request, me, form, store, settings, run_id, "crew",
        lambda session: fill_roles(session, me, run_id, chosen, settings.day()),
    )  # fmt: skip


@router.post("/runs/{run_id}/keeping")
def change_keeping(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Name deputies, or give the run another keeper."""
    keeper = number_in(text_field(form, "keeper", 12))
    deputies = [number for value in form.getlist("deputy") if (number := number_in(str(value)))]
    return _changed(
        request, me, form, store, settings, run_id, "crew",
        lambda session: life.set_keeping(session, me, run_id, keeper, deputies, settings.day()),
    )  # fmt: skip


@router.post("/runs/{run_id}/facts")
def change_facts(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Correct the facts; titles follow."""
    given = {name.removeprefix("facts."): text_field(form, name, 2000) for name in form if name.startswith("facts.")}
    subject = text_field(form, "subject", 200)
    return _changed(
        request, me, form, store, settings, run_id, "facts",
        lambda session: correct_facts(session, me, run_id, given, subject),
    )  # fmt: skip


@router.post("/runs/{run_id}/follow")
def change_follow(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id
) -> Response:
    """Say what finishing a task does to the dates of what follows."""
    return _changed(
        request, me, form, store, settings, run_id, "facts",
        lambda session: life.set_follow(session, me, run_id, text_field(form, "follow", 10)),
    )  # fmt: skip


@router.post("/runs/{run_id}/delete")
def delete(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Delete a prepared run that was never live."""
    try:
        with store.writing() as session:
            life.delete_run(session, me, run_id, settings.day())
    except Refused as error:
        return side(request, me, store, settings, run_id, "facts", error.faults)
    return RedirectResponse("/runs", status_code=303)
