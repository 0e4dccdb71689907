"""Rows and links of a template, edited as people do it."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.examples import dear
from tests.plans import step, template
from unisequa.core.design import linking, rows
from unisequa.core.design.clip import copied, pasted
from unisequa.core.design.editing import remove_steps
from unisequa.core.design.fields import entries as step_fields
from unisequa.core.design.outline import outline
from unisequa.core.documents.checks import faults_in
from unisequa.core.documents.template import Template, When
from unisequa.core.errors import EditError

PHASES = [{"key": "p", "label": "Before"}, {"key": "q", "label": "After"}]
LIST = "- Pack\n  - Crates\n  - Labels\n- Ship\n\n1. Unpack\n"


def job() -> Template:
    """Pack with Crates and Labels, Ship, Unpack: all in the first of two phases."""
    found, _ = rows.insert(template([], phases=PHASES), rows.lines_of(LIST), rows.Place(None, "p"))
    return found


def shown(found: Template) -> list[str]:
    """The rows as people see them: indented by level, ``|`` between phases."""
    lines, phase = [], "p"
    for row in rows.rows(found):
        if row.phase != phase:
            lines.append("|")
            phase = row.phase or ""
        lines.append(">" * row.depth + row.step.key)
    return lines


def test_a_pasted_list_becomes_steps_on_the_levels_of_its_indents() -> None:
    assert shown(job()) == ["pack", ">crates", ">labels", "ship", "unpack"]


@pytest.mark.parametrize(
    "keys, by, expected",
    [
        (["ship"], 1, ["pack", ">crates", ">labels", ">ship", "unpack"]),
        (["labels"], 1, ["pack", ">crates", ">>labels", "ship", "unpack"]),
        (["crates"], -1, ["pack", ">labels", "crates", "ship", "unpack"]),
        (["crates", "labels"], -1, ["pack", "crates", "labels", "ship", "unpack"]),
        (["ship", "unpack"], 1, ["pack", ">crates", ">labels", ">ship", ">unpack"]),
    ],
)
def test_tab_puts_rows_a_level_in_or_out(keys: list[str], by: int, expected: list[str]) -> None:
    assert shown(rows.level(job(), keys, by=by)) == expected


def test_steps_go_three_levels_deep_and_the_first_row_has_nothing_to_belong_to() -> None:
    deep = rows.level(rows.level(job(), ["ship"], by=1), ["ship"], by=1)
    assert shown(deep) == ["pack", ">crates", ">labels", ">>ship", "unpack"]
    with pytest.raises(EditError, match="3 levels deep"):
        rows.level(rows.level(rows.level(deep, ["unpack"], by=1), ["unpack"], by=1), ["unpack"], by=1)
    with pytest.raises(EditError, match="no row above"):
        rows.level(job(), ["pack"], by=1)


@pytest.mark.parametrize(
    "keys, by, expected",
    [
        (["ship"], -1, ["ship", "pack", ">crates", ">labels", "unpack"]),
        (["pack"], 1, ["ship", "pack", ">crates", ">labels", "unpack"]),
        (["unpack"], 1, ["pack", ">crates", ">labels", "ship", "|", "unpack"]),
        (["labels"], -1, ["pack", ">labels", ">crates", "ship", "unpack"]),
        (["ship", "unpack"], -1, ["ship", "unpack", "pack", ">crates", ">labels"]),
        (["labels"], 1, ["pack", ">crates", ">labels", "ship", "unpack"]),
    ],
)
def test_rows_move_among_their_own_and_across_a_phases_border(keys: list[str], by: int, expected: list[str]) -> None:
    assert shown(rows.nudge(job(), keys, by=by)) == expected


def test_rows_are_dragged_with_what_belongs_to_them_and_never_into_themselves() -> None:
    place = rows.place_behind(job(), "unpack", 1)
    assert shown(rows.move(job(), ["pack"], rows.place_behind(job(), "ship", 0))) == [
        "ship", "pack", ">crates", ">labels", "unpack",
    ]  # fmt: skip
    assert place.parent == "unpack"
    with pytest.raises(EditError, match="under itself"):
        rows.move(job(), ["pack"], rows.place_behind(job(), "crates", 1))


def test_sorting_by_date_keeps_what_has_no_date_behind_the_row_above_it() -> None:
    found = template([step("late", 1, 9), step("open", phase=None), step("early", 1, 2), step("tail")], "early>tail")
    assert [s.key for s in rows.sort_by_date(found, {"late": 9, "early": 2, "tail": 3}).steps] == [
        "early", "tail", "late", "open",
    ]  # fmt: skip


OPS = st.sampled_from(["in", "out", "up", "down", "move", "remove", "paste", "phase"])


@dear
@given(st.lists(st.tuples(OPS, st.integers(0, 50), st.integers(0, 50)), max_size=12))
def test_whatever_is_done_to_the_rows_the_template_stays_whole(ops: list[tuple[str, int, int]]) -> None:
    found = linking.link(linking.link(job(), "crates", "labels"), "labels", "unpack")
    for op, a, b in ops:
        keys = [row.step.key for row in rows.rows(found)]
        if not keys:
            break
        one, other = keys[a % len(keys)], keys[b % len(keys)]
        try:
            if op in {"in", "out"}:
                found = rows.level(found, [one], by=1 if op == "in" else -1)
            elif op in {"up", "down"}:
                found = rows.nudge(found, [one, other], by=-1 if op == "up" else 1)
            elif op == "move":
                found = rows.move(found, [one], rows.place_behind(found, other, b % 3))
            elif op == "remove":
                found = remove_steps(found, [one])
            elif op == "paste":
                found, _ = pasted(found, copied(found, [one]), rows.place_behind(found, other))
            else:
                found = step_fields.set_field(found, [one], "phase", "After" if b % 2 else "")
        except EditError:
            continue
        assert list(faults_in(found)) == []
        assert [s.key for s in found.steps] == [row.step.key for row in rows.rows(found)]
        by_key = {s.key: s for s in found.steps}
        assert all(s.parent is None or by_key[s.parent].phase == s.phase for s in found.steps)


def test_what_followed_a_removed_step_follows_what_it_followed() -> None:
    found = template([step("a"), step("b"), step("c")], "a>b+1", "b>c+2")
    (link,) = remove_steps(found, ["b"]).links
    assert (link.from_, link.to, link.lag) == ("a", "c", 3)


def test_a_link_that_would_make_a_circle_is_refused_and_the_circle_told_even_through_parents() -> None:
    found = linking.link(job(), "ship", "unpack")
    with pytest.raises(EditError, match="Unpack → Pack → Labels → Unpack"):
        linking.link(linking.link(found, "labels", "unpack"), "unpack", "pack")
    with pytest.raises(EditError, match="Unpack → Ship → Unpack"):
        linking.set_follows(found, "ship", "unpack")


def test_cut_and_put_in_again_steps_keep_their_keys_and_all_their_links() -> None:
    found = template([step("a"), step("b"), step("c"), step("d")], "a>b", "b>c+1", phases=PHASES)
    clip = copied(found, ["b"])
    back, keys = pasted(remove_steps(found, ["b"], bridge=False), clip, rows.Place(None, "q"))
    assert keys == ["b"] and {(k.from_, k.to, k.lag) for k in back.links} == {("a", "b", 0), ("b", "c", 1)}
    assert next(s for s in back.steps if s.key == "b").phase == "q"


def test_a_copy_in_another_template_brings_the_roles_anchors_and_facts_it_names() -> None:
    source = template(
        [
            step("a", 1, 2, title="Tell {{ client }}", role="press", only_if="remote"),
            step("b", when={"anchor": "end", "offset": -1}, messages=[{"to": "lead", "subject": "Soon"}]),
        ],
        "a>b",
        anchors=[{"key": "go", "label": "Go"}, {"key": "end", "label": "Closing", "required": False}],
        roles=[{"key": "press", "label": "Press officer"}, {"key": "lead", "label": "Lead"}],
        facts=[{"key": "client", "label": "Client"}, {"key": "remote", "label": "Remote", "kind": "yes-no"}],
    )
    target = template([step("a")], roles=[{"key": "pr", "label": "Press Officer"}])
    found, keys = pasted(target, copied(source, ["a", "b"]), rows.Place("a"))
    assert keys == ["a-2", "b"] and list(faults_in(found)) == []
    assert [s.role for s in found.steps] == [None, "pr", None]
    assert [a.label for a in found.anchors] == ["Go", "Closing"] and [f.key for f in found.facts] == [
        "client",
        "remote",
    ]
    assert [(k.from_, k.to) for k in found.links] == [("a-2", "b")]


@pytest.mark.parametrize(
    "unit, offset, days, expected",
    [
        ("working days", -5, 2, (-3, "working days")),
        ("weeks", 2, 5, (3, "weeks")),
        ("days", 7, -5, (0, "days")),
        ("days", 7, 1, (6, "working days")),
        ("weeks", 1, 2, (7, "working days")),
    ],
)
def test_a_bar_that_is_dragged_keeps_its_unit_where_it_can(
    unit: str, offset: int, days: int, expected: tuple[int, str]
) -> None:
    found = template([step("a", when={"anchor": "go", "offset": offset, "unit": unit, "edge": "start"})])
    when = linking.drag(found, ["a"], days, outline(found)).steps[0].when
    assert when and (when.offset, when.unit) == expected


def test_a_step_dated_by_its_links_is_given_an_offset_where_it_is_let_go() -> None:
    found = template([step("a", 2, 0), step("b", 1)], "a>b")
    seen = outline(linking.drag(found, ["b"], 3, outline(found)))
    assert seen.spans["b"][0] - seen.anchors["go"] == 5
    earlier = outline(linking.drag(found, ["b"], -2, outline(found)))
    assert earlier.spans["b"] == outline(found).spans["b"] and earlier.drift["b"] == 2  # its link holds it


def test_a_job_that_runs_backward_is_laid_out_backward() -> None:
    found = outline(template([step("a", 2), step("b", 1, -3)], "a>b", direction="backward"))
    assert found.spans["a"] == (found.spans["b"][0] - 2, found.spans["b"][0])


def test_in_a_job_of_hours_bars_move_and_stretch_by_minutes() -> None:
    doors = {"anchor": "go", "offset": "-1h 30m", "unit": "hours"}
    found = template([step("a", when=doors, duration="45m"), step("b", duration="20m")], "a>b", grid="minute")
    moved = linking.drag(found, ["a"], 35, outline(found))
    assert moved.steps[0].when == When(anchor="go", offset="-55m", unit="hours")
    longer = linking.stretch(moved, "a", 30, outline(moved))
    assert longer.steps[0].duration == "1h 15m"
    seen = outline(linking.drag(longer, ["b"], 10, outline(longer)))
    assert seen.spans["b"][0] == seen.spans["a"][1] + 10
    assert linking.stretch(longer, "b", -500, seen).steps[1].duration == "1m"
    for typed, kept in (
        ("0", "0m"),
        ("milestone", "0m"),
        ("90 min", "90m"),
        ("1.5 hours", "1h 30m"),
        ("1:05", "1h 5m"),
    ):
        assert step_fields.set_field(longer, ["b"], "duration", typed).steps[1].duration == kept
    with pytest.raises(EditError, match='"90" is no length'):
        step_fields.set_field(longer, ["b"], "duration", "90")


def test_a_column_is_set_text_by_text_or_not_at_all() -> None:
    keys = ["crates", "labels", "ship"]
    found = step_fields.set_column(job(), keys, "role", ["Packer", "Packer", "Carrier"])
    assert [s.role for s in found.steps if s.key in keys] == ["packer", "packer", "carrier"]
    found = step_fields.set_column(found, keys, "follows", ["", "crates", "labels +1 wd"])
    assert [(k.from_, k.to) for k in found.links] == [("crates", "labels"), ("labels", "ship")]
    assert [s.days for s in step_fields.set_column(found, keys, "duration", ["2", "0", "1 w"]).steps][1:4] == [2, 0, 5]
    with pytest.raises(EditError, match=r'Labels: "soon" is no number') as caught:
        step_fields.set_column(found, keys, "duration", ["2", "soon", "3"])
    assert caught.value.field == "duration"
    with pytest.raises(EditError, match="in a circle") as caught:
        step_fields.set_column(found, keys, "follows", ["ship", "crates", "labels"])
    assert caught.value.field == "follows"


@pytest.mark.parametrize(
    "name, text, shown_as",
    [
        ("duration", "2 w", "10"), ("duration", "milestone", "0"), ("role", "Registrar", "Registrar"),
        ("phase", "Later on", "Later on"), ("when", "start 2 w before go", "start -2 w"), ("kind", "Call", "call"),
        ("may_skip", "yes", "yes"), ("effort", "3 hours", "3h"), ("links_out", "Form https://example.org/f", "Form https://example.org/f"),
        ("deadline", "+3 d", "+3 d"), ("not_before", "-1 mo", "-1 mo"), ("sign_off", "Lead", "Lead"),
    ],
)  # fmt: skip
def test_a_field_is_set_as_it_is_typed_and_reads_back(name: str, text: str, shown_as: str) -> None:
    found = step_fields.set_field(job(), ["ship"], name, text)
    ship = next(s for s in found.steps if s.key == "ship")
    assert step_fields.field_text(found, ship, name) == shown_as
    assert step_fields.set_field(found, ["ship"], name, shown_as) == found


def test_a_role_is_made_by_naming_it_unless_another_is_spelt_much_like_it() -> None:
    found = step_fields.set_field(job(), ["ship", "unpack"], "role", "Registrar")
    assert [s.role for s in found.steps][-2:] == ["registrar", "registrar"]
    with pytest.raises(EditError, match="did you mean Registrar"):
        step_fields.set_field(found, ["pack"], "role", "Registar")
    assert len(step_fields.set_field(found, ["pack"], "role", "+Registar").roles) == 2


def test_a_row_that_goes_up_into_a_phase_becomes_its_last_and_down_its_first() -> None:
    two = rows.move(job(), ["ship", "unpack"], rows.Place(None, "q"))
    assert shown(two) == ["pack", ">crates", ">labels", "|", "ship", "unpack"]
    assert shown(rows.nudge(two, ["ship"], by=-1)) == ["pack", ">crates", ">labels", "ship", "|", "unpack"]
    assert shown(rows.nudge(two, ["pack"], by=1)) == ["|", "pack", ">crates", ">labels", "ship", "unpack"]
    assert shown(rows.nudge(two, ["unpack"], by=1)) == shown(two)
