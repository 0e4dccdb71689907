"""What people take for granted in the tables they keep: cells merged down, numbers of rows, names in two spellings."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from difflib import SequenceMatcher

_ALIKE, _SHORTEST_ALIKE = 0.86, 5
_NUMBER = re.compile(r"^\s*(\d+(?:\.\d+)*)")
_SPLIT = re.compile(r"[;,]")


def nearly(name: str, other: str) -> bool:
    """Whether two names may be two spellings of one: not where only a number or a single letter tells them apart.

    >>> nearly("Technican", "Technician"), nearly("Hall 1", "Hall 2"), nearly("Curator A", "Curator B")
    (True, False, False)
    """
    a, b = name.casefold(), other.casefold()
    if min(len(a), len(b)) < _SHORTEST_ALIKE:
        return False
    apart = set(re.findall(r"\w+", a)) ^ set(re.findall(r"\w+", b))
    if any(word.isdigit() or len(word) == 1 for word in apart):
        return False
    return SequenceMatcher(None, a, b).ratio() >= _ALIKE


def merged_down(cells: Sequence[str]) -> list[str]:
    """A column whose cells were merged downwards, each row with what its cell says; as it is where it was not.

    Merged cells come as the word in the first row and nothing below it: each word then stands once, the first row has
    one, and some have none.

    >>> merged_down(["Cut-off", "", "Review"]), merged_down(["Cut-off", "", "Cut-off"])
    (['Cut-off', 'Cut-off', 'Review'], ['Cut-off', '', 'Cut-off'])
    """
    said = [" ".join(cell.split()) for cell in cells]
    words = [word.casefold() for word in said if word]
    if not said or not said[0] or len(words) < 2 or len(set(words)) < len(words) or len(words) == len(said):
        return said
    above = ""
    filled = []
    for word in said:
        above = word or above
        filled.append(above)
    return filled


def by_number(numbers: Sequence[str], keys: Sequence[str], follows: Sequence[str]) -> Mapping[str, str]:
    """The key of the row that each number means where rows name what they follow: its own, or which row it is.

    Where the rows have outline numbers (``1.2``) and what they follow makes less sense by those than by counting rows,
    rows are counted: numbers that no row has, and rows that come later, count against a reading.

    >>> by_number(["1", "1.1", "1.2", "2"], ["prep", "order", "pack", "open"], ["", "", "2", "1"])["2"]
    'order'
    """
    own: dict[str, str] = {}
    for number, key in zip(numbers, keys, strict=True):
        own.setdefault(number.strip().rstrip("."), key)
    own.pop("", None)
    if not any("." in number for number in own):
        return own
    counted = {str(i): key for i, key in enumerate(keys, 1)}
    at = {key: i for i, key in enumerate(keys)}

    def against(reading: Mapping[str, str]) -> int:
        said = [
            (i, number[1])
            for i, text in enumerate(follows)
            for part in _SPLIT.split(text)
            if (number := _NUMBER.match(part))
        ]
        return sum(1 for i, number in said if number not in reading or at[reading[number]] >= i)

    return counted if against(counted) < against(own) else own
