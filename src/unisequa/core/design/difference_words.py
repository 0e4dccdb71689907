"""A difference between two versions of a template, told step by step in words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from unisequa.core.calendars.words import count_words, names_words
from unisequa.core.design.comparison import Difference, Entries
from unisequa.core.design.fields.entries import FIELDS
from unisequa.core.design.list_words import LISTS, list_words
from unisequa.core.design.rewording import Piece, reworded
from unisequa.core.documents.conditions import condition_words, sign_off_words
from unisequa.core.documents.measures import offset_words
from unisequa.core.documents.template import Link, Measure, SignOff, Template, usual_roll

Kind = Literal["added", "removed", "changed", "moved"]
NOUNS = {
    "anchors": "anchor", "roles": "role", "facts": "fact", "phases": "phase", "steps": "step", "links": "link",
    "day_labels": "day label", "includes": "included template",
}  # fmt: skip
_FIELDS = {
    "usual_for": "usual for", "stale_after": "stale after", "chunk": "in pieces of", "finishes": "finished",
    "not_before": "not before", "from": "measured from", "naming": "name of runs", "zone": "time zone",
} | {entry.name: entry.words for entry in FIELDS if entry.words}  # fmt: skip
SHORT = 60


@dataclass(frozen=True, slots=True)
class Told:
    """What changed in one entry: its kind, the noun of the part, the entry's key and title, and how; of long texts also
    what was rewritten in them, by the name of the field."""

    kind: Kind
    noun: str
    key: str
    title: str
    how: tuple[str, ...] = ()
    texts: tuple[tuple[str, tuple[Piece, ...]], ...] = ()

    def __str__(self) -> str:
        name = f"{self.noun} {self.title}".strip()
        return f"{name} {self.kind}" + (f": {'; '.join(self.how)}" if self.how else "")


def told(change: Difference, before: Template, after: Template) -> list[Told]:
    """The difference in words, the template's own fields first, then part by part; links with the steps they
    lead to."""
    lines = [
        Told("changed", "template", name, "", (_change(name, old, new, before, after),), _texts({name: (old, new)}))
        for name, (old, new) in change.fields.items()
        if name != "format"
    ]
    follows = _links(change.lists.get("links", Entries()), before, after)
    for part, entries in change.lists.items():
        if part == "links":
            continue
        linked = follows if part == "steps" else {}
        lines += _entries(part, entries, before, after, linked)
    if "steps" not in change.lists:
        lines += _entries("steps", Entries(), before, after, follows)
    return lines


def summary(lines: Sequence[Told]) -> str:
    """A difference in one line, as the history keeps it."""
    if len(lines) == 1:
        return str(lines[0])
    kinds: dict[tuple[str, Kind], list[str]] = {}
    for line in lines:
        kinds.setdefault((line.noun, line.kind), []).append(line.title)
    parts = []
    for (noun, kind), titles in kinds.items():
        names = names_words([title for title in titles if title][:3]) if len(titles) <= 3 else ""
        parts.append(f"{count_words(len(titles), noun)} {kind}" + (f" ({names})" if names else ""))
    return "; ".join(parts)


def _entries(
    part: str, change: Entries, before: Template, after: Template, linked: Mapping[str, list[str]]
) -> Iterator[Told]:
    noun = NOUNS[part]
    titles = {**_titles(part, before), **_titles(part, after)}
    for key, entry in change.added.items():
        yield Told("added", noun, key, titles.get(key) or _name(entry), tuple(linked.get(key, ())))
    for key, entry in change.removed.items():
        yield Told("removed", noun, key, titles.get(key) or _name(entry))
    seen = set(change.added) | set(change.removed)
    for key in [*change.changed, *(key for key in linked if key not in change.changed and key not in seen)]:
        pairs = change.changed.get(key, {})
        lists = {
            name: list_words(name, old or (), new or (), before, after)
            for name, (old, new) in pairs.items()
            if part == "steps" and name in LISTS
        }
        how = [
            words
            for name, (old, new) in pairs.items()
            for words in (lists[name][0] if name in lists else [_change(name, old, new, before, after)])
        ]
        texts = (*_texts(pairs), *(text for _, found in lists.values() for text in found))
        yield Told("changed", noun, key, titles.get(key, key), (*how, *linked.get(key, ())), texts)
    for key in change.moved():
        if key not in change.changed:
            yield Told("moved", noun, key, titles.get(key, key))


def _texts(pairs: Mapping[str, tuple[Any, Any]]) -> tuple[tuple[str, tuple[Piece, ...]], ...]:
    """The long texts among what changed, word by word."""
    return tuple(
        (_FIELDS.get(name, name.replace("_", " ")), reworded(old or "", new or ""))
        for name, (old, new) in pairs.items()
        if isinstance(old or "", str) and isinstance(new or "", str) and max(len(old or ""), len(new or "")) > SHORT
    )


def _titles(part: str, template: Template) -> dict[str, str]:
    return {
        item.key: getattr(item, "title", None) or getattr(item, "label", None) or item.template
        for item in getattr(template, part)
        if hasattr(item, "key")
    }


def _name(entry: Mapping[str, Any]) -> str:
    return str(entry.get("title") or entry.get("label") or entry.get("template") or entry.get("key", ""))


def _links(change: Entries, before: Template, after: Template) -> dict[str, list[str]]:
    """What changed in the links into each step."""
    titles = {**_titles("steps", before), **_titles("steps", after)}
    lines: dict[str, list[str]] = {}

    def say(entry: Mapping[str, Any], verb: str) -> None:
        lines.setdefault(entry["to"], []).append(f"{verb} {titles.get(entry['from'], entry['from'])}{_lag(entry)}")

    for entry in change.added.values():
        say(entry, "now follows")
    for entry in change.removed.values():
        say(entry, "no longer follows")
    for key in change.changed:
        new = next((k for k in after.links if f"{k.from_} {k.type} {k.to}" == key), None)
        if new:
            say(_written(new), "now follows")
    return lines


def _written(link: Link) -> dict[str, Any]:
    return link.model_dump(mode="json", by_alias=True)


def _lag(entry: Mapping[str, Any]) -> str:
    kind = "" if entry.get("type", "FS") == "FS" else f" {entry['type']}"
    lag = entry.get("lag", 0)
    if not lag:
        return kind
    if isinstance(lag, str):
        work = "" if entry.get("unit") == "elapsed" else " of work"
        return f"{kind} {lag if lag.startswith('-') else '+' + lag}{work}"
    return f"{kind} {lag:+d} {'d' if entry.get('unit') == 'elapsed' else 'wd'}"


def _change(name: str, old: Any, new: Any, before: Template, after: Template) -> str:
    if name == "waits_for":
        return _waits(old or [], new or [])
    word = _FIELDS.get(name, name.replace("_", " "))
    a, b = _value(name, old, before), _value(name, new, after)
    if len(a) > SHORT or len(b) > SHORT or a == b:
        return f"{word} rewritten" if old and new else f"{word} {'added' if new else 'taken out'}"
    return f"{word} {b or 'none'}, was {a or 'none'}"


def _waits(old: Sequence[Mapping[str, Any]], new: Sequence[Mapping[str, Any]]) -> str:
    def said(verb: str, waits: Iterable[Mapping[str, Any]]) -> list[str]:
        names = [f"{wait['step']} of {wait['template']}" for wait in waits]
        return [f"{verb} {names_words(names)}"] if names else []

    words = said("waits for", (wait for wait in new if wait not in old))
    words += said("no longer waits for", (wait for wait in old if wait not in new))
    return ", ".join(words) or "waits for the same in another order"


def _value(name: str, value: Any, template: Template) -> str:
    part = {"role": "roles", "sign_off": "roles", "phase": "phases"}.get(name, "anchors")
    labels = {item.key: item.label for item in getattr(template, part)}
    if value is None:
        return {
            "duration": "1",
            "gate": "bar",
            "priority": "normal",
            "kind": "to do",
            "may_skip": "no",
            "opens": "with its tasks",
            "follow": "ask",
            "ready": "when free",
            "finishes": "asked",
            "stale_after": "5",
            "retired": "no",
        }.get(name, "none")
    if name in {"when", "not_before", "deadline", "from"}:
        words = offset_words(
            Measure.model_validate({k: value[k] for k in value if k != "edge"}),
            labels.get(value["anchor"], value["anchor"]),
        )
        edge = "its start " if value.get("edge") == "start" else ""
        usual = usual_roll(value.get("offset", 0))
        roll = f", {value['roll']}" if value.get("roll", usual) != usual else ""
        return f"{edge}{words}{roll}"
    if name in {"role", "phase"}:
        return str(labels.get(value, value))
    if name == "parent":
        return next((step.title for step in template.steps if step.key == value), f"{value}")
    if name == "sign_off":
        rule = SignOff.model_validate(value)
        return sign_off_words(rule, str(labels.get(rule.role, rule.role)), template)
    if name == "only_if":
        return f"only if {condition_words(value, template)}"
    if name == "fill":
        return " ".join(str(part) for part in value.values())
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | dict):
        return _listed(value)
    return str(value)


def _listed(value: Iterable[Any]) -> str:
    items = value.values() if isinstance(value, dict) else value
    return ", ".join(_name(item) or str(item) if isinstance(item, dict) else str(item) for item in items) or "none"
