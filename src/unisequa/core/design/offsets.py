"""Offsets from an anchor, as people type and read them: ``-5 wd``, ``opening -2``, ``2 days before opening``."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from unisequa.core.calendars.typed import typed_span
from unisequa.core.documents.template import Anchor, Measure, When, usual_roll
from unisequa.core.errors import TypedError, did_you_mean
from unisequa.core.terms import MOST_DAYS, Edge, Unit

_UNITS: dict[str, Unit] = {"wd": "working days", "d": "days", "w": "weeks", "mo": "months"}
_UNIT_WORDS = {
    "": "wd", "wd": "wd", "working day": "wd", "working days": "wd", "workday": "wd", "workdays": "wd",
    "business day": "wd", "business days": "wd", "d": "d", "day": "d", "days": "d",
    "calendar day": "d", "calendar days": "d",
    "w": "w", "wk": "w", "wks": "w", "week": "w", "weeks": "w", "mo": "mo", "month": "mo", "months": "mo",
}  # fmt: skip
_NUMBERS = {
    "a": 1, "an": 1, "the": 1, "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7,
    "eight": 8, "nine": 9, "ten": 10, "eleven": 11, "twelve": 12,
}  # fmt: skip
_SIGN = r"(?P<sign>[+−–-])"
_SIDE = r"(?P<side>before|after|from|to)?"
_DAYS = re.compile(
    rf"^{_SIGN}?\s*(?P<n>\d{{1,5}}|(?:{'|'.join(_NUMBERS)})\b)\s*"
    rf"(?P<unit>{'|'.join(sorted(filter(None, _UNIT_WORDS), key=len, reverse=True))})?\b\s*{_SIDE}$",
    re.IGNORECASE,
)
_HOURS = re.compile(
    rf"^{_SIGN}?\s*(?P<span>\d+:\d\d|(?:\d+(?:[.,]\d+)?\s*[dhm](?:ins?|inutes?|ours?|rs?|ays?)?(?![a-z])\s*)+)"
    rf"(?P<work>\bof work\b|\bwork\b)?\s*{_SIDE}$",
    re.IGNORECASE,
)
_EDGE = re.compile(r"^(?P<edge>starts?|begins?|due|ends?)\b\s*", re.IGNORECASE)
_COUNTED = re.compile(r"^[td]\s*(?=$|[+−–-]|0$)|^(?:day|wd|bd)\s*(?=[+−–-]|0$)|^(?:wd|bd)\s*(?=\d)", re.IGNORECASE)
_ON_THE_DAY = {"on the day", "the day", "same day", "the same day"}
_AT = re.compile(r"^(?:on|at)\s+", re.IGNORECASE)


def typed_when(text: str, anchors: Sequence[Anchor], before: When | None = None, *, hours: bool = False) -> When | None:
    """The offset that somebody typed; nothing for a step that its links alone date.

    ``-5`` and ``-5 wd`` are working days before the first anchor, ``+3 d`` days after it; ``w`` are weeks,
    ``mo`` months; ``T-5``, ``D+3`` and ``WD+3`` count from the first anchor too, as does ``WD5``, the fifth working day
    behind it (common practice of closes, no source), and ``on the day`` is its day. Another anchor is named before or
    behind: ``printer deadline -2``, ``2 days before printer deadline``; its name alone is its day. ``start -5`` puts
    the step's start there instead of its end. What is not typed stays as it was ``before``. With ``hours``, for the
    minute grid, also ``-1h 30m`` and ``+4h of work``.

    Raises
    ------
    TypedError

    >>> typed_when("-5", [Anchor(key="end", label="Period end")]).offset
    -5
    >>> typed_when("period end -2", [Anchor(key="go", label="Go"), Anchor(key="end", label="Period end")]).anchor
    'end'
    """
    word = " ".join(text.split())
    if not word:
        return None
    if not anchors:
        raise TypedError("there is no anchor to measure from; add one first")
    edged = _EDGE.match(word)
    edge: Edge = before.edge if before else "finish"
    ways: list[tuple[str, Edge]] = [(word, edge)]
    if edged:
        ways.insert(0, (word[edged.end() :], "start" if edged["edge"][0].lower() in "sb" else "finish"))
    kept = before.roll if before and before.roll != usual_roll(before.offset) else None
    for readings in (_named, _begun):
        for said, end in ways:
            for anchor, rest in readings(said, anchors):
                measured = _distance(text, rest, hours=hours)
                if measured is not None:
                    offset, unit = measured
                    return When(anchor=anchor, offset=offset, unit=unit, edge=end, roll=kept or usual_roll(offset))
    raise _no_offset(text, ways[0][0], anchors, hours)


def _named(word: str, anchors: Sequence[Anchor]) -> Iterator[tuple[str, str]]:
    """The anchors that a text names, before, behind or alone, each with what it says beside; the first without one."""
    names = sorted(((name, a.key) for a in anchors for name in (a.label, a.key)), key=lambda pair: -len(pair[0]))
    folded = word.casefold()
    for name, key in names:
        one = " ".join(name.split()).casefold()
        if folded == one or _AT.sub("", folded) == one:
            yield key, "0"
        elif folded.startswith(one) and not word[len(one) :][:1].isalnum():
            yield key, word[len(one) :].strip()
        elif folded.endswith(f" {one}"):
            yield key, word[: -len(one)].strip()
    if folded in _ON_THE_DAY:
        yield anchors[0].key, "0"
    counted = _COUNTED.sub("", word, count=1)
    if counted != word:
        yield anchors[0].key, counted or "0"
    yield anchors[0].key, word


def _begun(word: str, anchors: Sequence[Anchor]) -> Iterator[tuple[str, str]]:
    """The anchors of which a text has the beginning of the name."""
    for name in _names_in(word):
        begins = {a.key for a in anchors if a.label.casefold().startswith(name.casefold())}
        if len(name) >= 3 and len(begins) == 1:
            yield begins.pop(), word.replace(name, "", 1).strip() or "0"


_NAMED_FIRST = re.compile(r"^(?P<name>[^\W\d_].*?)\s*[+−–-]\s*\d")


def _names_in(word: str) -> Iterator[str]:
    """What may be meant as the name of an anchor: before the distance, behind it, or all of it."""
    if named := _NAMED_FIRST.match(word):
        yield named["name"].strip()
    words = word.split(" ")
    for i in range(len(words) - 1, 0, -1):
        behind = " ".join(words[i:])
        if behind[0].isalpha() and behind.casefold() not in _UNIT_WORDS:
            yield behind
    if word[:1].isalpha():
        yield _AT.sub("", word)


def _distance(text: str, word: str, *, hours: bool) -> tuple[int | str, Unit] | None:
    """A signed number of a unit; None for what is none."""
    if hours and (timed := _HOURS.match(word)):
        return ("-" if _back(timed) else "") + typed_span(timed["span"]), "working hours" if timed["work"] else "hours"
    parts = _DAYS.match(word)
    if not parts or (parts["n"].isalpha() and not parts["unit"]):
        return None
    n = _NUMBERS[parts["n"].lower()] if parts["n"].isalpha() else int(parts["n"])
    if n > MOST_DAYS:
        raise TypedError(f'"{text}" is longer than a hundred years')
    return (-n if _back(parts) else n), _UNITS[_UNIT_WORDS[" ".join((parts["unit"] or "").lower().split())]]


def _back(parts: re.Match[str]) -> bool:
    return parts["sign"] in ("-", "−", "–") or (parts["side"] or "").lower() in {"before", "to"}


def _no_offset(text: str, word: str, anchors: Sequence[Anchor], hours: bool) -> TypedError:
    labels = [anchor.label for anchor in anchors]
    for name in _names_in(word):
        rest = word.replace(name, "", 1).strip()
        if rest and _distance(text, rest, hours=hours) is not None:
            return TypedError(f'no anchor "{name}"{did_you_mean(name, labels)}')
    more = "-1h 30m, " if hours else ""
    other = f", {labels[-1]} -2" if len(labels) > 1 else ""
    units = "-5 (working days before), +3 d, -2 w, +1 mo"
    return TypedError(f'"{text}" is no offset; type {more}{units}{other}, or nothing')


def when_words(when: Measure, anchors: Sequence[Anchor]) -> str:
    """An offset as it is typed, one way back from :func:`typed_when`.

    >>> when_words(When(anchor="end", offset=-5, edge="start"), [Anchor(key="end", label="Period end")])
    'start -5 wd'
    """
    units = {unit: word for word, unit in _UNITS.items()}
    edge = "start " if getattr(when, "edge", "finish") == "start" else ""
    label = next((anchor.label for anchor in anchors[1:] if anchor.key == when.anchor), "")
    behind = f" {label}" if label else ""
    if isinstance(when.offset, str) or when.unit not in units:
        span = when.offset if isinstance(when.offset, str) else f"{when.offset}{'m' if 'minutes' in when.unit else 'h'}"
        sign = "" if span.lstrip().startswith(("-", "−", "+")) else "+"
        return f"{edge}{sign}{span}{' of work' if when.unit.startswith('working') else ''}{behind}"
    offset = f"{when.offset:+d}" if when.offset else "0"
    return f"{edge}{offset} {units[when.unit]}{behind}"
