"""What changed between two versions of a template: found, applied to a third, and turned round.

Versions are compared as the plain values of their documents. Entries of a list are told apart by their keys
(links by what they join, day labels by their day), so that a renamed, moved and edited step is still the same
step. A difference applied to a document that has changed meanwhile leaves alone what it does not speak of, and
raises :class:`Clash` where both speak of the same thing.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import BaseModel, ConfigDict

from unisequa.core.errors import Clash

LISTS = ("anchors", "roles", "facts", "phases", "steps", "links", "day_labels", "includes")
ABSENT = "\x00absent"

Pair = tuple[Any, Any]


class Entries(BaseModel):
    """What changed in one list.

    Parameters
    ----------
    changed : mapping
        Key → field → old and new value; None where the field is not written.
    added, removed : mapping
        Key → the entry.
    placed : mapping
        Key → the key it stood behind and the key it stands behind now: of what was added, removed or moved.
        Empty for the first of the list, ``ABSENT`` where it is not there.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    changed: dict[str, dict[str, Pair]] = {}
    added: dict[str, dict[str, Any]] = {}
    removed: dict[str, dict[str, Any]] = {}
    placed: dict[str, tuple[str, str]] = {}

    def moved(self) -> list[str]:
        """The keys that only changed their place."""
        return [key for key in self.placed if key not in self.added and key not in self.removed]


class Difference(BaseModel):
    """What changed between two versions: fields of the document, and its lists."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    fields: dict[str, Pair] = {}
    lists: dict[str, Entries] = {}

    def __bool__(self) -> bool:
        return bool(self.fields or self.lists)


def key_of(part: str, entry: Mapping[str, Any]) -> str:
    """What an entry of a list is known by."""
    if part == "links":
        return f"{entry['from']} {entry.get('type', 'FS')} {entry['to']}"
    if part == "day_labels":
        return f"{entry['anchor']} {entry.get('offset', 0)} {entry.get('unit', 'working days')} {entry['label']}"
    return str(entry["key"])


def difference(before: Mapping[str, Any], after: Mapping[str, Any]) -> Difference:
    """What changed from one document to another, both as they are written."""
    names = sorted((set(before) | set(after)) - set(LISTS))
    fields = {name: (before.get(name), after.get(name)) for name in names if before.get(name) != after.get(name)}
    lists = {}
    for part in LISTS:
        old, new = before.get(part, []), after.get(part, [])
        if old != new:
            lists[part] = _entries(part, old, new)
    return Difference(fields=fields, lists=lists)


def _entries(part: str, before: Sequence[dict[str, Any]], after: Sequence[dict[str, Any]]) -> Entries:
    old = {key_of(part, entry): entry for entry in before}
    new = {key_of(part, entry): entry for entry in after}
    changed = {}
    for key, entry in old.items():
        if key in new and entry != new[key]:
            names = sorted(set(entry) | set(new[key]))
            pairs = {name: (entry.get(name), new[key].get(name)) for name in names}
            changed[key] = {name: pair for name, pair in pairs.items() if pair[0] != pair[1]}
    added = {key: dict(entry) for key, entry in new.items() if key not in old}
    removed = {key: dict(entry) for key, entry in old.items() if key not in new}
    return Entries(changed=changed, added=added, removed=removed, placed=_placed(list(old), list(new)))


def _placed(before: list[str], after: list[str]) -> dict[str, tuple[str, str]]:
    was, now = _behind(before), _behind(after)
    common = [key for key in after if key in was]
    place = {key: i for i, key in enumerate(before)}
    staying = _longest_rise([place[key] for key in common])
    kept = {common[i] for i in staying}
    keys = [key for key in before if key not in now] + [key for key in after if key not in kept]
    return {key: (was.get(key, ABSENT), now.get(key, ABSENT)) for key in keys}


def _behind(keys: Sequence[str]) -> dict[str, str]:
    return dict(zip(keys, ["", *keys], strict=False))


def _longest_rise(numbers: Sequence[int]) -> list[int]:
    """The positions of a longest rising part of some numbers, by patience sorting."""
    tops: list[int] = []
    at: list[int] = []
    came: list[int] = []
    for i, number in enumerate(numbers):
        pile = bisect_left(tops, number)
        if pile == len(tops):
            tops.append(number)
            at.append(i)
        else:
            tops[pile], at[pile] = number, i
        came.append(at[pile - 1] if pile else -1)
    rise = []
    here = at[-1] if at else -1
    while here >= 0:
        rise.append(here)
        here = came[here]
    return rise[::-1]


def turned(change: Difference) -> Difference:
    """The difference the other way round: it takes back what the first one does."""
    return Difference(
        fields={name: (new, old) for name, (old, new) in change.fields.items()},
        lists={part: _turned(entries) for part, entries in change.lists.items()},
    )


def _turned(entries: Entries) -> Entries:
    return Entries(
        changed={key: {f: (b, a) for f, (a, b) in pairs.items()} for key, pairs in entries.changed.items()},
        added=entries.removed,
        removed=entries.added,
        placed={key: (now, was) for key, (was, now) in entries.placed.items()},
    )


def applied(change: Difference, document: Mapping[str, Any]) -> dict[str, Any]:
    """A document with a difference applied.

    Raises
    ------
    Clash
        Where the document no longer has what the difference starts from, nor what it leads to.
    """
    made = dict(document)
    for name, (old, new) in change.fields.items():
        if made.get(name) not in (old, new):
            raise Clash("", "", name)
        _set(made, name, new)
    for part, entries in change.lists.items():
        _set(made, part, _with(part, entries, made.get(part, [])) or None)
    return made


def _set(into: dict[str, Any], name: str, value: Any) -> None:
    if value is None:
        into.pop(name, None)
    else:
        into[name] = value


def _with(part: str, change: Entries, entries: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    there = {key_of(part, entry): dict(entry) for entry in entries}
    for key, pairs in change.changed.items():
        if key not in there:
            raise Clash(part, key, "")
        for name, (old, new) in pairs.items():
            if there[key].get(name) not in (old, new):
                raise Clash(part, key, name)
            _set(there[key], name, new)
    for key, entry in change.removed.items():
        if key in there and there[key] != entry:
            raise Clash(part, key, "")
    for key, entry in change.added.items():
        if key in there and there[key] != entry:
            raise Clash(part, key, "")
        there[key] = dict(entry)
    order = [key for key in there if key not in change.placed]
    waiting = {key: behind for key, (_, behind) in change.placed.items() if behind != ABSENT}
    while waiting:  # behind what is itself to be placed only once that has its place
        key, behind = next(iter(waiting.items()))
        while behind in waiting:
            key, behind = behind, waiting[behind]
        del waiting[key]
        order.insert(order.index(behind) + 1 if behind in order else 0 if not behind else len(order), key)
    return [there[key] for key in order if key in there]
