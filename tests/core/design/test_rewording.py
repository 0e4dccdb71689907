"""Long texts compared word by word."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from unisequa.core.design.rewording import reworded

TEXTS = st.lists(st.sampled_from(["count", "the", "till", "and", "sign", ".", "\n", "- [ ]", "café"]), max_size=6)


@given(TEXTS, TEXTS)
def test_what_is_there_and_what_is_gone_make_up_both_texts(old: list[str], new: list[str]) -> None:
    pieces = reworded(" ".join(old), " ".join(new))
    assert "".join(piece.text for piece in pieces if piece.mark != "new") == " ".join(old)
    assert "".join(piece.text for piece in pieces if piece.mark != "gone") == " ".join(new)
    assert all(piece.text for piece in pieces)


def test_a_long_text_shows_what_was_rewritten_and_some_words_around() -> None:
    words = [f"w{n}" for n in range(200)]
    new = [*words[:100], "fresh", *words[101:]]
    pieces = reworded(" ".join(words), " ".join(new))
    assert [piece.mark for piece in pieces] == ["same", "gone", "new", "same"]
    assert pieces[0].text.startswith("… ") and pieces[0].text.endswith("w99 ")
    assert pieces[3].text.startswith(" w101") and pieces[3].text.endswith(" …")
    assert len("".join(piece.text for piece in pieces)) < 120
