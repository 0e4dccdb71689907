"""The steps that a step follows, as people type and read them: ``Count the till, starts with Bank +2 wd``."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from difflib import get_close_matches
from functools import cached_property
from typing import cast

from unisequa.core.calendars.typed import typed_span
from unisequa.core.documents.template import Link, Step, Template
from unisequa.core.errors import TypedError, did_you_mean
from unisequa.core.terms import MOST_DAYS, LagUnit, LinkType, number_in


@dataclass(frozen=True, slots=True)
class Follows:
    """One entry of "follows": a step, the link's type, and the lag in days of ``unit``."""

    key: str
    lag: int | str = 0
    unit: LagUnit = "working"
    type: LinkType = "FS"


_PART = re.compile(r'(?:"[^"\n]*"|[^,;\n])+')
_LAG = (
    r"(?:\s*(?P<sign>[+−–-])\s*(?:(?P<span>\d+:\d\d|(?:\d+d\s+)?\d+(?:\.\d+)?\s*(?:h(?:(?:ou)?rs?)?|m(?:in(?:ute)?s?)?)(?![a-z])[\dhm\s]*)|"
    r"(?P<lag>\d{1,5}))\s*(?P<unit>working\s*days?|wd|days?|d|weeks?|wks?|w|of\s+work)?)?$"
)
_NO_LAG = r"(?P<sign>)(?P<span>)(?P<lag>)(?P<unit>)$"
_CODED = re.compile(r"^(?P<step>.*?)(?:(?:\s+|(?<=\d))(?:\((?=..\)))?(?P<type>fs|ss|ff|sf)\)?)?" + _LAG, re.IGNORECASE)
_SAID: tuple[tuple[LinkType, str], ...] = (
    ("SS", r"^(?:starts?|begins?)\s+with\s+(?P<step>.+?)"),
    ("FF", r"^(?:ends?|finish(?:es)?)\s+with\s+(?P<step>.+?)"),
    ("SF", r"^(?:ends?|finish(?:es)?)\s+(?:after|when)\s+(?P<step>.+?)\s+(?:starts?|begins?)"),
    ("FS", r"^after\s+(?P<step>.+?)"),
)
_WORDED = tuple((kind, re.compile(said + end, re.IGNORECASE)) for kind, said in _SAID for end in (_NO_LAG, _LAG))
WORDS: Mapping[str, tuple[str, str]] = {
    "FS": ("", ""), "SS": ("starts with ", ""), "FF": ("ends with ", ""), "SF": ("ends after ", " starts"),
}  # fmt: skip
"""Type of a link → what stands before and behind the step it comes from."""
_KEYED = re.compile(r"^(.*) \(([a-z][a-z0-9_.-]*)\)$", re.DOTALL)
_ALIKE = 0.84


@dataclass(frozen=True)
class StepNames:
    """How steps are called where others follow them: by title, by key, or by the number of their row.

    Parameters
    ----------
    steps : sequence of Step
        In the order of their rows.
    included : sequence of str
        Keys of included templates; their steps are called by dotted keys, and the key alone is all of it.
    inside : mapping of str to str
        The titles of what is included, by those keys.
    alike : bool
        Whether a name that is only similar to a title counts, as where a table is pasted.
    """

    steps: Sequence[Step]
    included: Sequence[str] = ()
    inside: Mapping[str, str] = field(default_factory=dict)
    alike: bool = False

    @cached_property
    def _titles(self) -> dict[str, str]:
        return {step.key: step.title for step in self.steps} | dict(self.inside)

    @cached_property
    def _by_title(self) -> dict[str, list[str]]:
        by_title: dict[str, list[str]] = {}
        for key, title in self._titles.items():
            by_title.setdefault(_folded(title), []).append(key)
        return by_title

    def exactly(self, word: str) -> str | None:
        """The key of the one step that is called so.

        Raises
        ------
        TypedError
            When several are.
        """
        bare = word[1:-1] if len(word) > 1 and word[0] == word[-1] == '"' else word
        if bare == word:
            if word in self._titles or (" " not in word and word.split(".", maxsplit=1)[0] in self.included):
                return word
            if (keyed := _KEYED.match(word)) and _folded(self._titles.get(keyed[2], "\n")) == _folded(keyed[1]):
                return keyed[2]
        keys = self._by_title.get(_folded(bare), [])
        if len(keys) > 1:
            rows = [str(i) for i, step in enumerate(self.steps, 1) if step.key in keys]
            raise TypedError(f'{len(keys)} steps are called "{bare}"; give the number of its row: {" or ".join(rows)}')
        if keys:
            return keys[0]
        lower = bare.casefold()
        return lower if lower in self._titles else None

    def calls(self, words: str) -> bool:
        """Whether some step is called so."""
        return _folded(words) in self._by_title

    def find(self, word: str) -> str | None:
        """The key of the step that a word means: as :meth:`exactly`, its row, or the beginning of one title alone."""
        if key := self.exactly(word):
            return key
        if 1 <= number_in(word) <= len(self.steps):
            return self.steps[int(word) - 1].key
        folded = _folded(word)
        begins = [key for title, keys in self._by_title.items() for key in keys if title.startswith(folded)]
        if len(folded) >= 3 and len(begins) == 1:
            return begins[0]
        alike = get_close_matches(folded, self._by_title, n=2, cutoff=_ALIKE) if self.alike else []
        return self._by_title[alike[0]][0] if len(alike) == 1 else None

    def shown(self, key: str) -> str:
        """What a step is called, so that it is found by it."""
        title = self._titles.get(key, "")
        if not title or '"' in title or "\n" in title:
            return key
        listed = _PART.fullmatch(title) is None
        if len(self._by_title[_folded(title)]) > 1:
            return key if listed else f"{title} ({key})"
        other = title.casefold() in self._titles and title.casefold() != key
        return f'"{title}"' if listed or other or _misread(title) else title

    def suggested(self, word: str) -> str:
        """What may have been meant."""
        keys, titles = [step.key for step in self.steps], [step.title for step in self.steps]
        near = did_you_mean(word, [*keys, *titles])
        return near if "did you mean" in near else did_you_mean(word, titles)


def _folded(title: str) -> str:
    return " ".join(title.split()).casefold()


def _misread(title: str) -> bool:
    """Whether a title reads as something else than a title: a row, a lag, a type of link, a key in brackets."""
    if number_in(title) or _KEYED.match(title) or title != " ".join(title.split()):
        return True
    coded = _CODED.match(title)
    return bool(coded and coded["step"] != title) or any(pattern.match(title) for _, pattern in _WORDED)


def typed_follows(text: str, names: StepNames) -> list[Follows]:
    """The steps that somebody typed as followed: ``Count the till, Bank +2 wd`` by title, row number or key.

    ``wd`` are working days (also without a unit), ``d`` days and ``w`` weeks on every calendar. A link is
    finish-to-start unless it is said: ``starts with Bank +1 wd``, ``ends with Bank``, ``ends after Bank starts``, or by
    its letters, ``Bank SS +1 wd``. A lag of hours is written out, ``doors +1h 30m``, and counts every hour but for
    ``+1h of work``. A title with a comma in it may stand between quotes.

    Raises
    ------
    TypedError
        Naming the entry that is no step.
    """
    follows: dict[str, Follows] = {}
    for one in _all_of(text, names):
        follows[f"{one.key} {one.type}"] = one
    return list(follows.values())


_MOST_COMMAS = 5


def _all_of(text: str, names: StepNames) -> Iterator[Follows]:
    """The entries of a list; a title that is there whole is one, though it has a comma in it."""
    parts = [(part.start(), part.end()) for part in _PART.finditer(text) if part[0].strip()]
    i = 0
    while i < len(parts):
        for j in range(min(len(parts) - 1, i + _MOST_COMMAS), i, -1):
            if joined := _read(text[parts[i][0] : parts[j][1]].strip(), names, names.exactly):
                yield joined
                i = j + 1
                break
        else:
            entry = text[parts[i][0] : parts[i][1]].strip()
            one = _read(entry, names, names.find)
            if one is None:
                word = _called(entry)
                raise TypedError(f'no step "{word}"{names.suggested(word)}')
            yield one
            i += 1


def _read(entry: str, names: StepNames, find: Callable[[str], str | None]) -> Follows | None:
    """An entry whose step is found; None for what names none."""
    if whole := names.exactly(entry):
        return Follows(whole)
    for kind, pattern in _WORDED:
        if (worded := pattern.match(entry)) and (key := find(worded["step"].strip())):
            return _with_lag(entry, key, worded, kind)
    coded = _CODED.match(entry)
    if coded and (key := find(coded["step"].strip())):
        return _with_lag(entry, key, coded, cast(LinkType, (coded["type"] or "FS").upper()))
    return None


def _called(entry: str) -> str:
    """What an entry calls the step, for saying that there is none."""
    parts = next((worded for _, pattern in reversed(_WORDED) if (worded := pattern.match(entry))), _CODED.match(entry))
    return parts["step"].strip() if parts else entry


_ALONE = re.compile(_LAG, re.IGNORECASE)
_ELAPSED = re.compile(r"(?<=\d)\s*(?:e|elapsed)$", re.IGNORECASE)


def typed_lag(text: str) -> tuple[int | str, LagUnit]:
    """A lag alone, as it is typed behind a step; without a sign it is later, and nothing is none.

    Raises
    ------
    TypedError

    >>> typed_lag("2"), typed_lag("-1 wd"), typed_lag("+3 days"), typed_lag("+15m of work"), typed_lag("")
    ((2, 'working'), (-1, 'working'), (3, 'elapsed'), ('15m', 'working'), (0, 'working'))
    """
    word = _ELAPSED.sub(" d", text.strip())
    found = _ALONE.match(word if word[:1] in {"", *"+−–-"} else f"+{word}")
    if not found:
        raise TypedError(f'"{text}" is no lag; type +2 wd, -1, +3 d or +15m')
    made = _with_lag(text, "", found, "FS")
    return made.lag, made.unit


def _with_lag(entry: str, key: str, parts: re.Match[str], kind: LinkType) -> Follows:
    lag: int | str = int(parts["lag"] or 0) * (1 if parts["sign"] == "+" else -1)
    word = " ".join((parts["unit"] or "").lower().split())
    if parts["span"]:
        lag = ("-" if parts["sign"] != "+" else "") + typed_span(parts["span"])
    elif word.startswith("w") and word not in {"wd", "workingday", "workingdays", "working day", "working days"}:
        lag, word = cast(int, lag) * 7, "d"
    if isinstance(lag, int) and abs(lag) > MOST_DAYS:
        raise TypedError(f'"{entry}": the lag is longer than {MOST_DAYS} days')
    elapsed = word in {"d", "day", "days"} or (isinstance(lag, str) and not word)
    return Follows(key, lag, "elapsed" if elapsed else "working", kind)


def follows_words(links: Sequence[Link], names: StepNames | None = None) -> str:
    """Links as they are typed, one way back from :func:`typed_follows`; by keys where no ``names`` are given.

    >>> follows_words([Link.model_validate({"from": "till", "to": "bank", "type": "SS", "lag": 2})])
    'starts with till +2 wd'
    """
    return ", ".join(_said(link, names) for link in links)


def _said(link: Link, names: StepNames | None) -> str:
    """One link; by the letters of its type where its words are what another step is called."""
    before, behind = WORDS[link.type]
    name, lag = (names.shown(link.from_) if names else link.from_), lag_words(link)
    words = f"{before}{name}{behind}{lag}"
    misread = names is not None and (names.calls(words) or (lag and names.calls(f"{name}{lag}")))
    if words == name or not misread:
        return words
    bare = name.strip('"')
    quoted = name if bare == link.from_ or name.endswith(f"({link.from_})") else f'"{bare}"'
    return f"{quoted} {link.type}{lag}"


def links_into(template: Template) -> dict[str, list[Link]]:
    """The links of a template by the step that follows."""
    into: dict[str, list[Link]] = {}
    for link in template.links:
        into.setdefault(link.to, []).append(link)
    return into


def lag_words(link: Link) -> str:
    """A link's lag as it is typed behind the step, with the space before it; nothing where there is none."""
    return f" {lag_text(link.lag, link.unit)}" if link.lag or link.unit == "elapsed" else ""


def lag_text(lag: int | str, unit: LagUnit) -> str:
    """A lag as it is typed: ``+2 wd``, ``-3 d``, ``+15m of work``."""
    if isinstance(lag, str):
        return f"{'' if lag.startswith(('-', '−')) else '+'}{lag}{' of work' if unit == 'working' else ''}"
    return f"{lag:+d} {'wd' if unit == 'working' else 'd'}"
