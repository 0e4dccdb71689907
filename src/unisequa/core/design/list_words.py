"""What changed in the lists of a step: its messages, its links outwards, its files; each entry with old and new."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from unisequa.core.design.parts import message_words
from unisequa.core.design.rewording import Piece, reworded
from unisequa.core.documents.template import Message, Template

Entry = Mapping[str, Any]
Words = tuple[list[str], list[tuple[str, tuple[Piece, ...]]]]
"""What is said of a list in lines, and the long texts in it word by word."""
LISTS = frozenset({"messages", "links_out", "attachments"})


def list_words(name: str, old: Sequence[Entry], new: Sequence[Entry], before: Template, after: Template) -> Words:
    """What changed in one of the lists."""
    if name == "messages":
        return _messages(old, new, before, after)
    noun, known, told = ("file", "name", "sha256") if name == "attachments" else ("link", "label", "url")
    was, now = ({one[known]: one[told] for one in entries} for entries in (old, new))
    lines = [f"{noun} {key} taken out" for key in was if key not in now]
    for key, value in now.items():
        if key not in was:
            lines.append(f"{noun} {key} added")
        elif was[key] != value:
            lines.append(f"{noun} {key} is another" if noun == "file" else f"{noun} {key} to {value}, was {was[key]}")
    return lines or [f"{noun}s in another order"], []


def _messages(old: Sequence[Entry], new: Sequence[Entry], before: Template, after: Template) -> Words:
    was, now = [_of(one) for one in old if one not in new], [_of(one) for one in new if one not in old]
    lines: list[str] = []
    texts: list[tuple[str, tuple[Piece, ...]]] = []
    pairs = list(_paired(was, now))
    for a, b in pairs:
        parts = list(_said(a, b, before, after))
        if a.text != b.text:
            texts.append((f"text of the message “{b.subject}”", reworded(a.text, b.text)))
            parts.append("text rewritten" if a.text and b.text else "text added" if b.text else "text taken out")
        lines.append(f"message “{b.subject}”: {', '.join(parts)}")
    matched = [one for pair in pairs for one in pair]
    lines += [f"message “{one.subject}” taken out" for one in was if not any(one is other for other in matched)]
    lines += [
        f"message “{one.subject}” added, {message_words(one, after)}"
        for one in now
        if not any(one is other for other in matched)
    ]
    return lines or ["messages in another order"], texts


def _of(entry: Entry) -> Message:
    return Message.model_validate(entry)


def _paired(was: Sequence[Message], now: Sequence[Message]) -> Iterator[tuple[Message, Message]]:
    """Messages that are the same one, changed: by their subject, else by whom they go to and when, else by place where
    as many are left."""
    left, there = list(was), list(now)
    for alike in (lambda m: m.subject, lambda m: (m.to, m.of, m.offset, m.unit)):
        for a in list(left):
            b = next((one for one in there if alike(one) == alike(a)), None)
            if b is not None:
                left.remove(a)
                there.remove(b)
                yield a, b
    if len(left) == len(there):
        yield from zip(left, there, strict=True)


def _said(a: Message, b: Message, before: Template, after: Template) -> Iterator[str]:
    when, then = message_words(b, after), message_words(a, before)
    if when != then:
        yield f"{when}, was {then}"
    for word, x, y in (("subject", a.subject, b.subject), ("words of", a.shared or "its own", b.shared or "its own")):
        if x != y:
            yield f"{word} {y}, was {x}"
    if a.files != b.files:
        yield f"files {', '.join(b.files) or 'none'}, was {', '.join(a.files) or 'none'}"
