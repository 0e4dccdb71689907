"""Documents, conditions, placeholders, edits and what people type."""

from __future__ import annotations

import datetime as dt
import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import dates, document, plan, step, template
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid
from unisequa.core.calendars.typed import typed_date, typed_moment
from unisequa.core.design import editing, linking
from unisequa.core.design.following import StepNames, follows_words, typed_follows
from unisequa.core.design.offsets import typed_when, when_words
from unisequa.core.design.outline import outline
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.includes import whole
from unisequa.core.documents.placeholders import holds
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import Anchor, Template
from unisequa.core.errors import DocumentError, TypedError
from unisequa.core.plan.assemble import Occasion, assemble, run_name
from unisequa.core.plan.reasons import reasons, why
from unisequa.demo.fill import DOCUMENTS

WHOLE = document(
    [
        step("a", 2, 0, role="r", phase="p", only_if="size > 10 or kind == 'big'"),
        step("b", 1, instructions="For {{ kind | upper }} on {{ go | date }}", title="Show {{ kind }}"),
        step("c", 1),
    ],
    "a>b+1",
    "b>c+2",
    naming="{{ kind }} of {{ go | month }}",
    roles=[{"key": "r", "label": "R"}],
    phases=[{"key": "p", "label": "P"}],
    facts=[
        {"key": "kind", "label": "Kind", "kind": "choice", "choices": ["big", "small"], "required": True},
        {"key": "size", "label": "Size", "kind": "number"},
    ],
)


def faults(content: object) -> list[str]:
    with pytest.raises(DocumentError) as caught:
        read_template(content)
    return [str(fault) for fault in caught.value.faults]


@pytest.mark.parametrize("path", sorted(DOCUMENTS.glob("*e*n*.json")), ids=lambda p: p.stem)
def test_a_document_written_out_again_is_the_same(path) -> None:  # type: ignore[no-untyped-def]
    content = json.loads(path.read_text("utf-8"))
    if content["format"].startswith("unisequa-template"):
        read = read_template(content)
        assert read_template(read.written()) == read
        assert {step["key"] for step in read.written()["steps"]} == {step["key"] for step in content["steps"]}


@pytest.mark.parametrize(
    "change, said",
    [
        ({"steps": [step("a"), step("a")]}, 'steps[1].key: "a" is the key of steps[0] already'),
        ({"steps": [step("a", title="{{ nobody }}")]}, 'steps[0].title: no fact, anchor or role "nobody"'),
        ({"steps": [step("a", title="{{ kind.__class__ }}")]}, "may not use a getattr"),
        ({"steps": [step("a", title="{% for x in [1] %}{% endfor %}")]}, "may not use a for"),
        ({"steps": [step("a", only_if="size >")]}, "steps[0].only_if: cannot be read"),
        ({"steps": [step("a", duration="3h")]}, "steps[0].duration: on the day grid is a whole number"),
        ({"steps": [step("a", when={"anchor": "go", "unit": "hours"})]}, "belongs to the minute grid"),
        ({"steps": [step("a", parent="b"), step("b", parent="a")]}, "lie within each other in a circle"),
        ({"anchors": [{"key": "go", "label": "Go", "from": {"anchor": "go"}}]}, "measured from each other in a circle"),
        ({"roles": [{"key": "go", "label": "Go"}]}, '"go" names anchors too'),
        ({"links": [{"from": "a", "to": "b"}, {"from": "a", "to": "b"}]}, "says the same as links[0]"),
        ({"steps": [step("A")]}, "steps[0].key: must be lower-case letters"),
        ({"steps": [step("a", links_out=[{"label": "x", "url": "javascript:alert(1)"}])]}, "links_out[0].url"),
        ({"steps": {"a": 1}}, "steps: must be a list"),
    ],
)
def test_each_fault_is_said_with_its_place(change, said) -> None:  # type: ignore[no-untyped-def]
    found = faults(WHOLE | change)
    assert any(said in fault for fault in found), found


def assembled(**facts: str):  # type: ignore[no-untyped-def]
    return assemble(read_template(WHOLE), Occasion(anchors={"go": dt.date(2026, 6, 1)}, facts=facts))


def test_a_step_whose_condition_does_not_hold_is_left_out_and_bridged() -> None:
    assert dates(assembled(kind="big"))["c"] == ("2026-06-09", "2026-06-09")
    small = assembled(kind="small")  # size is not known, so it is not above ten either
    assert dates(small) == {"b": ("2026-06-01", "2026-06-01"), "c": ("2026-06-04", "2026-06-04")}
    assert small.tasks[0].title == "Show small"


def test_lags_add_up_where_a_step_between_is_left_out() -> None:
    content = WHOLE | {"steps": [step("a", 1, 0), step("b", 5, only_if="kind == 'big'"), step("c")]}
    found = assemble(read_template(content), Occasion(anchors={"go": dt.date(2026, 6, 1)}, facts={"kind": "small"}))
    assert dates(found)["c"] == ("2026-06-05", "2026-06-05")  # a ends Mon 1; 1 + 2 working days on, then Fri 5


def test_a_run_is_named_by_the_templates_pattern() -> None:
    occasion = Occasion(anchors={"go": dt.date(2026, 6, 30)}, facts={"kind": "big"})
    assert run_name(read_template(WHOLE), occasion) == "big of June 2026"


def test_an_optional_anchor_leaves_its_steps_undated_and_a_derived_one_follows() -> None:
    anchors = [
        {"key": "go", "label": "Go"},
        {"key": "board", "label": "Board", "required": False},
        {"key": "papers", "label": "Papers", "from": {"anchor": "board", "offset": -5}},
    ]
    steps = [step("a", 1, 0), {"key": "send", "title": "Send", "when": {"anchor": "papers"}}, step("file")]
    bare = template(steps, "send>file", anchors=anchors)
    go = {"go": dt.date(2026, 6, 1)}
    unknown = assemble(bare, Occasion(anchors=go))
    assert dates(unknown)["send"] is None and dates(unknown)["file"] is None
    assert [w.text for w in unknown.warnings] == ["Send has no date until Papers is known", "File has no date yet"]
    known = assemble(bare, Occasion(anchors={**go, "board": dt.date(2026, 6, 17)}))
    assert dates(known)["send"] == ("2026-06-10", "2026-06-10")


def test_a_step_works_on_its_own_or_its_roles_calendar() -> None:
    content = document(
        [step("a", 2, 4), step("b", 2, role="w"), step("c", 1, calendar="house")],
        "a>b",
        "b>c",
        roles=[{"key": "w", "label": "W", "calendar": "weekend"}],
    )
    calendars = (CalendarDocument(name="house"), CalendarDocument(name="weekend", week="0000011"))
    found = assemble(read_template(content), Occasion(anchors={"go": dt.date(2026, 6, 1)}, calendars=calendars))
    assert dates(found) == {
        "a": ("2026-06-05", "2026-06-08"),
        "b": ("2026-06-13", "2026-06-14"),
        "c": ("2026-06-15", "2026-06-15"),
    }
    with pytest.raises(DocumentError, match='no calendar "weekend" was given'):
        assemble(read_template(content), Occasion(anchors={"go": dt.date(2026, 6, 1)}))


def test_every_date_answers_why_in_plain_words() -> None:
    found = plan([step("a", 3, 1), step("b", 1, 2)], "a>b+1", go=dt.date(2026, 7, 31))
    assert why(found, 0) == "1 working day after Go (Fri 31 Jul) → Mon 3 Aug"
    assert [(r.binding, r.text) for r in reasons(found, 1)] == [
        (False, "2 working days after Go (Fri 31 Jul) → Tue 4 Aug"),
        (True, "after A (ends Wed 5 Aug), with 1 working day between → Fri 7 Aug, binding"),
    ]
    found = plan(
        [{"key": "a", "title": "A", "when": {"anchor": "go", "unit": "days", "offset": 1}}], go=dt.date(2026, 7, 31)
    )
    assert why(found, 0) == "due 1 day after Go (Fri 31 Jul) → Mon 3 Aug, rolled from Sat 1 Aug"
    assert [w.kind for w in found.warnings] == ["rolled"]


def test_an_outline_counts_working_days_from_each_anchor() -> None:
    seen = outline(template([step("a", 2, -5), step("b", 1), step("end", 0, 0)], "a>b"))
    zero = seen.anchors["go"]
    assert {key: (x - zero, y - zero) for key, (x, y) in seen.spans.items()} == {
        "a": (-5, -3),
        "b": (-3, -2),
        "end": (0, 0),
    }
    assert seen.length == 6


def test_an_anchor_whose_steps_hold_those_of_another_lies_so_early_that_nothing_is_late() -> None:
    anchors = [{"key": "go", "label": "Go"}, {"key": "press", "label": "Printer"}, {"key": "end", "label": "End"}]

    def of(anchor: str, offset: int) -> dict[str, Any]:
        return {"when": {"anchor": anchor, "offset": offset}}

    steps = [step("design", 5, -60), step("labels", 1, **of("press", -2)), step("hang", 4, -3),
             step("home", 1, **of("end", 2))]  # fmt: skip
    seen = outline(template(steps, "design>labels", "labels>hang", anchors=anchors))
    assert seen.drift == {}
    assert seen.spans["design"][1] <= seen.spans["labels"][0] < seen.spans["labels"][1] <= seen.spans["hang"][0]
    assert (seen.anchors["press"], seen.anchors["end"] > 0) == (-5, True)
    steps[2] = step("hang", 4, **of("press", -4))  # four days behind labels of -2, wherever their anchor is
    assert outline(template(steps, "design>labels", "labels>hang", anchors=anchors)).drift == {"hang": 6}


def test_the_outline_of_a_job_of_hours_counts_minutes_from_its_anchor() -> None:
    steps = [
        {
            "key": "sweep",
            "title": "Sweep",
            "duration": "1h",
            "when": {"anchor": "go", "offset": "-2h", "unit": "hours"},
        },
        {"key": "brief", "title": "Brief", "duration": "20m"},
    ]
    seen = outline(template(steps, "sweep>brief", grid="minute", zone="Europe/London"))
    assert seen.minutes and seen.spans == {"sweep": (-180, -120), "brief": (-120, -100)}


TODAY = dt.date(2026, 6, 3)  # a Wednesday


@pytest.mark.parametrize(
    "text, expected",
    [
        ("2026-08-31", "2026-08-31"), ("+3", "2026-06-13"), ("-3", "2026-06-07"), ("wd+2", "2026-06-12"),
        ("wd-1", "2026-06-09"), ("fri", "2026-06-05"), ("Wednesday", "2026-06-03"), ("tomorrow", "2026-06-04"),
        ("12 mar", "2026-03-12"), ("1 feb", "2027-02-01"), ("mar 12 2028", "2028-03-12"), ("29 feb", "2028-02-29"),
        ("Fri 5 Jun 2026", "2026-06-05"), ("12.3.", "2026-03-12"),
        ("12.03.2027", "2027-03-12"), ("12. 3. 27", "2027-03-12"),
        ("12/3/2027", "2027-03-12"), ("7/6", "2026-06-07"), ("12 mar 27", "2027-03-12"), ("3rd sept", "2026-09-03"),
        ("yesterday", "2026-06-02"), ("+1w", "2026-06-17"), ("-2 weeks", "2026-05-27"), ("+1mo", "2026-07-10"),
        ("+2 wd", "2026-06-12"), ("eom", "2026-06-30"), ("end of month", "2026-06-30"), ("12-Mar-27", "2027-03-12"),
        ("Friday, 12 March 2027", "2027-03-12"), ("Fri, March 12, 2027", "2027-03-12"), ("12-3-2027", "2027-03-12"),
        ("2027/3/12", "2027-03-12"),
    ],
)  # fmt: skip
def test_dates_are_understood_as_people_type_them(text: str, expected: str) -> None:
    base = dt.date(2026, 6, 10)
    assert typed_date(text, today=TODAY, base=base, calendar=WorkingCalendar()).isoformat() == expected


@pytest.mark.parametrize(
    "text, expected",
    [
        ("19:40", "2026-06-10T19:40"), ("7pm", "2026-06-10T19:00"), ("12 AM", "2026-06-10T00:00"),
        ("fri 7.40 p.m.", "2026-06-05T19:40"), ("Tue 9 Jun 2026 08:05", "2026-06-09T08:05"),
        ("Tomorrow 8h30", "2026-06-04T08:30"), ("2026-08-31T19:40:00", "2026-08-31T19:40"),
        ("+1h 5m", "2026-06-10T13:05"), ("Thu", "2026-06-04T12:00"), ("19", None), ("13pm", None), ("25:00", None),
        ("noonish", None), ("fri 8pm 9", None),
    ],
)  # fmt: skip
def test_times_are_understood_as_people_type_them_and_as_pages_say_them(text: str, expected: str | None) -> None:
    def typed() -> dt.date:
        base = dt.datetime(2026, 6, 10, 12)
        return typed_moment(text, today=TODAY, base=base, calendar=WorkingCalendar(), grid=Grid(1440))

    if expected is None:
        with pytest.raises(TypedError, match="is no time; type 19:40"):
            typed()
    else:
        assert typed() == dt.datetime.fromisoformat(expected)


def test_days_between_slashes_go_by_the_habit_of_who_types_them() -> None:
    def typed(text: str) -> str:
        read = typed_date(text, today=TODAY, base=None, calendar=WorkingCalendar(), month_first=True)
        return read.isoformat()

    assert (typed("12/3/2027"), typed("7/6"), typed("12.3.")) == ("2027-12-03", "2026-07-06", "2026-03-12")
    with pytest.raises(TypedError, match="there is no month 31; the month is read first"):
        typed("31/3/2027")


@pytest.mark.parametrize(
    "text",
    [
        "12.13.2027",
        "31/31/2026",
        "+1y",
        "",
        "soon",
        "31 feb 2026",
        "30 feb",
        "2026-13-01",
        "wd+999999999",
        "12 ma",
        "friday week",
        "3 days",
        "2027/13/1",
        "mon 12 mar 2027",
    ],
)
def test_what_is_no_date_is_refused(text: str) -> None:
    with pytest.raises(TypedError):
        typed_date(text, today=TODAY, base=None, calendar=WorkingCalendar())


ANCHORS = [Anchor(key="go", label="Go"), Anchor(key="end", label="Closing day")]


@given(
    st.integers(-300, 300),
    st.sampled_from(["working days", "days", "weeks", "months"]),
    st.sampled_from(["start", "finish"]),
    st.sampled_from(["go", "end"]),
)
def test_an_offset_is_typed_as_it_is_shown(offset: int, unit: str, edge: str, anchor: str) -> None:
    from unisequa.core.documents.template import When

    when = When.model_validate({"anchor": anchor, "offset": offset, "unit": unit, "edge": edge})
    assert typed_when(when_words(when, ANCHORS), ANCHORS) == when


def test_links_are_typed_by_key_title_or_row_and_shown_the_same_way() -> None:
    steps = template([step("till", title="Count the till"), step("bank", title="Bank, reconciled"), step("x-1")]).steps
    found = typed_follows("count the +2 d; 2, x-1 -1", StepNames(steps))
    assert [(f.key, f.lag, f.unit) for f in found] == [
        ("till", 2, "elapsed"),
        ("bank", 0, "working"),
        ("x-1", -1, "working"),
    ]
    edited = linking.set_follows(template([step("a"), step("b"), step("c")]), "c", "a +2 d, b")
    assert follows_words(edited.links) == "a +2 d, b"
    with pytest.raises(TypedError, match='no step "tell"; did you mean "till"'):
        typed_follows("tell", StepNames(steps))


def test_a_role_that_a_step_has_is_not_taken_out() -> None:
    found = template([step("a", role="r")], roles=[{"key": "r", "label": "R"}])
    with pytest.raises(editing.EditError, match="A uses the role R"):
        editing.remove_named(found, "roles", "r")


@given(st.text(max_size=40))
def test_a_key_is_made_of_any_title(title: str) -> None:
    key = editing.slug(title, ["step"], fallback="step")
    assert read_document(Template, {"name": "x", "steps": [{"key": key, "title": "t"}]}).steps[0].key == key


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)


@given(st.data())
def test_a_document_broken_anywhere_gives_a_plan_or_faults_and_never_breaks(data: st.DataObject) -> None:
    content = json.loads(json.dumps(WHOLE))
    for _ in range(data.draw(st.integers(1, 3))):
        holder = content
        while True:
            keys = list(holder) if isinstance(holder, dict) else list(range(len(holder)))
            if not keys:
                break
            key = data.draw(st.sampled_from(keys))
            if isinstance(holder[key], dict | list) and data.draw(st.booleans()):
                holder = holder[key]
                continue
            holder[key] = data.draw(json_values | st.sampled_from(["go", "a", 10**9, -(10**9), "\0", 0.5, True]))
            break
    go = data.draw(st.dates())
    try:
        found = assemble(read_template(content), Occasion(anchors={"go": go}, facts={"kind": "big"}))
    except DocumentError as error:
        assert error.faults and all(fault.message for fault in error.faults)
    else:
        assert len(found.tasks) <= 3


def test_what_is_retired_is_asked_for_only_while_something_uses_it() -> None:
    gone = {"retired": True}
    found = template(
        [step("a", 1, 0, role="kept", title="Pack for {{ client }}"), step("b", only_if="remote")],
        anchors=[{"key": "go", "label": "Go"}, {"key": "old", "label": "Old", **gone}, {"key": "mid", "label": "Mid",
                 "from": {"anchor": "go", "offset": 2}, **gone}],
        roles=[{"key": "kept", "label": "Kept", **gone}, {"key": "old_role", "label": "Old role", **gone}],
        facts=[{"key": key, "label": key, "required": key == "hue", **gone} for key in ("client", "remote", "hue")],
        phases=[{"key": "old", "label": "Old", **gone}],
    )  # fmt: skip
    parts = whole(found)
    assert (list(parts.anchors), list(parts.roles), list(parts.facts)) == (["go"], ["kept"], ["client", "remote"])
    assert list(parts.phases) == []
    plan = assemble(found, Occasion(anchors={"go": TODAY}, facts={"client": "Mo"}))  # the hue is not asked for
    assert [task.key for task in plan.tasks] == ["a"]


def test_what_is_typed_is_named_in_what_it_is_refused_with() -> None:
    steps = template([step("till", title="Count the till")]).steps
    with pytest.raises(TypedError, match='no step "tell"; did you mean "till"'):
        typed_follows("tell +2 wd", StepNames(steps))
    with pytest.raises(TypedError, match=r'^"till [+]99999 wd": the lag is longer than 36500 days'):
        typed_follows("till +99999 wd", StepNames(steps))


def test_an_offset_typed_anew_keeps_its_roll_and_end_unless_it_says_another() -> None:
    anchors = (Anchor(key="go", label="Go"),)
    before = typed_when("start +3 wd", anchors)
    assert before
    before = before.model_copy(update={"roll": "preceding"})
    again = typed_when("+5 wd", anchors, before)
    assert again and (again.offset, again.roll) == (5, "preceding")
    new = typed_when("+5 wd", anchors)
    assert new and (new.roll, new.edge) == ("following", "finish")


def test_a_run_is_named_after_its_people_or_their_roles() -> None:
    found = template([step("a", 1, 0)], naming="{{ lead }} at work", roles=[{"key": "lead", "label": "The lead"}])
    assert run_name(found, Occasion(crew={"lead": "Mo"})) == "Mo at work"
    assert run_name(found, Occasion()) == "The lead at work"


def test_a_condition_may_ask_whether_something_is_known() -> None:
    assert holds("lender is none", {"lender": None})
    assert not holds("lender is none", {"lender": "Seal Bay"}) and holds("lender is not none", {"lender": "Seal Bay"})
    assert not holds("objects > 3", {"objects": None}) and holds("objects > 3", {"objects": 4})
