"""What if: the shifts that somebody keeps aside, beside each other and beside today, in figures, dates and bars."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.runs.in_hand import Aside, in_hand
from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.actions.runs.shifts import Considered, consider, read_kept
from unisequa.core.calendars.words import difference_words, slot_words
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits.saying import said_of
from unisequa.web.drawing.marks import interval, short_words
from unisequa.web.drawing.scale import month_starts
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.run.head import VIEWS, RunHead, run_head
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
MOST = 4
WIDTH, LANE, ROW = 520, 5, 26
"""Pixels: of the drawing, of a bar, of a row."""
LETTERS = "ABCD"


@dataclass(frozen=True, slots=True)
class Lane:
    """A bar, or a milestone without a width: which shift's (0 for today), where, and how wide."""

    of: int
    x: float
    width: float


@dataclass(frozen=True, slots=True)
class CompareRow:
    """A task: when it is due today and by each shift, and its bars."""

    key: str
    title: str
    due: str
    dues: tuple[tuple[str, bool], ...]
    lanes: tuple[Lane, ...]


@dataclass(frozen=True, slots=True)
class Choice:
    """A shift kept aside: its letter, its name, its edits in words, what was said on why, and what it would come to."""

    number: int
    letter: str
    name: str
    edits: tuple[str, ...]
    why: str
    fault: str
    moved: int
    ends: str
    later: str
    needs: int
    targets: int
    told: int


@dataclass(frozen=True, slots=True)
class WhatIfPage:
    """The comparison. ``figures`` are rows of words: today's value, then each shift's."""

    section: str
    views: tuple[tuple[str, str], ...]
    view: str
    head: RunHead
    choices: tuple[Choice, ...]
    figures: tuple[tuple[str, str, tuple[tuple[str, bool], ...]], ...]
    rows: tuple[CompareRow, ...]
    stay: int
    months: tuple[tuple[float, str], ...]
    width: int
    today: float | None
    in_hand: int


@router.get("/runs/{run_id}/what-if")
def what_if(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Up to four shifts that one keeps aside, beside each other."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        found = in_hand(session, me, run)
    aside = found.aside[:MOST]
    seen = [_considered(run, one) for one in aside]
    choices = tuple(_choice(n, one, made) for n, (one, made) in enumerate(zip(aside, seen, strict=True)))
    rows, stay, months, today = _rows(run.plan, [made.after for made in seen])
    page = WhatIfPage(
        "runs", VIEWS, "what-if", run_head(run, closely=False), choices, tuple(_figures(run.plan, choices, seen)), rows,
        stay, months, WIDTH, today, len(found.held.edits),
    )  # fmt: skip
    return render(request, "run/what_if.html", page)


def _considered(run: RunSeen, one: Aside) -> Considered:
    edits, _ = read_kept(one.held.edits, run.plan)
    return consider(run, edits, one.held.mode)


def _choice(n: int, one: Aside, made: Considered) -> Choice:
    result, plan = made.result, made.run.plan
    if result is None:
        fault = made.fault or "It changes nothing."
        return Choice(one.number, LETTERS[n], one.name, (), one.held.why, fault, 0, "", "", 0, 0, 0)
    said = [said_of(edit, plan) for edit in made.edits]
    later = plan.calendars[None].count(*result.finish)
    told = {made.run.tasks[change.key].who for change in result.changes} - {""}
    return Choice(
        one.number, LETTERS[n], one.name, tuple(f"{of} {what}" for of, what in said), one.held.why, made.fault,
        len(result.changes), slot_words(plan.grid.inclusive(result.finish[1]), plan.grid, year=True),
        difference_words(later, plan.grid, plan.calendars[None].per_day) if later else "as today",
        len(result.needs), sum(one.kind == "target" for one in result.conflicts),
        len(told),
    )  # fmt: skip


Figure = tuple[str, str, tuple[tuple[str, bool], ...]]


def _figures(plan: Plan, choices: Sequence[Choice], seen: Sequence[Considered]) -> list[Figure]:
    """A row each: what it counts, today, and each shift with whether it is worse than one would wish."""
    grid, said, rows = plan.grid, plan.dates_in_words(), []
    for key, label in plan.labels.items():
        at = plan.anchors.get(key)
        moved = [made.after.anchors.get(key) for made in seen]
        if at is not None and any(one != at for one in moved):
            words = tuple((said[one] if one is not None else "", False) for one in moved)
            rows.append((label, said[at], words))
    span = plan.span()
    rows.append(("All over", slot_words(grid.inclusive(span[1]), grid, year=True) if span else "",
                 tuple((one.ends, False) for one in choices)))  # fmt: skip
    rows.append(("Later than today by", "–", tuple((one.later, False) for one in choices)))
    rows.append(("Tasks moved", "–", tuple((str(one.moved), False) for one in choices)))
    rows.append(("Need a person", "–", tuple((str(one.needs), one.needs > 0) for one in choices)))
    rows.append(("Later than the template", "–", tuple((str(one.targets), False) for one in choices)))
    rows.append(("Concerns people", "–", tuple((str(one.told), False) for one in choices)))
    return rows


def _rows(
    plan: Plan, after: Sequence[Plan]
) -> tuple[tuple[CompareRow, ...], int, tuple[tuple[float, str], ...], float | None]:
    """The tasks that any of them moves, with their bars; how many stay; the months and where today is."""
    moved = [
        i for i, task in enumerate(plan.tasks)
        if not plan.is_parent(i) and any(one.read(one.position(task.key)) != plan.read(i) for one in after)
    ]  # fmt: skip
    plans = (plan, *after)
    spans = [
        interval(one, one.position(plan.tasks[i].key)) for i in moved for one in plans
        if one.days(one.position(plan.tasks[i].key)) is not None
    ]  # fmt: skip
    stay = sum(not plan.is_parent(i) for i in range(len(plan.tasks))) - len(moved)
    if not spans:
        return (), stay, (), None
    first, last = int(min(a for a, _ in spans)) - 1, int(max(b for _, b in spans)) + 2
    px = WIDTH / (last - first)

    def row(i: int) -> CompareRow:
        key, lanes, dues = plan.tasks[i].key, [], []
        for n, one in enumerate(plans):
            at = one.position(key)
            read = one.read(at)
            same = n > 0 and read == plan.read(i)
            if n:
                dues.append(("as today" if same else short_words(one, read[1]) if read else "undated", same))
            if read is not None and not same:
                a, b = interval(one, at)
                lanes.append(Lane(n, round((a - first) * px, 1), round(max((b - a) * px, 3), 1) if b > a else 0))
        read = plan.read(i)
        return CompareRow(key, plan.tasks[i].title, short_words(plan, read[1]) if read else "undated", tuple(dues),
                          tuple(lanes))  # fmt: skip

    months = tuple(
        (round((day - first) * px, 1), f"{dt.date.fromordinal(day):%B %Y}" if named else "")
        for day, named in month_starts(first, last, 110 / px)
    )
    today = None if plan.today is None else plan.grid.day(plan.today) + 0.5
    shown = None if today is None or not first <= today <= last else round((today - first) * px, 1)
    return tuple(row(i) for i in moved), stay, months, shown
