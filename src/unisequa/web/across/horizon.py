"""The horizon: all runs on one axis; everything it shows stands in its address."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from starlette.responses import JSONResponse, Response

from unisequa.actions.across import horizon as actions
from unisequa.actions.across.horizon import GROUPS, OPEN, SORTS, Asked, Horizon, RunSeen
from unisequa.actions.runs.no_time import told_of_runs
from unisequa.actions.templates.library import startable_names
from unisequa.core.calendars.words import count_words
from unisequa.core.terms import number_in
from unisequa.core.work.run_states import RUN_STATES
from unisequa.web.drawing.scale import MOST_DAYS, days_off, field_of
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
Word = Annotated[str, Query(max_length=200)]
Ids = Annotated[str, Query(max_length=4000, pattern=r"^[0-9,]*$")]

GROUP_WORDS = {
    "": "nothing", "category": "category", "keeper": "keeper", "subject": "subject", "kind": "kind of subject",
    "template": "template", "phase": "phase it is in", "tag": "tag", "unit": "unit", "state": "state",
    "ends": "month it ends",
}  # fmt: skip
SORT_WORDS = {"": "end", "lateness": "lateness", "slack": "slack", "name": "name"}
STATE_WORDS = {"": "those not over", "all": "all states", **{state.name: state.name for state in RUN_STATES}}
STANDS = ("behind", "in a muddle", "on time", "ahead")
ZOOMS = {"week": "weeks", "month": "months", "quarter": "quarters"}
ASKED = ("by", "sort", "text", "state", "stands", "keeper", "template", "category", "tag", "kind", "unit", "subject",
         "phase", "ends", "zoom", "rows")  # fmt: skip
ROOM = {"week": 180, "month": 360, "quarter": 720}
"""Days behind today that a zoom shows at least."""
FILTERS = {"keeper": "all keepers", "template": "all templates", "category": "all categories", "tag": "all tags",
           "kind": "all kinds", "unit": "all units", "phase": "any phase", "ends": "any end"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Looked:
    """What of the horizon is looked at, and how."""

    values: Mapping[str, str]

    def query(self, **more: str) -> str:
        """As it stands in an address, with other values."""
        values = {**self.values, **more}
        return urlencode({name: value for name, value in values.items() if value})


@dataclass(frozen=True, slots=True)
class HorizonPage:
    """The page; ``model`` is what is drawn, as JSON."""

    section: str
    said: str
    bad: str
    good: str
    looked: Looked
    groups: Mapping[str, str]
    sorts: Mapping[str, str]
    states: Mapping[str, str]
    stands: tuple[str, ...]
    zooms: Mapping[str, str]
    filters: tuple[tuple[str, str, list[tuple[str, str]]], ...]
    more: int
    total: int
    startable: tuple[tuple[int, str], ...]
    model: str


@router.get("/horizon")
def horizon(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """The runs that one may see, as the address asks for them."""
    values, asked = asked_in(request.query_params)
    looked = Looked(values)
    today = settings.day()
    packed = values["rows"] == "group"
    with store.reading() as session:
        found = actions.horizon(session, me, asked, values["by"], values["sort"] or "end", today, packed=packed)
        startable = tuple(startable_names(session, me))
        short = told_of_runs(session, [run.id for run in found.rows])
    page = HorizonPage(
        "horizon",
        *_said(found),
        looked,
        GROUP_WORDS,
        SORT_WORDS,
        STATE_WORDS,
        STANDS,
        ZOOMS,
        tuple((name, words, found.choices[name]) for name, words in FILTERS.items() if found.choices[name]),
        sum(bool(values[name]) for name in (*FILTERS, "state", "stands", "text", "subject")),
        found.total,
        startable,
        _json(_model(found, today.toordinal(), values, short)),
    )
    return render(request, "across/horizon.html", page)


@router.get("/horizon/rows")
def more_rows(me: SignedIn, store: StoreOf, settings: SettingsOf, ids: Ids = "") -> Response:
    """Rows by the ids of their runs, as one scrolls."""
    numbers = [number for text in ids.split(",") if (number := number_in(text))]
    with store.reading() as session:
        found = list(actions.rows_of(session, me, numbers, settings.day()))
        short = told_of_runs(session, [run.id for run in found])
    return JSONResponse([_row(run, short) for run in found])


@router.get("/horizon/links")
def links(
    me: SignedIn, store: StoreOf, ids: Annotated[str, Query(max_length=40_000, pattern=r"^[0-9,]*$")] = ""
) -> Response:
    """Which of some runs wait for which: pairs of the one waited for and the one that waits."""
    numbers = [number for text in ids.split(",") if (number := number_in(text))]
    with store.reading() as session:
        return JSONResponse(actions.links_between(session, me, numbers))


@router.get("/runs/{run_id}/phase")
def phase(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id, key: Word = "") -> Response:
    """What there is to say of a phase, in lines."""
    with store.reading() as session:
        return JSONResponse(actions.phase_words(session, me, run_id, key, settings.day()))


def asked_in(query: Mapping[str, str]) -> tuple[dict[str, str], Asked]:
    """What an address asks for: its values, those it does not know left out, and what of the runs that is."""
    given = {name: query.get(name, "").strip()[:200] for name in ASKED}
    known = {"sort": SORTS, "state": STATE_WORDS, "stands": STANDS, "zoom": ZOOMS, "rows": ("group",)}
    values = {name: value if value in known.get(name, (value,)) else "" for name, value in given.items()}
    values["by"] = given["by"] if given["by"] in GROUPS else "none" if given["by"] else "category"
    asked = Asked(
        _states(values["state"]), values["text"], number_in(values["keeper"]), number_in(values["template"]),
        values["category"], values["subject"], values["kind"], values["tag"], values["unit"], values["stands"],
        values["phase"], values["ends"],
    )  # fmt: skip
    return values, asked


def _states(state: str) -> tuple[str, ...]:
    return () if state == "all" else (state,) if state else OPEN


def _said(found: Horizon) -> tuple[str, str, str]:
    """How many runs there are, and how they stand: what is bad of it apart."""
    counts = found.standings
    bad = ", ".join(f"{counts[word]} {word}" for word in ("behind", "in a muddle") if counts.get(word))
    good = ", ".join(f"{counts[word]} {word}" for word in ("ahead", "on time") if counts.get(word))
    under_way = f", {found.live} under way" if found.live else ""
    return count_words(found.total, "run") + under_way, bad, good


def _model(found: Horizon, today: int, values: Mapping[str, str], short: Mapping[int, str]) -> dict[str, Any]:
    ahead = ROOM[values["zoom"] or "week"]  # so that there is always a stretch in which a run could be started
    reach = [today - 14, today + ahead] if found.reach is None else [*found.reach, today, today + ahead]
    first, last = max(min(reach), today - MOST_DAYS // 2), min(max(reach), today + MOST_DAYS // 2)
    field = field_of([first, last], margin=14)
    return {
        "first": field.first,
        "days": field.days,
        "today": today,
        "zoom": values["zoom"] or "week",
        "off": days_off(field, found.calendar),
        "packed": values["rows"] == "group",
        "groups": [
            {
                "label": group.label,
                "ids": group.ids,
                "leave": group.leave,
                "runs": [
                    [one.id, one.name, _class(one.state, one.standing), one.first, one.last + 1, one.lane]
                    for one in group.packed
                ],
            }
            for group in found.groups
        ],
        "rows": [_row(run, short) for run in found.rows],
    }


def _row(run: RunSeen, short: Mapping[int, str]) -> dict[str, Any]:
    """A run as it is drawn: its own days half-open, those of its phases both included."""
    return {
        "id": run.id,
        "n": run.name,
        "k": run.keeper,
        "s": run.stands,
        "w": run.reason,
        "c": _class(run.state, run.standing),
        "f": run.first,
        "l": None if run.last is None else run.last + 1,
        "d": None if run.deadline is None else run.deadline + 1,
        "x": run.expected,
        "m": run.mark,
        "t": [run.over, run.tasks],
        "p": run.phases,
        "a": run.anchors,
        "no": short.get(run.id, ""),
    }


def _class(state: str, standing: str) -> str:
    if state != "live":
        return {"prepared": "prepared", "on hold": "held"}.get(state, "over")
    return {"behind": "bad", "in a muddle": "bad", "ahead": "good"}.get(standing, "live")


def _json(model: object) -> str:
    return json.dumps(model, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")
