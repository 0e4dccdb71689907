"""What people type: dates such as ``fri`` or ``wd+2``, and the steps that a step follows."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from unisequa.core.documents.template import Anchor, Link, Measure, Step, When, usual_roll
from unisequa.core.errors import TypedError, did_you_mean
from unisequa.core.terms import MOST_DAYS, LagUnit, LinkType, Unit, number_in


@dataclass(frozen=True, slots=True)
class Follows:
    """One entry of "follows": a step, the link's type, and the lag in days of ``unit``."""

    key: str
    lag: int | str = 0
    unit: LagUnit = "working"
    type: LinkType = "FS"


_ENTRY = re.compile(
    r"^(?P<step>.*?)(?:\s+(?P<type>fs|ss|ff|sf))?(?:\s*(?P<sign>[+−-])\s*(?:(?P<span>\d[\d\s]*[hm][\dhm\s]*|\d+d\s+\d[\dhm\s]*)|"
    r"(?P<lag>\d{1,5}))\s*(?P<unit>wd|d|of\s+work)?)?$",
    re.IGNORECASE,
)


def typed_follows(text: str, steps: Sequence[Step], included: Sequence[str] = ()) -> list[Follows]:
    """The steps that somebody typed as followed: ``till, bank +2 wd`` by key, title or row number.

    ``wd`` are working days (also without a unit), ``d`` days on every calendar. A link is finish-to-start
    unless its type is named: ``bank SS +1 wd``. A lag of hours is written out, ``doors +1h 30m``, and counts every
    hour but for ``+1h of work``. Steps of an ``included`` template are named by their keys: ``m.till``, or ``m``
    for all of it.

    Raises
    ------
    TypedError
        Naming the entry that is no step.
    """
    follows: dict[str, Follows] = {}
    for entry in re.split(r"[,;\n]", text):
        if not entry.strip():
            continue
        whole = _step(entry.strip(), steps, included)
        if whole:
            follows[f"{whole} FS"] = Follows(whole)
            continue
        parts = _ENTRY.match(entry.strip())
        key = parts and _step(parts["step"].strip(), steps, included)
        if not parts or not key:
            word = parts["step"].strip() if parts else entry.strip()
            raise TypedError(f'no step "{word}"{did_you_mean(word, [step.key for step in steps])}')
        lag: int | str = int(parts["lag"] or 0) * (1 if parts["sign"] == "+" else -1)
        if parts["span"]:
            lag = ("-" if parts["sign"] != "+" else "") + parts["span"].strip()
        if isinstance(lag, int) and abs(lag) > MOST_DAYS:
            raise TypedError(f'"{entry.strip()}": the lag is longer than {MOST_DAYS} days')
        kind = cast(LinkType, (parts["type"] or "FS").upper())
        word = (parts["unit"] or "").lower()
        elapsed = word == "d" or (isinstance(lag, str) and not word)
        follows[f"{key} {kind}"] = Follows(key, lag, "elapsed" if elapsed else "working", kind)
    return list(follows.values())


def _step(word: str, steps: Sequence[Step], included: Sequence[str]) -> str | None:
    if " " not in word and word.split(".", maxsplit=1)[0] in included:
        return word
    if 1 <= number_in(word) <= len(steps):
        return steps[int(word) - 1].key
    lower = word.lower()
    for step in steps:
        if step.key == lower or step.title.lower() == lower:
            return step.key
    begins = [step.key for step in steps if step.title.lower().startswith(lower) and len(lower) >= 3]
    return begins[0] if len(begins) == 1 else None


def follows_words(links: Sequence[Link]) -> str:
    """Links as they are typed, one way back from :func:`typed_follows`.

    >>> follows_words([Link.model_validate({"from": "till", "to": "bank", "lag": 2})])
    'till +2 wd'
    """
    words = []
    for link in links:
        if isinstance(link.lag, str):
            sign = "" if link.lag.startswith(("-", "−")) else "+"
            lag = f" {sign}{link.lag}{' of work' if link.unit == 'working' else ''}"
        else:
            lag = (
                f" {link.lag:+d} {'wd' if link.unit == 'working' else 'd'}"
                if link.lag or link.unit == "elapsed"
                else ""
            )
        kind = "" if link.type == "FS" else f" {link.type}"
        words.append(f"{link.from_}{kind}{lag}")
    return ", ".join(words)


_UNITS: dict[str, Unit] = {"wd": "working days", "d": "days", "w": "weeks", "mo": "months"}
_UNIT_WORDS = {
    "": "wd", "wd": "wd", "working day": "wd", "working days": "wd", "d": "d", "day": "d", "days": "d",
    "w": "w", "wk": "w", "week": "w", "weeks": "w", "mo": "mo", "month": "mo", "months": "mo",
}  # fmt: skip
_WHEN = re.compile(
    r"^(?:(?P<edge>starts?|due)\b\s*)?(?P<sign>[+−-])?\s*(?P<n>\d{1,5})\s*"
    r"(?P<unit>working days?|wd|days?|d|weeks?|wk|w|months?|mo)?\b\s*(?P<side>before|after|from)?\s*(?P<anchor>.*)$",
    re.IGNORECASE,
)


_HOURS = re.compile(
    r"^(?:(?P<edge>starts?|due)\b\s*)?(?P<sign>[+−-])?\s*(?P<span>(?:\d+\s*[dhm]\s*)+)(?P<work>\bof work\b|\bwork\b)?"
    r"\s*(?P<side>before|after|from)?\s*(?P<anchor>.*)$",
    re.IGNORECASE,
)


def typed_when(text: str, anchors: Sequence[Anchor], before: When | None = None, *, hours: bool = False) -> When | None:
    """The offset that somebody typed; nothing for a step that its links alone date.

    ``-5`` and ``-5 wd`` are working days before the first anchor, ``+3 d`` days after it; ``w`` are weeks,
    ``mo`` months. ``start -5`` puts the step's start there instead of its end. Another anchor is named
    behind: ``2 wd after Closing day``. What is not typed stays as it was ``before``. With ``hours``, for the
    minute grid, also ``-1h 30m`` and ``+4h of work``.

    Raises
    ------
    TypedError

    >>> typed_when("-5", [Anchor(key="end", label="Period end")]).offset
    -5
    """
    word = " ".join(text.split())
    if not word:
        return None
    offset_match = (_HOURS.match(word) if hours else None) or _WHEN.match(word)
    if not offset_match:
        more = "-1h 30m, " if hours else ""
        raise TypedError(f'"{text}" is no offset; type {more}-5 (working days before), +3 d, -2 w, +1 mo, or nothing')
    parts = offset_match.groupdict()
    if not parts.get("span") and int(parts["n"]) > MOST_DAYS:
        raise TypedError(f'"{text}" is longer than a hundred years')
    back = offset_match["sign"] in ("-", "−") or (offset_match["side"] or "").lower() == "before"
    anchor = _anchor((offset_match["anchor"] or "").strip(), anchors)
    edge = before.edge if before else "finish"
    if offset_match["edge"]:
        edge = "finish" if offset_match["edge"].lower() == "due" else "start"
    kept = before.roll if before and before.roll != usual_roll(before.offset) else None
    if parts.get("span"):
        unit: Unit = "working hours" if parts["work"] else "hours"
        span = ("-" if back else "") + parts["span"].strip()
        return When(anchor=anchor, offset=span, unit=unit, edge=edge, roll=kept or usual_roll(span))
    n = int(parts["n"])
    unit = _UNITS[_UNIT_WORDS[(parts["unit"] or "").lower()]]
    n = -n if back else n
    return When(anchor=anchor, offset=n, unit=unit, edge=edge, roll=kept or usual_roll(n))


def _anchor(word: str, anchors: Sequence[Anchor]) -> str:
    if not anchors:
        raise TypedError("there is no anchor to measure from; add one first")
    if not word:
        return anchors[0].key
    for anchor in anchors:
        if word.lower() in {anchor.key, anchor.label.lower()}:
            return anchor.key
    raise TypedError(f'no anchor "{word}"{did_you_mean(word, [anchor.label for anchor in anchors])}')


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
