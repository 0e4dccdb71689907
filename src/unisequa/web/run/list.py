"""The list of runs: filtered, grouped, sorted and counted, all of it in the address."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.house.beginning import Beginning, beginning
from unisequa.actions.people.people import Actor
from unisequa.actions.runs import seeing
from unisequa.actions.starting.from_nothing import start_from_nothing
from unisequa.actions.templates.library import startable_names
from unisequa.core.calendars.words import DateWords, day_words
from unisequa.core.errors import Refused
from unisequa.core.work.run_states import is_over
from unisequa.web.errors import form_again
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()
Word = Annotated[str, Query(max_length=100)]

SHOWS = {
    "": "those not over", "mine": "those I keep", "late": "behind or in a muddle", "live": "live",
    "prepared": "prepared", "hold": "on hold", "finished": "finished", "off": "called off", "all": "all",
}  # fmt: skip
GROUPS = {"": "nothing", "template": "template", "keeper": "keeper", "state": "state", "ends": "month it ends"}
SORTS = {"": "state, the latest first", "name": "name", "next": "next date", "ends": "end", "stands": "outlook"}
WORST = ("in a muddle", "behind", "on time", "ahead", "")
LAST = "\uffff"


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
    next_day: int
    end_day: int
    mine: bool


@dataclass(frozen=True, slots=True)
class Looked:
    """What of the list is looked at, and how."""

    show: str
    text: str
    group: str
    sort: str

    def query(self, **more: str) -> str:
        """As it stands in an address, with other values."""
        values = {"show": self.show, "text": self.text, "group": self.group, "sort": self.sort, **more}
        return urlencode({name: value for name, value in values.items() if value})


@dataclass(frozen=True, slots=True)
class RunsPage:
    """The list of runs. ``groups`` are the shown ones under their heads, ``total`` counts all there are."""

    section: str
    groups: tuple[tuple[str, tuple[RunRow, ...]], ...]
    shown: int
    total: int
    looked: Looked
    shows: dict[str, str]
    by: dict[str, str]
    sorts: dict[str, str]
    startable: tuple[tuple[int, str], ...]
    beginning: Beginning | None


@router.get("/runs")
def list_runs(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    show: Word = "",
    text: Word = "",
    group: Word = "",
    sort: Word = "",
) -> Response:
    """The runs that one may see, as the address asks for them."""
    today = settings.day().toordinal()
    looked = Looked(
        show if show in SHOWS else "", text.strip(), group if group in GROUPS else "", sort if sort in SORTS else ""
    )
    with store.reading() as session:
        lines = seeing.list_runs(session, me)
        begun = beginning(session, me) if not lines else None
        startable = tuple(startable_names(session, me))
    said = DateWords.seen_on(today)
    rows = [row for row in (_row(line, today, me, said) for line in lines) if _is_shown(row, looked)]
    if looked.sort:
        rows.sort(key=_ORDERS[looked.sort])
    groups = tuple(_grouped(rows, looked.group))
    page = RunsPage("runs", groups, len(rows), len(lines), looked, SHOWS, GROUPS, SORTS, startable, begun)
    return render(request, "run/list.html", page)


@router.post("/runs")
def from_nothing(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """Begin a run from nothing."""
    name = field(form, "name", 400)
    try:
        with store.writing() as session:
            number = start_from_nothing(session, me, name, settings.day())
    except Refused as error:
        return form_again(request, "run/nothing.html", NothingPage("runs", name, error.faults["name"]), error.faults)
    return RedirectResponse(f"/runs/{number}/add", status_code=303)


@dataclass(frozen=True, slots=True)
class NothingPage:
    """The name of a run from nothing, as it was typed."""

    section: str
    name: str
    fault: str


def _row(line: seeing.RunLine, today: int, me: Actor, said: DateWords) -> RunRow:
    summary = line.summary
    anchor = summary.next_anchor(today)
    standing, outlook = summary.standing(today) if line.state == "live" else ("", "")
    return RunRow(
        line.id,
        line.name,
        line.template,
        line.keeper,
        line.state,
        summary.done(today),
        summary.tasks,
        f"{anchor[1]} {said[anchor[0]]}" if anchor else "",
        day_words(summary.ends, year=True) if summary.ends is not None else "",
        standing,
        outlook,
        anchor[0] if anchor else 10**7,
        summary.ends if summary.ends is not None else 10**7,
        line.keeper_id == me.id,
    )


_STATES = {"live": "live", "prepared": "prepared", "hold": "on hold", "finished": "finished", "off": "called off"}


def _is_shown(row: RunRow, looked: Looked) -> bool:
    word = looked.text.casefold()
    if word and not any(word in text.casefold() for text in (row.name, row.template, row.keeper)):
        return False
    if looked.show in _STATES:
        return row.state == _STATES[looked.show]
    if looked.show == "all":
        return True
    if looked.show == "late":
        return row.standing in {"behind", "in a muddle"}
    return not is_over(row.state) and (row.mine or looked.show != "mine")


_ORDERS: dict[str, Callable[[RunRow], Any]] = {
    "name": lambda row: row.name.casefold(),
    "next": lambda row: (row.next_day, row.name.casefold()),
    "ends": lambda row: (row.end_day, row.name.casefold()),
    "stands": lambda row: (WORST.index(row.standing), row.end_day),
}


def _grouped(rows: Sequence[RunRow], by: str) -> Iterable[tuple[str, tuple[RunRow, ...]]]:
    """The rows under their heads; without grouping all under none."""
    groups: dict[tuple[str, str], list[RunRow]] = {}
    for row in rows:
        if by == "ends":
            day = dt.date.fromordinal(row.end_day) if row.end_day < 10**7 else None
            key = (f"{day:%Y-%m}", f"{day:%B %Y}") if day else (LAST, "no date yet")
        else:
            label = {"template": row.template, "keeper": row.keeper, "state": row.state}.get(by, "")
            key = (label.casefold(), label)
        groups.setdefault(key, []).append(row)
    order = groups if by in {"", "state"} else sorted(groups)
    return [(key[1], tuple(groups[key])) for key in order]
