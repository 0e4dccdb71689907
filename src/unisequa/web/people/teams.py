"""The pages of teams and of positions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.access import check_administrator
from unisequa.actions.house import teams as managing
from unisequa.actions.house.people import everybody
from unisequa.actions.house.teams import Group, GroupKind
from unisequa.actions.people.people import Actor
from unisequa.core.errors import NotThere, Refused
from unisequa.core.terms import number_in
from unisequa.store.store import Store
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class GroupWords:
    """What a page of teams, or of positions, says."""

    title: str
    none: str
    example: str


WORDS: dict[GroupKind, GroupWords] = {
    "team": GroupWords(
        "Teams",
        "There are no teams yet. What a team is given lies in its queue until one of its people takes it.",
        "Workshop",
    ),
    "position": GroupWords(
        "Positions",
        "There are no positions yet. A role of a template can be filled by whoever holds one.",
        "Head of finance",
    ),
}


@dataclass(frozen=True, slots=True)
class GroupsPage:
    """All teams, or all positions; ``people`` are addresses and names;
    ``at`` is the one at which something was refused, 0 the form for a new one."""

    section: str
    kind: GroupKind
    words: GroupWords
    groups: tuple[Group, ...]
    people: tuple[tuple[str, str], ...]
    at: int = 0
    typed: str = ""
    faults: Mapping[str, str] = field(default_factory=dict)


def _page(
    me: Actor, store: Store, kind: GroupKind, at: int = 0, typed: str = "", error: Refused | None = None
) -> GroupsPage:
    check_administrator(me)
    with store.reading() as session:
        groups = managing.teams(session) if kind == "team" else managing.positions(session)
        people = tuple((one.email, one.name) for one in everybody(session, me) if one.active)
    return GroupsPage("people", kind, WORDS[kind], groups, people, at, typed, error.faults if error else {})


def _add(request: Request, me: Actor, store: Store, kind: GroupKind, name: str) -> Response:
    try:
        with store.writing() as session:
            number = managing.add(session, me, kind, name)
    except Refused as error:
        page = _page(me, store, kind, 0, name, error)
        return form_again(request, "people/groups.html", page, error.faults)
    return RedirectResponse(f"/{kind}s#{number}", status_code=303)


def _change(
    request: Request, me: Actor, store: Store, kind: GroupKind, number: int, what: str, told: Mapping[str, str]
) -> Response:
    check_administrator(me)
    try:
        with store.writing() as session:
            if what == "rename":
                managing.rename(session, me, kind, number, told["name"])
            elif what == "remove":
                managing.remove(session, me, kind, number)
            elif what == "put" and kind == "team":
                managing.put_in(session, me, number, managing.somebody(session, told["person"]))
            elif what == "take" and kind == "team":
                managing.take_out(session, me, number, number_in(told["person"]))
            else:
                raise NotThere(f"That is not done with a {kind}.")
    except Refused as error:
        page = _page(me, store, kind, number, told["name"] or told.get("person", ""), error)
        return form_again(request, "people/groups.html", page, error.faults)
    return RedirectResponse(f"/{kind}s" + ("" if what == "remove" else f"#{number}"), status_code=303)


@router.get("/teams")
def teams(request: Request, me: SignedIn, store: StoreOf) -> Response:
    """All teams."""
    return render(request, "people/groups.html", _page(me, store, "team"))


@router.post("/teams")
def add_team(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """A new team."""
    return _add(request, me, store, "team", text_field(form, "name", 300))


@router.post("/teams/{team_id}/{what}")
def change_team(request: Request, me: SignedIn, form: Posted, store: StoreOf, team_id: Id, what: str) -> Response:
    """Rename a team, put somebody in, take somebody out, remove it."""
    told = {"name": text_field(form, "name", 300), "person": text_field(form, "person", 300)}
    return _change(request, me, store, "team", team_id, what, told)


@router.get("/positions")
def positions(request: Request, me: SignedIn, store: StoreOf) -> Response:
    """All positions."""
    return render(request, "people/groups.html", _page(me, store, "position"))


@router.post("/positions")
def add_position(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """A new position."""
    return _add(request, me, store, "position", text_field(form, "name", 300))


@router.post("/positions/{position_id}/{what}")
def change_position(
    request: Request, me: SignedIn, form: Posted, store: StoreOf, position_id: Id, what: str
) -> Response:
    """Rename a position, or remove it."""
    return _change(request, me, store, "position", position_id, what, {"name": text_field(form, "name", 300)})
