"""Offsets and what a step follows, as people of the trade type them, and shown so that they are read back."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from unisequa.core.design.following import StepNames, follows_words, typed_follows
from unisequa.core.design.offsets import typed_when, when_words
from unisequa.core.documents.template import Anchor, Link, Step, When
from unisequa.core.errors import TypedError

ANCHORS = [
    Anchor(key="go", label="Opening night"),
    Anchor(key="print", label="Printer deadline"),
    Anchor(key="end", label="End of term"),
]


@pytest.mark.parametrize(
    "text, anchor, offset, unit",
    [
        ("-5", "go", -5, "working days"), ("−5 wd", "go", -5, "working days"), ("–5wd", "go", -5, "working days"),
        ("printer deadline -2", "print", -2, "working days"), ("-2 printer deadline", "print", -2, "working days"),
        ("2 days before printer deadline", "print", -2, "days"), ("2 wd before print", "print", -2, "working days"),
        ("two weeks after opening night", "go", 2, "weeks"), ("the day before Opening night", "go", -1, "days"),
        ("T-5", "go", -5, "working days"), ("D+3", "go", 3, "working days"), ("t", "go", 0, "working days"),
        ("T0", "go", 0, "working days"), ("D-10 d", "go", -10, "days"),
        ("Printer deadline", "print", 0, "working days"),
        ("on printer deadline", "print", 0, "working days"), ("print +1w", "print", 1, "weeks"),
        ("End of term -2 mo", "end", -2, "months"), ("5 business days before end", "end", -5, "working days"),
    ],
)  # fmt: skip
def test_an_offset_is_typed_as_the_trade_says_it(text: str, anchor: str, offset: int, unit: str) -> None:
    when = typed_when(text, ANCHORS)
    assert when and (when.anchor, when.offset, when.unit, when.edge) == (anchor, offset, unit, "finish")


@pytest.mark.parametrize(
    "text, offset, unit",
    [
        ("doors open -1h 30m", "-1h 30m", "hours"), ("20 minutes before doors open", "-20m", "hours"),
        ("-2h30m", "-2h30m", "hours"), ("+4h of work", "4h", "working hours"), ("start T-45m", "-45m", "hours"),
        ("-90 mins", "-90m", "hours"), ("-1.5h", "-1h 30m", "hours"), ("-1:05", "-1h 5m", "hours"),
    ],
)  # fmt: skip
def test_hours_are_typed_before_and_behind_an_anchor(text: str, offset: str, unit: str) -> None:
    when = typed_when(text, [Anchor(key="doors", label="Doors open")], hours=True)
    assert when and (when.offset, when.unit) == (offset, unit)


@pytest.mark.parametrize(
    "text, message",
    [
        ("printr deadline -2", 'no anchor "printr deadline"; did you mean "Printer deadline"'),
        ("2 days before closing", 'no anchor "closing"'),
        ("soon", "is no offset"), ("one", "is no offset"), ("T-", "is no offset"),
    ],
)  # fmt: skip
def test_what_is_no_offset_names_what_was_not_understood(text: str, message: str) -> None:
    with pytest.raises(TypedError, match=message):
        typed_when(text, ANCHORS)


LABELS = st.sampled_from(["Start", "Due date", "T", "Go-live 2", "Day 3", "End of term", "Opening night", "On sale"])


@given(st.lists(LABELS, min_size=1, unique=True), st.data())
def test_an_offset_shown_is_read_back_whatever_its_anchors_are_called(labels: list[str], data: st.DataObject) -> None:
    anchors = [Anchor(key=f"a{i}", label=label) for i, label in enumerate(labels)]
    when = When.model_validate(
        {
            "anchor": data.draw(st.sampled_from([a.key for a in anchors])),
            "offset": data.draw(st.integers(-30, 30)),
            "unit": data.draw(st.sampled_from(["working days", "days", "weeks", "months"])),
            "edge": data.draw(st.sampled_from(["start", "finish"])),
        }
    )
    assert typed_when(when_words(when, anchors), anchors) == when


def step(key: str, title: str) -> Step:
    return Step(key=key, title=title)


@pytest.mark.parametrize(
    "text, key, kind, lag, unit",
    [
        ("count the till", "till", "FS", 0, "working"), ("1 +1w", "till", "FS", 7, "elapsed"),
        ("starts with bank +1 wd", "bank", "SS", 1, "working"), ("Bank ss +1", "bank", "SS", 1, "working"),
        ("ends with Bank, by post - 2 d", "post", "FF", -2, "elapsed"), ("2FS+2 days", "bank", "FS", 2, "elapsed"),
        ("ends after Bank starts", "bank", "SF", 0, "working"),
        ("after Bank +1h of work", "bank", "FS", "1h", "working"),
        ("Bank +20 mins", "bank", "FS", "20m", "elapsed"), ("2 + 1.5 hours", "bank", "FS", "1h 30m", "elapsed"),
        ("Bank -1:30", "bank", "FS", "-1h 30m", "elapsed"),
        ('"Bank, by post"', "post", "FS", 0, "working"), ("m.closed", "m.closed", "FS", 0, "working"),
        ("Books closed", "m.closed", "FS", 0, "working"), ("month-end close", "m", "FS", 0, "working"),
    ],
)  # fmt: skip
def test_what_a_step_follows_is_typed_in_words(text: str, key: str, kind: str, lag: int | str, unit: str) -> None:
    steps = [step("till", "Count the till"), step("bank", "Bank"), step("post", "Bank, by post")]
    names = StepNames(steps, ["m"], {"m": "Month-end close", "m.closed": "Books closed"})
    (one,) = typed_follows(text, names)
    assert (one.key, one.type, one.lag, one.unit) == (key, kind, lag, unit)


def test_of_two_steps_with_one_title_the_row_says_which() -> None:
    names = StepNames([step("check", "Check"), step("check-2", "Check")])
    with pytest.raises(TypedError, match='2 steps are called "Check"; give the number of its row: 1 or 2'):
        typed_follows("Check", names)
    assert names.shown("check-2") == "Check (check-2)" and names.find("Check (check-2)") == "check-2"


TITLES = st.sampled_from(
    ["Check", "Bank", "Bank, by post", "starts with Check", "Ends after Check starts", "Check +2 wd", "12", "1",
     "check-2", "Till ss", "He said: now; then", "Room 4", 'The "big" one', "Wrap (bank)", "two\nlines", "After Check",
     "m.till", "Bank FS"]
)  # fmt: skip


@given(st.lists(TITLES, min_size=1, max_size=8), st.data())
def test_what_a_step_follows_is_read_back_as_it_is_shown(titles: list[str], data: st.DataObject) -> None:
    keys = ["check", "check-2", "bank", "a", "b", "c", "d", "e"]
    steps = [step(key, title) for key, title in zip(keys, titles, strict=False)]
    names = StepNames(steps, ["m"], {"m": "Check", "m.till": "Till"})
    pairs = st.tuples(st.sampled_from([*keys[: len(steps)], "m", "m.till"]), st.sampled_from(["FS", "SS", "FF", "SF"]))
    lags = st.sampled_from([(0, "working"), (2, "working"), (-3, "elapsed"), ("-1h 30m", "elapsed"), ("2h", "working")])
    links = [
        Link.model_validate({"from": key, "to": "z", "type": kind, "lag": lag, "unit": unit})
        for (key, kind), (lag, unit) in data.draw(st.dictionaries(pairs, lags, max_size=4)).items()
    ]
    read = typed_follows(follows_words(links, names), names)
    assert [(f.key, f.type, f.lag, f.unit) for f in read] == [(k.from_, k.type, k.lag, k.unit) for k in links]
