"""What was rewritten in a long text, word by word."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

Mark = Literal["same", "new", "gone"]
_WORDS = re.compile(r"\s+|[^\s\w]|\w+")
_AROUND = 8
_MOST = 4000


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a text: in both, only in the new one, or only in the old."""

    mark: Mark
    text: str


def reworded(old: str, new: str) -> tuple[Piece, ...]:
    """The new text with what is gone from the old, in order; long stretches that stay are cut to their ends.

    >>> [(piece.mark, piece.text) for piece in reworded("Count the till.", "Count both tills.")]
    [('same', 'Count '), ('gone', 'the till'), ('new', 'both tills'), ('same', '.')]
    """
    a, b = _WORDS.findall(old), _WORDS.findall(new)
    if len(a) > _MOST or len(b) > _MOST:
        return (Piece("gone", old), Piece("new", new))
    pieces: list[Piece] = []
    for kind, i, j, k, m in _steady(SequenceMatcher(None, a, b, autojunk=False).get_opcodes(), a):
        if kind == "equal":
            pieces.append(Piece("same", "".join(a[i:j])))
            continue
        if gone := "".join(a[i:j]):
            pieces.append(Piece("gone", gone))
        if fresh := "".join(b[k:m]):
            pieces.append(Piece("new", fresh))
    return tuple(_cut(piece, first=n == 0, last=n == len(pieces) - 1) for n, piece in enumerate(pieces))


Stretch = tuple[str, int, int, int, int]


def _steady(stretches: Sequence[Stretch], a: Sequence[str]) -> list[Stretch]:
    """Changes with only a space between them as one: a phrase is read more easily than every other word."""
    steady: list[Stretch] = []
    for kind, i, j, k, m in stretches:
        blank = kind == "equal" and not "".join(a[i:j]).strip()
        if steady and steady[-1][0] != "equal" and (kind != "equal" or blank):
            _, first, _, fresh, _ = steady[-1]
            steady[-1] = ("replace", first, j, fresh, m)
        else:
            steady.append((kind, i, j, k, m))
    return steady


def _cut(piece: Piece, *, first: bool, last: bool) -> Piece:
    """What stays, shortened to some words beside what was rewritten."""
    words = _WORDS.findall(piece.text)
    if piece.mark != "same" or len(words) <= 4 * _AROUND or (first and last):
        return piece
    begin = "" if first else "".join(words[: 2 * _AROUND]) + " …"
    end = "" if last else "… " + "".join(words[-2 * _AROUND :])
    return Piece("same", f"{begin} {end}".strip(" ") if first == last else begin + end)
