"""What a template has beside its steps, as people type it."""

from __future__ import annotations

import datetime as dt

import pytest

from tests.plans import step, template
from unisequa.core.design import parts
from unisequa.core.design.editing import add_named, move_named, nudge_named, remove_named
from unisequa.core.design.fields.entries import set_field
from unisequa.core.design.findings import findings
from unisequa.core.design.outline import outline
from unisequa.core.documents.template import Anchor, Message, Template
from unisequa.core.errors import EditError


def job() -> Template:
    """Two anchors, a role and three phases."""
    return template(
        [step("a", 1, 0, role="lead", phase="p")],
        anchors=[{"key": "go", "label": "Period end"}, {"key": "board", "label": "Board meeting", "required": False}],
        roles=[{"key": "lead", "label": "Lead"}],
        phases=[{"key": key, "label": key.upper()} for key in "pqr"],
        facts=[{"key": "entity", "label": "Entity", "kind": "choice", "choices": ["Shop", "Tickets"]}],
        day_labels=[{"anchor": "go", "offset": 6, "label": "Books closed"}],
    )


@pytest.mark.parametrize(
    "part, key, name, text, expected",
    [
        ("roles", "lead", "label", "Controller", "Controller"),
        ("roles", "lead", "fill", "manager", "manager"),
        ("roles", "lead", "person", "maud@example.org", "maud@example.org"),
        ("roles", "lead", "calendar", "house", "house"),
        ("anchors", "board", "required", "yes", "True"),
        ("facts", "entity", "choices", "One; Two, One", "('One', 'Two')"),
        ("facts", "entity", "required", "yes", "True"),
        ("facts", "entity", "kind", "number", "()"),
        ("phases", "q", "label", "Ledgers", "Ledgers"),
    ],
)
def test_a_field_of_a_part_is_what_was_typed(part: str, key: str, name: str, text: str, expected: str) -> None:
    found = parts.set_part(job(), part, key, name, text)
    item = next(item for item in getattr(found, part) if item.key == key)
    values = {"fill": lambda: item.fill.by, "person": lambda: item.fill.person, "kind": lambda: item.choices}
    assert str(values.get(name, lambda: getattr(item, name))()) == expected


@pytest.mark.parametrize("text", ["-5 wd Period end", "start -5 wd Period end", "+2 w Period end"])
def test_an_anchor_is_measured_from_another_and_reads_back(text: str) -> None:
    found = parts.set_part(job(), "anchors", "board", "from", text)
    shown = parts.from_words(found, "board")
    assert shown == text.removeprefix("start ")
    assert parts.set_part(found, "anchors", "board", "from", shown) == found
    assert parts.from_words(parts.set_part(found, "anchors", "board", "from", ""), "board") == ""


def test_a_day_is_labelled_moved_renamed_and_taken_off() -> None:
    found = parts.set_part(job(), "day_labels", "", "new", "-2 d Board meeting: Papers out")
    assert [parts.label_words(found, i) for i in range(2)] == ["+6 wd Period end", "-2 d Board meeting"]
    found = parts.set_part(found, "day_labels", "0", "day", "+5")
    found = parts.set_part(found, "day_labels", "0", "label", "Ledgers shut")
    assert (found.day_labels[0].label, parts.label_words(found, 0)) == ("Ledgers shut", "+5 wd Period end")
    assert len(parts.set_part(found, "day_labels", "0", "label", "").day_labels) == 1
    with pytest.raises(EditError, match="not there any more"):
        parts.set_part(found, "day_labels", "7", "label", "x")


@pytest.mark.parametrize(
    "part, key, name, text, said",
    [
        ("roles", "lead", "fill", "magic", 'must be "ask"'),
        ("roles", "gone", "label", "x", "not there any more"),
        ("anchors", "board", "from", "whenever", "is no offset"),
        ("facts", "entity", "choices", "", "at least one choice"),
        ("phases", "p", "label", " ", "empty"),
        ("day_labels", "", "new", "nonsense", "no day label"),
    ],
)
def test_what_cannot_be_is_refused_in_words(part: str, key: str, name: str, text: str, said: str) -> None:
    with pytest.raises(EditError, match=said):
        parts.set_part(job(), part, key, name, text)


def test_parts_are_put_in_another_order_and_kept_while_something_uses_them() -> None:
    assert [p.key for p in move_named(job(), "phases", "r", after=None).phases] == ["r", "p", "q"]
    assert [p.key for p in move_named(job(), "phases", "p", after="q").phases] == ["q", "p", "r"]
    assert [p.key for p in nudge_named(job(), "phases", "p", by=-1).phases] == ["p", "q", "r"]
    for part, key, user in (
        ("phases", "p", "A uses"),
        ("roles", "lead", "A uses"),
        ("anchors", "go", "A, Books closed"),
    ):
        with pytest.raises(EditError, match=user):
            remove_named(job(), part, key)
    assert not remove_named(job(), "facts", "entity").facts


def test_a_key_of_a_role_anchor_or_fact_can_stand_in_a_placeholder() -> None:
    found, key = add_named(job(), "facts", "Catalogue number")
    assert key == "catalogue_number"
    assert parts.set_about(found, "naming", "Show {{ catalogue_number }}").naming == "Show {{ catalogue_number }}"
    _, again = add_named(found, "roles", "Catalogue number")
    assert again == "catalogue_number_2"


def test_a_name_that_a_run_might_have_is_shown_while_the_pattern_is_written() -> None:
    found = parts.set_about(job(), "naming", "Close {{ go | month }}, {{ entity }} for {{ subject }}")
    assert parts.sample_name(found, dt.date(2026, 11, 30)) == "Close November 2026, Shop for the subject"


@pytest.mark.parametrize(
    "written, words",
    [
        ({"offset": -2}, "to Lead, 2 working days before it is due"),
        ({"offset": 1, "unit": "days", "of": "done"}, "to Lead, 1 day after it is done"),
        ({"of": "start"}, "to Lead, when it starts"),
    ],
)
def test_a_message_says_when_it_leaves(written: dict[str, object], words: str) -> None:
    message = Message.model_validate({"to": "lead", "subject": "Soon", **written})
    assert parts.message_words(message, job()) == words


def test_a_message_is_added_changed_and_taken_out_and_its_text_is_checked() -> None:
    found = parts.set_message(job(), "a", None, to="lead")
    found = parts.set_message(found, "a", 0, text="Dear {{ person }}, {{ task }} is due {{ due }} for {{ entity }}")
    assert findings(found, outline(found)) == []
    broken = parts.set_message(found, "a", 0, text="{{ nobody }}")
    assert [(f.key, f.field, f.bars) for f in findings(broken, outline(broken))] == [("a", "messages[0].text", True)]
    assert parts.set_message(found, "a", 0).steps[0].messages == ()
    with pytest.raises(EditError, match="no role"):
        parts.set_message(found, "a", 0, to="ghost")


def test_another_template_is_included_with_the_anchor_and_the_roles_that_are_shared() -> None:
    inner = template(
        [step("x", 1, role="boss", when={"anchor": "end", "offset": 1})],
        name="Month-end close",
        anchors=[{"key": "end", "label": "End"}],
        roles=[{"key": "boss", "label": "LEAD"}],
    )
    found, key = parts.include(job(), inner)
    (include,) = found.includes
    assert (key, include.anchors, include.roles) == ("month_end", {"end": "go"}, {"boss": "lead"})
    placed = parts.set_part(found, "includes", key, "phase", "q")
    assert placed.includes[0].phase == "q"
    assert parts.set_part(placed, "includes", key, "anchors:end", "board").includes[0].anchors == {"end": "board"}
    with pytest.raises(EditError):
        parts.set_part(placed, "includes", key, "anchors:end", "nowhere")
    board = inner.model_copy(
        update={"anchors": (Anchor(key="end", label="End"), Anchor(key="b", label="board meeting"))}
    )
    labels = {anchor.label.casefold(): anchor.key for anchor in job().anchors}
    assert parts.include(job(), board)[0].includes[0].anchors == {"b": labels["board meeting"]}  # by its name


def test_phases_take_their_span_and_what_is_no_longer_wanted_is_retired() -> None:
    found = parts.set_part(job(), "phases", "q", "span", "2 w")
    found = parts.set_part(found, "phases", "q", "opens", "after the one before")
    assert (found.phases[1].span, found.phases[1].opens) == (10, "after the one before")
    assert parts.set_part(found, "phases", "q", "span", "").phases[1].span is None
    with pytest.raises(EditError, match='"long" is no number of working days'):
        parts.set_part(found, "phases", "q", "span", "long")
    assert parts.set_part(found, "anchors", "go", "retired", "yes").anchors[0].retired
    about = parts.set_about(parts.set_about(found, "tags", "North, ISO 9; North"), "stale_after", "3")
    assert (about.tags, about.stale_after) == (("North", "ISO 9"), 3)
    assert parts.set_about(about, "finishes", "by itself").finishes == "by itself"
    with pytest.raises(EditError, match="is no number of working days"):
        parts.set_about(about, "stale_after", "soon")


def test_a_job_is_turned_to_hours_and_back_while_nothing_is_measured_in_them() -> None:
    days = template([step("a", 2, -3), step("b", 0)], "a>b")
    days = days.model_copy(update={"links": (days.links[0].model_copy(update={"lag": 1}),)})
    hours = parts.set_about(days, "grid", "minute")
    assert [s.duration for s in hours.steps] == ["2d", "0d"] and hours.links[0].lag == "1d"
    assert parts.set_about(parts.set_about(hours, "zone", "Europe/Lisbon"), "zone", "").zone is None
    assert parts.set_about(hours, "grid", "day") == days
    with pytest.raises(EditError, match="3h of A is in hours"):
        parts.set_about(set_field(hours, ["a"], "duration", "3h"), "grid", "day")
    with pytest.raises(EditError, match="change that first"):
        parts.set_about(set_field(hours, ["a"], "when", "-2h"), "grid", "day")
    with pytest.raises(EditError, match="no time zone"):
        parts.set_about(hours, "zone", "Atlantis")
