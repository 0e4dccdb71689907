"""What changed between two versions: found, applied, taken back, kept apart from what others changed."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.examples import dear
from tests.plans import document, step, template
from unisequa.core.design.comparison import Difference, applied, difference, turned
from unisequa.core.design.difference_words import summary, told
from unisequa.core.errors import Clash

KEYS = [f"s{i}" for i in range(7)]


@st.composite
def versions(draw: st.DrawFn) -> dict[str, Any]:
    """A document with some steps in some order, links among them, and a field of its own."""
    keys = draw(st.lists(st.sampled_from(KEYS), unique=True, max_size=7))
    steps = [
        {"key": key, "title": draw(st.sampled_from("ABC")), **draw(st.sampled_from([{}, {"duration": 2}]))}
        for key in keys
    ]
    pairs = draw(st.lists(st.tuples(st.sampled_from(KEYS), st.sampled_from(KEYS)), unique=True, max_size=5))
    links = [{"from": a, "to": b, **draw(st.sampled_from([{}, {"lag": 1}]))} for a, b in pairs]
    found: dict[str, Any] = {"name": draw(st.sampled_from("xyz"))}
    return found | ({"steps": steps} if steps else {}) | ({"links": links} if links else {})


@dear
@given(versions(), versions())
def test_a_difference_leads_from_one_version_to_the_other_and_back(a: dict[str, Any], b: dict[str, Any]) -> None:
    found = Difference.model_validate_json(difference(a, b).model_dump_json())
    assert applied(found, a) == b
    assert applied(turned(found), b) == a
    assert bool(found) == (a != b)


@given(versions(), versions(), st.sampled_from(KEYS))
def test_taking_back_leaves_alone_what_somebody_else_changed_meanwhile(
    a: dict[str, Any], b: dict[str, Any], key: str
) -> None:
    """Another step is added and the purpose written after the edit; taking the edit back keeps both."""
    others = {**b, "steps": [*b.get("steps", []), {"key": "theirs", "title": "Theirs"}], "purpose": "theirs"}
    back = applied(turned(difference(a, b)), others)
    assert back["purpose"] == "theirs"
    assert [s for s in back["steps"] if s["key"] == "theirs"]
    assert [s for s in back["steps"] if s["key"] != "theirs"] == a.get("steps", [])


@pytest.mark.parametrize("theirs", [{"title": "Theirs"}, None], ids=["the same field rewritten", "the step taken out"])
def test_taking_back_what_somebody_else_has_changed_again_is_a_clash(theirs: dict[str, str] | None) -> None:
    a, b = document([step("a"), step("b")]), document([step("a", title="Mine"), step("b")])
    now = document([step("a", **theirs), step("b")] if theirs else [step("b")])
    with pytest.raises(Clash) as caught:
        applied(turned(difference(a, b)), now)
    assert (caught.value.part, caught.value.key) == ("steps", "a")


def test_only_what_left_its_place_counts_as_moved() -> None:
    steps = [step(f"s{i}") for i in range(6)]
    moved = [*steps[1:4], steps[0], *steps[4:]]
    assert difference(document(steps), document(moved)).lists["steps"].moved() == ["s0"]


def test_a_difference_is_told_by_step_in_words() -> None:
    roles = [{"key": "r", "label": "Registrar"}, {"key": "t", "label": "Technician"}]
    phases = [{"key": "go", "label": "Not the anchor of this key"}]
    a = template([step("pack", 2, -5, role="r"), step("ship"), step("sign")], "pack>ship", roles=roles, phases=phases)
    b = template(
        [step("pack", 3, -8, role="t"), step("ship"), step("thank")],
        "pack>ship+2",
        "ship>thank",
        roles=roles,
        phases=phases,
        naming="Loan",
    )
    lines = told(difference(a.written(), b.written()), a, b)
    assert [str(line) for line in lines] == [
        "template changed: name of runs Loan, was none",
        "step Thank added: now follows Ship",
        "step Sign removed",
        "step Pack changed: duration 3, was 2; role Technician, was Registrar; "
        "offset its start 8 working days before Go, was its start 5 working days before Go",
        "step Ship changed: now follows Pack +2 wd",
    ]
    assert summary(lines).startswith("1 template changed; 1 step added (Thank); 1 step removed (Sign); 2 steps changed")


def test_messages_links_and_files_of_a_step_are_told_with_old_and_new() -> None:
    roles = [{"key": "clerk", "label": "Clerk"}, {"key": "host", "label": "Host"}]
    sha = {"sha256": "a" * 64, "size": 3}
    message = {"to": "clerk", "offset": -1, "subject": "Soon", "text": "Count the till tonight."}
    was = step("a", messages=[message, {"to": "host", "subject": "Done"}], attachments=[{"name": "plan.pdf", **sha}],
               links_out=[{"label": "Rates", "url": "https://rates.example.org"}])  # fmt: skip
    now = step(
        "a",
        messages=[
            {**message, "offset": -2, "text": "Count both tills tonight.", "files": ["new.pdf"]},
            {"to": "host", "subject": "Begun", "of": "start", "at": "08:00"},
        ],
        attachments=[{"name": "new.pdf", **sha}],
        links_out=[{"label": "Rates", "url": "https://rates.example.org/2027"}],
    )
    before, after = (template([one], roles=roles) for one in (was, now))
    (line,) = told(difference(before.written(), after.written()), before, after)
    assert line.how == (
        "file plan.pdf taken out",
        "file new.pdf added",
        "link Rates to https://rates.example.org/2027, was https://rates.example.org",
        "message “Soon”: to Clerk, 2 working days before it is due, was to Clerk, 1 working day before it is due, "
        "files new.pdf, was none, text rewritten",
        "message “Begun”: to Host, when it starts, at 08:00, was to Host, when it is due, subject Begun, was Done",
    )
    assert [(name, [p.text for p in pieces if p.mark == "new"]) for name, pieces in line.texts] == [
        ("text of the message “Soon”", ["both tills"])
    ]
