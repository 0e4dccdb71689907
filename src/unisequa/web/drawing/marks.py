"""Bars, milestones, ghosts and links as numbers to draw."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from unisequa.web.drawing.scale import ROW, Scale

BAR = 14
TOP = (ROW - BAR) // 2
ROUND = 4
LOZENGE = 5.5
NARROWEST = 4


@dataclass(frozen=True, slots=True)
class Mark:
    """What a row shows in the field.

    ``shape`` is bar or milestone; ``x`` and ``width`` are the bar's, a milestone's ``x`` its middle.
    ``slack_to`` is where its dotted line of slack ends; ``ghost`` where it stood before the shift
    being considered, as x and width.
    """

    shape: str
    x: float
    y: float
    width: float
    state: str
    critical: bool = False
    late: bool = False
    moved: bool = False
    slack_to: float | None = None
    ghost: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class Arrow:
    """A link as an SVG path, with the rows it joins and its arrow head."""

    source: str
    target: str
    path: str
    tip: str


def bar(scale: Scale, start: float, finish: float) -> tuple[float, float]:
    """A bar's place and width; never too narrow to be seen."""
    x = scale.x(start)
    return x, max(round(scale.x(finish) - x, 1), NARROWEST)


def arrows(
    links: Iterable[tuple[str, str, str]],
    ends: Mapping[str, tuple[float, float, float]],
    milestones: frozenset[str] = frozenset(),
) -> tuple[Arrow, ...]:
    """Links drawn from the end of a bar that they bind to the one they bound, right-angled with round corners.

    Parameters
    ----------
    links : iterable of triples
        Source row, target row, and the type: FS, SS, FF or SF.
    ends : mapping
        Row → where its mark begins, where it ends, and where its row begins, in pixels.
    """
    drawn = []
    for source, target, kind in links:
        if source in ends and target in ends:
            x1, row1 = ends[source][kind[0] == "F"], ends[source][2]
            x2, row2 = ends[target][kind[1] == "F"], ends[target][2]
            y1, y2 = row1 + ROW / 2, row2 + ROW / 2
            if kind == "FS":
                path, tip = _route(x1, y1, x2, y2, target in milestones)
            else:
                path, tip = _around(x1, y1, x2, y2, kind)
            drawn.append(Arrow(source, target, path, tip))
    return tuple(drawn)


def _around(x1: float, y1: float, x2: float, y2: float, kind: str) -> tuple[str, str]:
    """A link of another type than finish-to-start: out at the side it binds, in at the side it bounds."""
    into = 1 if kind[1] == "F" else -1
    down = 1 if y2 >= y1 else -1
    r, reach = ROUND, 9
    lane = max(x1, x2) + reach if into > 0 else min(x1, x2) - reach
    path = (
        f"M{x1:g} {y1:g}H{lane - into * r:g}q{into * r} 0 {into * r} {down * r}"
        f"V{y2 - down * r:g}q0 {down * r} {-into * r} {down * r}H{x2 + into * 3:g}"
    )
    return path, f"M{x2 + into * 4:g} {y2 - 3:g}v6l{-into * 4} -3z"


def _route(x1: float, y1: float, x2: float, y2: float, lozenge_end: bool) -> tuple[str, str]:
    down = 1 if y2 >= y1 else -1
    r = ROUND
    edge = y2 - down * (LOZENGE + 2 if lozenge_end else BAR / 2)
    into = x2 if lozenge_end else x2 + min(6, r + 2)
    if into >= x1 + r:
        path = f"M{x1:g} {y1:g}H{into - r:g}q{r} 0 {r} {down * r}V{edge - down * 3:g}"
        return path, f"M{into - 3:g} {edge - down * 4:g}h6l-3 {down * 4}z"
    if lozenge_end and x2 > x1 - 2 * BAR:  # on the day the source ends: straight from its underside
        return (
            f"M{x2:g} {y1 + down * BAR / 2:g}V{edge - down * 3:g}",
            f"M{x2 - 3:g} {edge - down * 4:g}h6l-3 {down * 4}z",
        )
    out, side, lane = x1 + 6, x2 - 8, y1 + down * ROW / 2
    path = (
        f"M{x1:g} {y1:g}H{out - r:g}q{r} 0 {r} {down * r}V{lane - down * r:g}q0 {down * r} {-r} {down * r}"
        f"H{side + r:g}q{-r} 0 {-r} {down * r}V{y2 - down * r:g}q0 {down * r} {r} {down * r}H{x2 - 3:g}"
    )
    return path, f"M{x2 - 4:g} {y2 - 3:g}v6l4 -3z"
