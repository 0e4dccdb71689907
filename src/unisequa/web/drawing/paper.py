"""A sheet drawn on paper: as SVG of its own, by attributes alone, over as many pages as it needs, heads repeated.

It is drawn from the model that the browser draws from (``static/drawing/field.js``), in the light theme's inks.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from math import ceil
from typing import Any, Literal

Paper = Literal["a4", "letter"]
SIZES: Mapping[Paper, tuple[int, int]] = {"a4": (1030, 660), "letter": (963, 682)}
"""Width and height within the margins of a sheet laid across and beneath its title, in CSS pixels (96 to the inch,
12 mm of margin, 40 pixels of title)."""
ROW, HEAD = 18, 46
COLUMNS = 420
"""How wide the columns of words are."""
LEAST_PX, MOST_PX = 1.6, 26.0
"""Pixels a day: with fewer a day is not seen, with more nothing is gained."""
LEAST_HOURS, MOST_HOURS = 240.0, 1440.0
"""The same in a job of hours."""

INK, SOFT, HAIR, OFF, PAPER = "#1c2733", "#58636e", "#ddd8cc", "#f0ece2", "#ffffff"
ACT, PALE, DONE, LATE, PLUMB = "#1f6b66", "#c7dad6", "#8c97a1", "#a8352a", "#8a5d08"
FILLS = {
    "waiting": (PAPER, SOFT), "ready": (PALE, ACT), "under-way": (PALE, ACT), "in-review": (PALE, ACT),
    "done": (DONE, DONE), "dropped": (PAPER, HAIR),
}  # fmt: skip
FONT = "Barlow, 'Helvetica Neue', Arial, sans-serif"


@dataclass(frozen=True, slots=True)
class Line:
    """A row of the sheet in words: a phase, a task, one of another run."""

    text: str
    who: str = ""
    due: str = ""
    level: int = 1
    head: bool = False
    pale: bool = False


@dataclass(frozen=True, slots=True)
class Sheet:
    """What is drawn: the rows, and the field's model. A mark of the model may lie in one of several lines of its row
    (``lane`` of ``lanes``), be filled in part (``part``, of 1), or be a stroke through the row (``up``, its ink)."""

    lines: Sequence[Line]
    model: Mapping[str, Any]
    heads: tuple[str, str, str] = ("Task", "Who", "Due")


@dataclass(frozen=True, slots=True)
class Page:
    """A page: rows and days from one to another, how wide a day is, the size."""

    rows: tuple[int, int]
    days: tuple[float, float]
    px: float
    size: tuple[int, int]


def pages(sheet: Sheet, paper: Paper) -> list[Page]:
    """Over which pages a sheet goes: rows from page to page, and where its days do not fit the width, these too."""
    width, height = SIZES[paper]
    first, last = _reach(sheet)
    room, least, most = width - COLUMNS, *_scales(sheet)
    px = min(most, max(least, room / (last - first)))
    across = max(1, ceil((last - first) * px / room - 1e-9))
    per_page = max(1, (height - HEAD) // ROW)
    rows = [(a, min(a + per_page, len(sheet.lines))) for a in range(0, max(len(sheet.lines), 1), per_page)]
    days = [(first + k * room / px, min(first + (k + 1) * room / px, last)) for k in range(across)]
    return [Page(row, day, px, (width, height)) for row in rows for day in days]


def whole(sheet: Sheet) -> Page:
    """All of a sheet on one page of its own size."""
    first, last = _reach(sheet)
    least, most = _scales(sheet)
    px = min(most, max(least, 1400 / (last - first)))
    size = ceil(COLUMNS + (last - first) * px), HEAD + ROW * len(sheet.lines) + 4
    return Page((0, len(sheet.lines)), (first, last), px, size)


def _scales(sheet: Sheet) -> tuple[float, float]:
    return (LEAST_HOURS, MOST_HOURS) if sheet.model["hours"] else (LEAST_PX, MOST_PX)


def _reach(sheet: Sheet) -> tuple[float, float]:
    """From the first thing there is to see to the last."""
    marks = sheet.model["marks"]
    plumbs = [day for kind, day, *_ in sheet.model["plumbs"] if kind == "anchor"]
    begins = [mark["s"][0] for mark in marks] + plumbs
    ends = [mark["s"][1] for mark in marks] + plumbs
    if not begins:
        return float(sheet.model["first"]), float(sheet.model["first"] + 28)
    margin = 0.05 if sheet.model["hours"] else 2
    return float(min(begins)) - margin, float(max(ends)) + margin + (0 if sheet.model["hours"] else 6)


def svg(sheet: Sheet, page: Page) -> str:
    """A page as an SVG document."""
    width, height = page.size
    drawn = "".join(_Drawing(sheet, page).parts())
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}" '
        f'font-family="{escape(FONT)}" font-size="11">'
        f'<rect width="{width}" height="{height}" fill="{PAPER}"/>{drawn}</svg>'
    )


class _Drawing:
    def __init__(self, sheet: Sheet, page: Page) -> None:
        self.sheet, self.page, self.model = sheet, page, sheet.model
        self.bottom = HEAD + ROW * (page.rows[1] - page.rows[0])
        self.marks = {mark["k"]: mark for mark in self.model["marks"]}

    def x(self, day: float) -> float:
        return round(COLUMNS + (day - self.page.days[0]) * self.page.px, 1)

    def y(self, row: int) -> int:
        return HEAD + (row - self.page.rows[0]) * ROW

    def here(self, a: float, b: float) -> bool:
        """Whether a stretch of days is on this page."""
        return b >= self.page.days[0] and a <= self.page.days[1]

    def parts(self) -> Iterator[str]:
        width, name = self.page.size[0] - COLUMNS, f"f{self.page.rows[0]}-{int(self.page.days[0])}"
        clip = f'<rect x="{COLUMNS}" y="0" width="{width}" height="{self.bottom + 4}"/>'
        yield f'<defs><clipPath id="{name}">{clip}</clipPath></defs>'
        yield from self._words()
        yield f'<g clip-path="url(#{name})">'
        yield from self._days()
        yield from self._plumbs()
        yield from self._links()
        for mark in self.model["marks"]:
            if self.page.rows[0] <= mark["i"] < self.page.rows[1] and self.here(*mark["s"]):
                yield from self._mark(mark)
        yield "</g>"

    def _words(self) -> Iterator[str]:
        for x, text in zip((0, 236, 342), self.sheet.heads, strict=True):
            yield _text(x, HEAD - 6, text, SOFT)
        for n in range(*self.page.rows):
            line, y = self.sheet.lines[n], self.y(n)
            yield f'<path d="M0 {y + ROW}.5H{self.page.size[0]}" stroke="{HAIR}" stroke-width=".6"/>'
            ink, weight = (SOFT, 400) if line.pale else (INK, 600 if line.head else 400)
            indent = 12 * (line.level - 1) + (14 if line.pale else 0)
            yield _text(indent, y + 13, _cut(line.text, 420 if line.head else 226 - indent), ink, weight)
            yield _text(236, y + 13, _cut(line.who, 100), SOFT)
            yield _text(342, y + 13, _cut(line.due, 74), ink)

    def _days(self) -> Iterator[str]:
        first, last = self.page.days
        for day, days, *_ in self.model["off"]:
            if self.here(day, day + days):
                width, height = round(days * self.page.px, 1), self.bottom - HEAD + 16
                yield f'<rect x="{self.x(day)}" y="{HEAD - 16}" width="{width}" height="{height}" fill="{OFF}"/>'
        said = COLUMNS - 99.0
        for day in range(int(first), int(last) + 1):
            date = dt.date.fromordinal(max(1, day))
            x = self.x(day)
            if x < self.page.size[0] - 40 and (date.day == 1 or (day == int(first) and self._has_room(date))):
                name = f"{date:%B %Y}" if 30 * self.page.px > 110 else f"{date:%b %Y}"
                yield _text(max(x, COLUMNS) + 3, 28, name, INK, 600)
            closely = self.page.px >= 16
            if (closely or date.weekday() == 0) and x - said >= (14 if closely else 20):
                said = x
                yield f'<path d="M{x} {HEAD - 14}V{self.bottom}" stroke="{HAIR}" stroke-width=".6"/>'
                yield _text(x + 3, HEAD - 5, str(date.day), SOFT)
        if self.model["hours"]:
            yield from self._hours()

    def _has_room(self, date: dt.date) -> bool:
        """Whether the name of a month fits before the next one begins."""
        following = (date.replace(day=28) + dt.timedelta(days=8)).replace(day=1)
        return self.x(following.toordinal()) - COLUMNS > 110

    def _hours(self) -> Iterator[str]:
        first, last = self.page.days
        every = next(n for n in (1, 2, 3, 6, 12) if n * self.page.px / 24 >= 34)
        for hour in range(int(first * 24), int(last * 24) + 1, every):
            x = self.x(hour / 24)
            yield f'<path d="M{x} {HEAD - 4}V{self.bottom}" stroke="{HAIR}" stroke-width=".6"/>'
            yield _text(x + 2, HEAD - 5, f"{hour % 24:02d}:00", SOFT)

    def _plumbs(self) -> Iterator[str]:
        order = {"anchor": 0, "today": 1}
        taken: list[tuple[float, float]] = []
        for kind, day, text, *_ in sorted(self.model["plumbs"], key=lambda plumb: (order.get(plumb[0], 2), plumb[1])):
            if not self.here(day, day):
                continue
            x, dashes, width = self.x(day), {"today": "4 3", "label": "1 3"}.get(kind, ""), 6 * len(text) + 8
            ink = PLUMB if kind == "anchor" else INK if kind == "today" else SOFT
            yield f'<path d="M{x} 14V{self.bottom}" stroke="{ink}" stroke-dasharray="{dashes}" stroke-width="1.2"/>'
            for at in (x + 4, x - width):  # to its right, else to its left
                if at + width <= self.page.size[0] and all(at + width <= a or at >= b for a, b in taken):
                    yield _text(at, 13, text, ink, 600)
                    taken.append((at, at + width))
                    break

    def _mark(self, mark: Mapping[str, Any]) -> Iterator[str]:
        y, (a, b) = self.y(mark["i"]), mark["s"]
        fill, ink = (PAPER, HAIR) if mark.get("py") else FILLS.get(mark["st"], FILLS["waiting"])
        x, width = self.x(a), max(round((b - a) * self.page.px, 1) - 1, 2)
        if "up" in mark:
            bar = "m-3 0h6" if mark["up"] == "end" else ""
            stroke = {"end": INK, "bad": LATE, "good": ACT}.get(mark["up"], INK)
            yield f'<path d="M{x} {y + 2}V{y + ROW - 2}M{x} {y + 2}{bar}" stroke="{stroke}" stroke-width="1.6"/>'
            return
        if "lanes" in mark:
            height = (ROW - 4) / mark["lanes"] - 1
            y += 2 + mark["lane"] * (height + 1)
            shape = f'x="{x}" y="{round(y, 1)}" height="{round(height, 1)}"'
            yield f'<rect {shape} width="{width}" fill="{fill}" stroke="{ink}" stroke-width=".7"/>'
            if mark.get("part") and mark["st"] == "under-way":
                yield f'<rect {shape} width="{round(width * mark["part"], 1)}" fill="{ACT}"/>'
            return
        if "to" in mark and self.x(mark["to"]) > x + width + 2:
            yield f'<path d="M{x + width + 2} {y + 9}H{self.x(mark["to"])}" stroke="{SOFT}" stroke-dasharray="1 3"/>'
        if mark.get("ms"):
            yield f'<path d="M{x} {y + 4}l4 5l-4 5l-4 -5z" fill="{INK if mark["st"] != "done" else DONE}"/>'
            yield _text(x + 8, y + 13, _cut(str(mark.get("t", "")), 150), INK)
            return
        yield f'<rect x="{x}" y="{y + 4}" width="{width}" height="10" fill="{fill}" stroke="{ink}"/>'
        if mark["st"] == "under-way":
            yield f'<rect x="{x}" y="{y + 4}" width="{round(width * 0.4, 1)}" height="10" fill="{ACT}"/>'
        if mark.get("cr"):
            yield f'<path d="M{x} {y + 16}h{width}" stroke="{INK}" stroke-width="1.6"/>'
        if mark.get("la"):
            yield f'<path d="M{x} {y + 16.5}h{width}" stroke="{LATE}" stroke-width="1.6"/>'
        if mark.get("fx"):
            yield f'<path d="M{x} {y + 2}v14m-2.5 -14h5" stroke="{INK}"/>'
        if "bl" in mark:
            yield f'<path d="M{self.x(mark["bl"][0])} {y + 16.5}H{self.x(mark["bl"][1])}" stroke="{SOFT}"/>'

    def _links(self) -> Iterator[str]:
        """Links right-angled: out at the end that binds, in at the one that is bound."""
        for source, target, kind in self.model["links"]:
            a, b = self.marks.get(source), self.marks.get(target)
            if a is None or b is None:
                continue
            rows = sorted((a["i"], b["i"]))
            out, into = a["s"][kind[0] == "F"], b["s"][kind[1] == "F"]
            if (
                rows[1] < self.page.rows[0]
                or rows[0] >= self.page.rows[1]
                or not self.here(min(out, into), max(out, into))
            ):
                continue
            x1, x2, y1, y2 = self.x(out), self.x(into), self.y(a["i"]) + 9, self.y(b["i"]) + 9
            turn = max(x1, x2) + 5 if kind == "FF" else min(x1, x2) - 5 if kind == "SS" else x1 + 4
            yield f'<path d="M{x1} {y1}H{turn}V{y2}H{x2}" fill="none" stroke="{DONE}" stroke-width=".7"/>'


def _text(x: float, y: float, text: str, ink: str, weight: int = 400) -> str:
    if not text:
        return ""
    heavy = f' font-weight="{weight}"' if weight != 400 else ""
    return f'<text x="{round(x, 1)}" y="{y}" fill="{ink}"{heavy}>{escape(text)}</text>'


def _cut(text: str, width: float) -> str:
    """A text that fits some pixels, as nearly as is known without measuring."""
    most = max(1, int(width / 5.7))
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
