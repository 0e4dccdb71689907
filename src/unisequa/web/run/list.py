"""The list of runs."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.house.beginning import Beginning, beginning
from unisequa.actions.runs import seeing
from unisequa.core.calendars.words import day_words
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()


@dataclass(frozen=True, slots=True)
class RunRow:
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
    standing: str
    outlook: str


@dataclass(frozen=True, slots=True)
class RunsPage:
    """The list of runs."""

    section: str
    runs: tuple[RunRow, ...]
    beginning: Beginning | None


@router.get("/runs")
def list_runs(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """All runs."""
    today = settings.day().toordinal()
    with store.reading() as session:
        lines = seeing.list_runs(session, me)
        begun = beginning(session, me) if not lines else None
    return render(request, "run/list.html", RunsPage("runs", tuple(_row(line, today) for line in lines), begun))


def _row(line: seeing.RunLine, today: int) -> RunRow:
    summary = line.summary
    anchor = summary.next_anchor(today)
    return RunRow(
        line.id,
        line.name,
        line.template,
        line.keeper,
        line.state,
        summary.done(today),
        summary.tasks,
        f"{anchor[1]} {day_words(anchor[0])}" if anchor else "",
        day_words(summary.ends, year=True) if summary.ends is not None else "",
        *(summary.standing(today) if line.state == "live" else ("", "")),
    )
