"""Load: people as rows, days, weeks or months as columns; what could even out an overload, beneath."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from markupsafe import Markup, escape
from starlette.responses import Response

from unisequa.actions.across import load as actions
from unisequa.actions.across.load import Cell, GroupLoad, Loads, Period, PersonLoad, TaskLoad
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.no_time import level_told, told_of_person
from unisequa.core.calendars.words import count_words, day_words, hours_words, names_words, span_words
from unisequa.core.people.doers import Overload
from unisequa.core.people.proposals import Proposal
from unisequa.core.shift.edits.codec import written
from unisequa.core.terms import number_in
from unisequa.store.store import Session
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
Word = Annotated[str, Query(max_length=40)]
UNITS = {"day": "days", "week": "weeks", "month": "months"}
COLUMNS = {"day": 15, "week": 12, "month": 6}
BY = {"team": "team", "role": "role", "position": "position", "none": "nothing"}
MOST_ROOM, MOST_SAID = 6, 2
MOST_TASKS = 60
"""Tasks of somebody that are drawn."""
TALL = 28
"""Pixels of the highest gauge."""


@dataclass(frozen=True, slots=True)
class Looked:
    """What of the load is looked at, and how."""

    values: Mapping[str, str]

    def query(self, **more: str) -> str:
        """As it stands in an address, with other values."""
        return urlencode({name: value for name, value in {**self.values, **more}.items() if value})


@dataclass(frozen=True, slots=True)
class Column:
    """A period: its first day, what stands above it, and the month where that begins."""

    first: str
    label: str
    month: str
    now: bool


@dataclass(frozen=True, slots=True)
class CellSeen:
    """A cell: its words, a class, and the gauge beside them in pixels: as high as there are hours, as full as is asked,
    over it what is too much; dashed above it what prepared runs would ask ``more``.

    ``picture`` is gauge and words as markup: a page has hundreds of them, each made anew by the template would take as
    long as all the rest.
    """

    words: str
    kind: str
    title: str
    tall: int
    full: int
    over: int
    first: str
    more: int = 0

    @property
    def picture(self) -> Markup:
        """Gauge and words."""
        words = escape(self.words)
        if self.kind == "away":
            return Markup(f'<span class="text-soft">{words}</span>')  # noqa: S704 - escaped above
        parts = [f'<rect class="bar waiting" x="1" y="{35 - self.tall}" width="12" height="{max(self.tall, 1)}"/>']
        if self.full:
            parts.append(f'<rect class="ld" x="1.8" y="{35 - self.full}" width="10.4" height="{self.full}"/>')
        if self.over:
            y = 35 - self.tall - (self.over if self.kind == "over" else 0)
            parts.append(f'<rect class="overfull" x="1" y="{y}" width="12" height="{self.over}"/>')
        if self.more:
            y = max(1, 35 - self.full - self.more)
            parts.append(f'<rect class="expected" x="2.5" y="{y}" width="9" height="{self.more}"/>')
        gauge = f'<svg class="gauge" width="14" height="36" aria-hidden="true">{"".join(parts)}</svg>'
        return Markup(f'{gauge}<span class="{_TEXT.get(self.kind, "font-medium")}">{words}</span>')  # noqa: S704


_TEXT = {"over": "text-late font-semibold", "free": "text-soft", "tight": "font-semibold"}


@dataclass(frozen=True, slots=True)
class BarSeen:
    """A task of somebody: where it lies across the columns in per cent, and what it is."""

    run_id: int
    run: str
    key: str
    title: str
    words: str
    x: float
    width: float
    kind: str
    first: str
    seen: bool


@dataclass(frozen=True, slots=True)
class RowSeen:
    """Somebody, and their tasks where they are open."""

    id: int
    name: str
    position: str
    cells: tuple[CellSeen, ...]
    open: bool
    tasks: tuple[BarSeen, ...]
    bare: str
    more: int


@dataclass(frozen=True, slots=True)
class GroupSeen:
    """People under a head."""

    label: str
    count: int
    cells: tuple[CellSeen, ...]
    rows: tuple[RowSeen, ...]


@dataclass(frozen=True, slots=True)
class ProposalSeen:
    """What would even out an overload: what it does, solves and costs; ``edits`` as a form sends them."""

    run_id: int
    run: str
    text: str
    solves: str
    cost: str
    edits: str


@dataclass(frozen=True, slots=True)
class OverloadSeen:
    """Somebody with too much: what would help."""

    said: str
    follows: tuple[str, ...]
    proposals: tuple[ProposalSeen, ...]
    steps: tuple[ProposalSeen, ...]
    asked: bool
    left: str


@dataclass(frozen=True, slots=True)
class LoadPage:
    """The page."""

    section: str
    said: tuple[tuple[str, str], ...]
    columns: tuple[Column, ...]
    groups: tuple[GroupSeen, ...]
    looked: Looked
    units: Mapping[str, str]
    by: Mapping[str, str]
    before: str
    behind: str
    over: OverloadSeen | None
    room: tuple[tuple[int, str, str], ...]
    short: tuple[tuple[int, str, str, str], ...]
    level: str
    bare: int


@router.get("/load")
def load(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    unit: Word = "week",
    by: Word = "team",
    start: Annotated[str, Query(alias="from", max_length=10)] = "",
    who: Word = "",
    at: Word = "",
    whole: Word = "",
) -> Response:
    """The load of everybody from a day on; of somebody with their tasks, and what would even out an overload."""
    today = settings.day()
    values = {
        "unit": unit if unit in UNITS else "week", "by": by if by in BY else "team", "from": _iso(start),
        "who": str(number_in(who) or ""), "at": _iso(at), "whole": "yes" if whole else "",
    }  # fmt: skip
    begin = asked_days({"from": values["from"]}, today)[2]
    periods = periods_from(begin, values["unit"])
    with store.reading() as session:
        found = actions.loads(session, today, periods, values["by"])
        page = _page(session, me, found, periods, Looked(values), today)
    return render(request, "across/load.html", page)


def asked_days(query: Mapping[str, str], today: dt.date) -> tuple[str, str, dt.date]:
    """What an address asks for: the unit of the columns, by what people are grouped, and a day of the first column."""
    unit, by, start = query.get("unit", ""), query.get("by", ""), _iso(query.get("from", "")[:10])
    begin = dt.date.fromisoformat(start) if start else dt.date(today.year, today.month, today.day)
    return unit if unit in UNITS else "week", by if by in BY else "team", begin


def _iso(text: str) -> str:
    """A day of an address, if it is one within some years."""
    try:
        day = dt.date.fromisoformat(text)
    except ValueError:
        return ""
    return day.isoformat() if 1990 <= day.year <= 2190 else ""


def periods_from(day: dt.date, unit: str) -> list[Period]:
    """The columns from the one that a day is in."""
    if unit == "month":
        periods, first = [], day.replace(day=1)
        for _ in range(COLUMNS[unit]):
            behind = (first + dt.timedelta(days=32)).replace(day=1)
            periods.append(Period(first.toordinal(), behind.toordinal() - 1))
            first = behind
        return periods
    length = 7 if unit == "week" else 1
    begin = (day - dt.timedelta(days=day.weekday())).toordinal()
    return [Period(begin + n * length, begin + (n + 1) * length - 1) for n in range(COLUMNS[unit])]


def _page(
    session: Session, me: Actor, found: Loads, periods: Sequence[Period], looked: Looked, today: dt.date
) -> LoadPage:
    values = looked.values
    chosen = found.everybody.get(number_in(values["who"]))
    tasks: tuple[TaskLoad, ...] = ()
    over = None
    if chosen is not None:
        stretch = Period(periods[0].first, periods[-1].last)
        tasks = actions.tasks_in(session, me, found, chosen.id, stretch, today)
        over = _over(session, me, found, chosen, values, periods, today)
    first = dt.date.fromordinal(periods[0].first)
    back = periods_from(first - dt.timedelta(days=1), values["unit"])[0]
    step = first - dt.date.fromordinal(back.first)
    months = 4 if values["unit"] != "month" else 3
    before = first - step * months if values["unit"] != "month" else _months(first, -months)
    behind = first + step * months if values["unit"] != "month" else _months(first, months)
    short = told_of_person(session, me, chosen.id) if chosen is not None else ()
    return LoadPage(
        "people",
        tuple(_said(found, periods, values["unit"])),
        tuple(_columns(periods, values["unit"], today.toordinal())),
        tuple(_group(group, periods, chosen, tasks, values["unit"]) for group in found.groups),
        looked,
        UNITS,
        BY,
        before.isoformat(),
        behind.isoformat(),
        over,
        tuple(_room(found, chosen)),
        tuple((one.run_id, one.key, f"{one.title}, {one.run}", one.words) for one in short),
        level_told(session, today),
        sum(person.bare for person in found.everybody.values()),
    )


def _months(day: dt.date, n: int) -> dt.date:
    months = day.year * 12 + day.month - 1 + n
    return dt.date(months // 12, months % 12 + 1, 1)


def _columns(periods: Sequence[Period], unit: str, today: int) -> Iterator[Column]:
    month = ""
    for period in periods:
        first = dt.date.fromordinal(period.first)
        named = f"{first:%b %Y}"
        label = {"day": f"{first:%a} {first.day}", "week": f"{first.day} {first:%b}", "month": ""}[unit]
        now = period.first <= today <= period.last
        yield Column(first.isoformat(), label, "" if named == month else named, now)
        month = named


def _group(
    group: GroupLoad, periods: Sequence[Period], chosen: PersonLoad | None, tasks: Sequence[TaskLoad], unit: str
) -> GroupSeen:
    highest = max((cell.has for one in group.people for cell in one.cells), default=0)
    sums = max((cell.has for cell in group.cells), default=0)
    return GroupSeen(
        group.label,
        len(group.people),
        tuple(_cell(cell, "", sums, period) for cell, period in zip(group.cells, periods, strict=True)),
        tuple(_row(one, periods, highest, chosen, tasks) for one in group.people),
    )


def _row(
    one: PersonLoad, periods: Sequence[Period], highest: int, chosen: PersonLoad | None, tasks: Sequence[TaskLoad]
) -> RowSeen:
    is_open = chosen is not None and one.id == chosen.id
    return RowSeen(
        one.id,
        one.name,
        one.position,
        tuple(_cell(c, why, highest, p) for c, why, p in zip(one.cells, one.why, periods, strict=True)),
        is_open,
        tuple(_bar(task, periods) for task in tasks[:MOST_TASKS]) if is_open else (),
        f"{count_words(one.bare, 'task')}, no effort given" if one.bare else "",
        max(0, len(tasks) - MOST_TASKS) if is_open else 0,
    )


def _cell(cell: Cell, why: str, highest: int, period: Period) -> CellSeen:
    asked, has = hours_in_cell(cell.asked), hours_in_cell(cell.has)
    title = f"{span_words(period.first, period.last)}: {asked} of {has} h asked"
    if cell.expected:
        title += f", {hours_in_cell(cell.expected)} h more expected of prepared runs"
    if cell.over:
        title += f"; {hours_words(cell.over)} too much on single days"
    first = dt.date.fromordinal(period.first).isoformat()
    tall = round(TALL * cell.has / highest) if highest else 0
    full = min(tall, round(tall * cell.asked / cell.has)) if cell.has else 0
    if why and not cell.asked:
        return CellSeen(why, "away", title, 0, 0, 0, first)
    if cell.asked > cell.has:
        over = min(8, max(2, round(TALL * (cell.asked - cell.has) / max(highest, 1))))
        return CellSeen(f"{asked} of {has}", "over", title, tall, tall, over, first)
    more = min(TALL, round(tall * cell.expected / cell.has)) if cell.has else 0
    if not cell.asked and not cell.has:
        return CellSeen("", "away", title, 0, 0, 0, first)
    if not cell.asked:
        return CellSeen(f"{has} free", "free", title, tall, 0, 0, first, more)
    return CellSeen(
        f"{asked} of {has}", "tight" if cell.over else "", title, tall, full, 2 if cell.over else 0, first, more
    )


def hours_in_cell(minutes: int) -> str:
    """Hours in a cell, which is narrow: from two on to the half."""
    return f"{round(minutes / 30) / 2:g}" if minutes >= 120 else hours_words(minutes).removesuffix(" h")


def _bar(task: TaskLoad, periods: Sequence[Period]) -> BarSeen:
    days = sorted(task.days) or [task.first, task.last]
    first, last = max(days[0], periods[0].first), min(days[-1], periods[-1].last)
    x, end = _across(first, periods), _across(last + 1, periods)
    minutes = sum(task.days.values())
    words = hours_words(minutes) if task.effort else "no effort given"
    if task.queue:
        words += ", their part of the queue"
    if task.prepared:
        words += ", expected"
    kind = "expected" if task.prepared else "under-way" if task.state == "under way" else "ready"
    iso = dt.date.fromordinal(days[0]).isoformat()  # where it is drawn, so that it lands where it is dropped
    return BarSeen(
        task.run_id,
        task.run,
        task.key,
        task.title,
        words,
        round(x, 2),
        round(max(end - x, 0.6), 2),
        kind,
        iso,
        task.seen,
    )


def _across(day: int, periods: Sequence[Period]) -> float:
    """Where a day begins across the columns, in per cent."""
    for n, period in enumerate(periods):
        if day <= period.last:
            length = period.last - period.first + 1
            return 100 * (n + max(0, day - period.first) / length) / len(periods)
    return 100.0


def _said(found: Loads, periods: Sequence[Period], unit: str) -> Iterator[tuple[str, str]]:
    """Where it hurts and who has room, as pieces with a class each."""
    worst: list[tuple[int, PersonLoad, int]] = []
    for person in found.everybody.values():
        n = max(range(len(periods)), key=lambda n: person.cells[n].asked - person.cells[n].has)
        over = person.cells[n].asked - person.cells[n].has
        if over > 0:
            worst.append((over, person, n))
    worst.sort(key=lambda one: (-one[0], one[2], one[1].name))
    if not worst:
        single = [person for person in found.everybody.values() if person.overloads]
        yield "Nobody is asked for more than they have", ""
        if single:
            yield f"; on single days {names_words([one.name for one in single[:MOST_SAID]])}", "bad"
            yield " is." if len(single) == 1 else " are." if len(single) <= MOST_SAID else " and others are.", ""
        else:
            yield ".", ""
        return
    for at, (over, person, n) in enumerate(worst[:MOST_SAID]):
        yield (", " if at else "") + f"{person.name} {hours_in_cell(over)} h over", "bad"
        yield f" {_when(periods[n], unit)}", ""
    more = len(worst) - MOST_SAID
    yield f", and {more} more." if more > 0 else ".", ""
    first = worst[0]
    mates = {one.id for group in found.groups for one in group.people if first[1] in group.people}
    free = [(person.cells[first[2]].free, person) for person in found.everybody.values() if person.id in mates]
    best = max(free, key=lambda one: one[0], default=None)
    if best is not None and best[0] > 0:
        then = "" if unit == "day" else " then"
        yield f" {best[1].name} has {hours_in_cell(best[0])} h free{then}.", ""


def _when(period: Period, unit: str) -> str:
    first = dt.date.fromordinal(period.first)
    if unit == "day":
        return f"on {day_words(first)}"
    return f"in the week of {first.day} {first:%b}" if unit == "week" else f"in {first:%B}"


def _room(found: Loads, chosen: PersonLoad | None) -> Iterator[tuple[int, str, str]]:
    """Who has most hours left in these weeks; with somebody chosen those of their team or position first."""
    near: set[int] = set()
    if chosen is not None:
        near = {one.id for group in found.groups for one in group.people if chosen in group.people}
        near |= {one.id for one in found.everybody.values() if one.position and one.position == chosen.position}
    rest = [one for one in found.everybody.values() if chosen is None or one.id != chosen.id]
    rest.sort(key=lambda one: (one.id not in near, -sum(cell.free for cell in one.cells), one.name))
    for one in rest[:MOST_ROOM]:
        free = sum(cell.free for cell in one.cells)
        if free:
            yield one.id, one.name, f"{hours_in_cell(free)} h"


def _over(
    session: Session, me: Actor, found: Loads, chosen: PersonLoad, values: Mapping[str, str],
    periods: Sequence[Period], today: dt.date,
) -> OverloadSeen | None:  # fmt: skip
    """The overload that is looked at: that of the day in the address, else the first."""
    at, all_of_it = values["at"], bool(values["whole"])
    day = dt.date.fromisoformat(at).toordinal() if at else periods[0].first
    period = next((one for one in periods if one.first <= day <= one.last), None) if at else None
    near = [
        one for one in chosen.overloads if period is None or (one.first <= period.last and one.last >= period.first)
    ]
    if not near:
        return None
    overload = max(near, key=lambda one: one.over) if at else near[0]
    single, ids, names = actions.proposals(session, me, found, overload, today)
    whole: list[Proposal] = []
    if all_of_it:
        whole, _, _ = actions.proposals(session, me, found, overload, today, whole=True)
    solved = sum(one.solves for one in whole)
    left = overload.over - solved
    return OverloadSeen(
        f"{chosen.name} is {hours_words(overload.over)} over, {_span(overload)}: "
        f"{hours_words(overload.asked)} of {hours_words(overload.has)}.",
        tuple(f"{one.title}, {one.run}: {one.words}" for one in told_of_person(session, me, chosen.id)[:3]),
        tuple(_proposals(single, ids, names, overload)),
        tuple(_proposals(whole, ids, names, overload)),
        all_of_it or len(single) < 2,
        "" if left <= 0 else f"{hours_words(left)} would be left",
    )


def _span(overload: Overload) -> str:
    if overload.first == overload.last:
        return f"on {day_words(overload.first)}"
    return span_words(overload.first, overload.last)


def _proposals(
    found: Iterable[Proposal], ids: Sequence[int], names: Sequence[str], overload: Overload
) -> Iterator[ProposalSeen]:
    for one in found:
        cost = one.cost
        parts = [f"changes {count_words(cost.tasks, 'task')}" if cost.tasks > 1 else "changes nothing else"]
        parts += [f"{count_words(cost.people, 'other person', 'other people')}"] if cost.people else []
        parts += (
            [f"{count_words(cost.missed, 'deadline or anchor', 'deadlines or anchors')} missed"] if cost.missed else []
        )
        of_it = "all" if one.solves >= overload.over else f"{hours_words(one.solves)} of {hours_words(overload.over)}"
        edits = json.dumps([written(edit, one.result.plan.grid) for edit in one.edits])
        yield ProposalSeen(ids[one.run], names[one.run], one.text, f"solves {of_it}", " · ".join(parts), edits)
