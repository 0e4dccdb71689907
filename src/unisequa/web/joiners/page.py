"""Joiners and leavers: who comes, who came lately and who leaves, their runs, and what of them is late."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar
from urllib.parse import quote

from fastapi import APIRouter, Query, Request
from starlette.responses import Response

from unisequa.actions.joiners import Comer, Comers, RunOf, comers
from unisequa.core.calendars.words import count_words, day_words
from unisequa.web.drawing.marks import as_script
from unisequa.web.drawing.scale import days_off, field_of
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
Words = Annotated[str, Query(max_length=200)]
SHOWN = (("", "whoever has a date"), ("joining", "who joins"), ("leaving", "who leaves"))


@dataclass(frozen=True, slots=True)
class GroupLine:
    """Those with something overdue, who joins, who leaves, who has settled."""

    kind: ClassVar[str] = "group"
    label: str
    count: int


@dataclass(frozen=True, slots=True)
class PersonLine:
    """Somebody, with the day on which they come or go."""

    kind: ClassVar[str] = "person"
    id: int
    name: str
    verb: str
    date: str
    post: str
    stands: str
    move: str


@dataclass(frozen=True, slots=True)
class RunLine:
    """A run about them."""

    kind: ClassVar[str] = "run"
    id: int
    title: str
    over: str
    stands: str
    why: str
    bad: bool


@dataclass(frozen=True, slots=True)
class LateLine:
    """A task that is late."""

    kind: ClassVar[str] = "late"
    run_id: int
    key: str
    title: str
    who: str
    due: str
    late: int


@dataclass(frozen=True, slots=True)
class WordLine:
    """Something to be said of them, with what to do about it."""

    kind: ClassVar[str] = "word"
    text: str
    path: str
    act: str


Line = GroupLine | PersonLine | RunLine | LateLine | WordLine


@dataclass(frozen=True, slots=True)
class JoinersPage:
    """The page."""

    section: str
    lines: tuple[Line, ...]
    field: str
    said: str
    late: int
    show: str
    shown: tuple[tuple[str, str], ...]
    unit: str
    units: tuple[str, ...]
    may_add: bool
    settled: bool


@router.get("/joiners")
def joiners(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    show: Words = "",
    unit: Words = "",
    settled: Words = "",
) -> Response:
    """Who joins and who leaves."""
    today = settings.day()
    with store.reading() as session:
        seen = comers(session, me, today, show, unit)
    lines, field = _sheet(seen, today, settled == "yes")
    every = seen.every
    late = sum(one.late for one in every)
    without = sum(not one.runs for one in every)
    said = f"{count_words(len({one.subject.id for one in every}), 'person', 'people')} with a date near"
    if without:
        said += f"; for {without} nothing is started"
    page = JoinersPage(
        "people", tuple(lines), field, said, late, show, SHOWN, unit, seen.units, seen.may_add, bool(seen.settled)
    )
    return render(request, "joiners/page.html", page)


def _sheet(seen: Comers, today: dt.date, settled: bool) -> tuple[list[Line], str]:
    lines: list[Line] = []
    marks: list[dict[str, Any]] = []
    stems: list[tuple[float, int, int, str]] = []
    heads: list[int] = []
    groups = [("With something overdue", seen.overdue), ("Joining", seen.joining), ("Leaving", seen.leaving)]
    if settled:
        groups.append(("Settled", seen.settled))
    for label, members in groups:
        if not members:
            continue
        heads.append(len(lines))
        lines.append(GroupLine(label, len(members)))
        for one in members:
            first = len(lines)
            lines.append(_person(one, today))
            for run in one.runs:
                marks += _phases(run, len(lines))
                lines.append(_run(run))
                for task in run.late:
                    span = (task.start.toordinal(), task.due.toordinal() + 1)
                    marks.append({"k": f"{run.id}/{task.key}", "i": len(lines), "s": span, "st": "ready", "la": True})
                    due = day_words(task.due)
                    lines.append(LateLine(run.id, task.key, task.title, task.who or "nobody", due, task.days))
            lines += _words(one)
            stems.append((one.day.toordinal() + 0.5, first, len(lines), day_words(one.day)))
    if seen.settled and not settled:
        names = ", ".join(one.subject.name for one in seen.settled[:6])
        lines.append(WordLine(f"{len(seen.settled)} settled lately: {names}", "/joiners?settled=yes", "show them"))
    days = [today.toordinal(), *(int(day) for day, *_ in stems), *(int(edge) for mark in marks for edge in mark["s"])]
    field = field_of([day for day in days if abs(day - today.toordinal()) < 400])
    content = {
        "first": field.first, "days": field.days, "today": today.toordinal(), "off": days_off(field, seen.calendar),
        "plumbs": [("today", today.toordinal() + 0.5, "today")], "heads": heads, "rows": len(lines), "marks": marks,
        "links": [], "stems": stems,
    }  # fmt: skip
    return lines, as_script(content)


def _person(one: Comer, today: dt.date) -> PersonLine:
    past = one.day < today
    verb = ("joined" if past else "joins") if one.joins else ("left" if past else "leaves")
    name = "First day" if one.joins else "Last day"
    post = ", ".join(text for text in (one.subject.position, one.subject.unit) if text)
    move = f"/together?kind=subject&id={one.subject.id}&name={quote(name)}"
    year = one.day.year != today.year
    stands = f"{one.late} late" if one.late else ""
    return PersonLine(one.subject.id, one.subject.name, verb, day_words(one.day, year=year), post, stands, move)


def _run(run: RunOf) -> RunLine:
    bad = run.standing in {"behind", "in a muddle"}
    return RunLine(run.id, run.template, f"{run.over} of {run.tasks}", run.standing, run.why, bad)


def _phases(run: RunOf, row: int) -> list[dict[str, Any]]:
    """The phases of a run as bars: over, open, to come."""
    marks = []
    for n, phase in enumerate(run.phases):
        if phase.first is None or phase.last is None:
            continue
        state = "done" if phase.over == phase.tasks else "under-way" if phase.over else "waiting"
        span = (phase.first.toordinal(), phase.last.toordinal() + 1)
        marks.append({"k": f"{run.id}:{n}", "i": row, "s": span, "st": state})
    return marks


def _words(one: Comer) -> list[WordLine]:
    said = []
    if not one.runs and one.start is not None:
        number, name = one.start
        path = f"/start/{number}?about={quote(one.subject.name)}"
        said.append(WordLine("No run yet.", path, f"Start {name}"))
    elif not one.runs:
        said.append(WordLine("No run yet, and no template opens with that day.", "/library", "Library"))
    if one.outlasting and one.subject.person_id:
        tasks = count_words(one.outlasting, "task")
        path = f"/hand-over?person={one.subject.person_id}&first={one.day + dt.timedelta(days=1)}"
        said.append(WordLine(f"{tasks} of theirs end after that day", path, "hand over"))
    return said
