"""The overview for leads: each figure leads to its rows."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.across.overview import BACK, OUTCOMES, EndingSeen, LateOf, OfTemplate, Overview, overview
from unisequa.core.calendars.words import count_words, day_words, hours_words, span_words
from unisequa.core.people.doers import Overload
from unisequa.web.pages import render
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()
MOST = 12
"""Rows of a list before the rest is folded away."""
TALL, WIDE = 44, 16
"""Pixels of the highest column of a small drawing, and from one month to the next."""


@dataclass(frozen=True, slots=True)
class Block:
    """A part of a column: its place and height in pixels, and a class."""

    x: int
    y: float
    height: float
    kind: str


@dataclass(frozen=True, slots=True)
class Small:
    """The runs of a template over months, drawn small."""

    id: int
    name: str
    runs: int
    blocks: tuple[Block, ...]
    words: str
    now: int
    first: str
    last: str


@dataclass(frozen=True, slots=True)
class Over:
    """Somebody with too much: when, and by how much."""

    id: int
    who: str
    when: str
    words: str
    at: str


@dataclass(frozen=True, slots=True)
class OverviewPage:
    """The page."""

    section: str
    said: str
    late: int
    by_person: tuple[LateOf, ...]
    by_run: tuple[LateOf, ...]
    ending: tuple[EndingSeen, ...]
    smalls: tuple[Small, ...]
    over: tuple[Over, ...]
    most: int


@router.get("/overview")
def look(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf) -> Response:
    """What is late, what ends soon, how runs stand, who has too much."""
    with store.reading() as session:
        found = overview(session, me, settings.day())
    page = OverviewPage(
        "horizon",
        _said(found),
        found.late,
        found.by_person,
        found.by_run,
        found.ending,
        tuple(_small(one) for one in found.templates),
        tuple(_over(number, one) for number, one in found.overloads),
        MOST,
    )
    return render(request, "across/overview.html", page)


def _said(found: Overview) -> str:
    where = count_words(len(found.by_run), "run")
    late = f"{count_words(found.late, 'task')} late in {where}" if found.late else "Nothing is late"
    ends = f"{count_words(len(found.ending), 'run ends', 'runs end')} in the next four weeks"
    over = len({number for number, _ in found.overloads})
    much = f"{count_words(over, 'person has', 'people have')} too much" if over else "nobody has too much"
    return f"{late}; {ends}; {much} in the next twelve."


def _over(number: int, one: Overload) -> Over:
    when = day_words(one.first) if one.first == one.last else span_words(one.first, one.last)
    at = dt.date.fromordinal(one.first).isoformat()
    return Over(number, one.who, when, f"{hours_words(one.asked)} of {hours_words(one.has)}", at)


_KINDS = dict(zip(OUTCOMES, ("muddle", "behind", "on-time", "ahead", "to-come"), strict=True))


def _small(one: OfTemplate) -> Small:
    highest = max((sum(month.counts) for month in one.months), default=1) or 1
    months = one.months
    said = ", ".join(_months_said(one))
    return Small(
        one.id, one.name, one.runs, tuple(_blocks(one, highest)), said, BACK * WIDE, f"{months[0].first:%b %Y}",
        f"{months[-1].first:%b %Y}",
    )  # fmt: skip


def _blocks(one: OfTemplate, highest: int) -> Iterator[Block]:
    for n, month in enumerate(one.months):
        y = float(TALL)
        for outcome, count in zip(reversed(OUTCOMES), reversed(month.counts), strict=True):
            if count:
                height = TALL * count / highest
                y -= height
                yield Block(n * WIDE + 2, round(y, 1), round(max(height - 0.8, 0.4), 1), _KINDS[outcome])


def _months_said(one: OfTemplate) -> Iterator[str]:
    totals = [sum(month.counts[n] for month in one.months) for n in range(len(OUTCOMES))]
    for outcome, count in zip(OUTCOMES, totals, strict=True):
        if count:
            yield f"{count} {outcome}"
