"""Conditions put together, what there is to mend, and a template drawn from a run."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.core.drawn_documents import GO, cases
from tests.examples import dear
from tests.plans import document, plan, step, template
from unisequa.core.design.findings import findings, listed
from unisequa.core.design.outline import outline
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.conditions import BY_KIND, Clause, Condition, condition_of, condition_words, expression
from unisequa.core.documents.placeholders import condition_fault, holds
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import Fact
from unisequa.core.errors import DocumentError, UnisequaError
from unisequa.core.lookback.from_run import template_from_run
from unisequa.core.people.load import absences, loads
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import AddLink, Done, Drop, Duration, Move, RemoveLink

FACTS = [
    Fact(key="entity", label="Entity", kind="choice", choices=("Shop", "It's new")),
    Fact(key="objects", label="Objects", kind="number"),
    Fact(key="remote", label="Remote", kind="yes-no"),
    Fact(key="client", label="Client"),
]
KINDS = {fact.key: fact.kind for fact in FACTS} | {"closing": "anchor"}


@st.composite
def clauses(draw: st.DrawFn) -> Clause:
    fact = draw(st.sampled_from(list(KINDS)))
    operator = draw(st.sampled_from(BY_KIND[KINDS[fact]]))
    if operator in {"yes", "no", "given", "open"}:
        return Clause(fact, operator)
    text = st.text(st.characters(codec="ascii", categories=["L", "N", "P", "Zs"]), min_size=1, max_size=8)
    value = draw(
        st.integers(-(10**6), 10**6).map(str) if KINDS[fact] == "number" else text.filter(lambda t: t == t.strip())
    )
    return Clause(fact, operator, value)


@dear
@given(st.lists(clauses(), min_size=1, max_size=4), st.sampled_from(["and", "or"]))
def test_a_condition_put_together_reads_back_as_it_was(found: list[Clause], joiner: Any) -> None:
    assume(not any("{" in clause.value or "}" in clause.value for clause in found))
    condition = Condition(tuple(found), joiner if len(found) > 1 else "and")
    text = expression(condition, FACTS)
    assert condition_fault(text, frozenset(KINDS)) is None
    assert condition_of(text) == condition


def test_a_condition_is_said_as_a_sentence_and_means_what_it_says() -> None:
    found = template([step("a")], facts=[fact.written() for fact in FACTS])
    text = expression(Condition((Clause("entity", "is", "It's new"), Clause("objects", "over", "5,000"))), FACTS)
    assert condition_words(text, found) == "Entity is It's new and Objects is over 5,000"
    assert holds(text, {"entity": "It's new", "objects": 5001}) and not holds(text, {"entity": "Shop", "objects": 9999})
    assert condition_of("entity == 'Shop' and (remote or objects > 3)") is None
    with pytest.raises(ValueError, match="no number"):
        expression(Condition((Clause("objects", "over", "many"),)), FACTS)


def kinds(found: Any, people: frozenset[str] | None = None) -> list[tuple[str, str, bool]]:
    return [(f.kind, f.key, f.bars) for f in findings(found, outline(found), people)]


@pytest.mark.parametrize(
    "content, expected",
    [
        (template([]), ("empty", "", True)),
        (template([step("a", 1, 0)]), ("role", "a", False)),
        (template([step("a")]), ("date", "a", False)),
        (template([step("a", 1, 0, only_if="go is none"), step("b")], "a>b"), ("condition", "b", False)),
        (template([], roles=[{"key": "r", "label": "R"}]), ("unfilled", "r", False)),
        (template([step("a", 1, 5), step("b", 1, 0)]), ("order", "b", False)),
        (template([step("a", 1, 0, effort="9h")]), ("effort", "a", False)),
    ],
    ids=["no steps", "no role", "no date and no link", "across a condition", "role unused", "order", "effort"],
)
def test_what_there_is_to_mend_is_found_at_its_place(content: Any, expected: tuple[str, str, bool]) -> None:
    assert expected in kinds(content)


def test_a_text_that_names_nothing_and_a_role_filled_by_nobody_bar_a_release() -> None:
    text = read_document_loosely([step("a", 1, 0, title="Tell {{ client }}")])
    assert ("fault", "a", True) in kinds(text)
    person = {"key": "r", "label": "R", "fill": {"by": "person", "person": "gone@example.org"}}
    found = template([step("a", 1, 0, role="r")], roles=[person])
    assert ("unfilled", "r", True) in kinds(found, frozenset({"here@example.org"}))
    assert kinds(found, frozenset({"gone@example.org"})) == []


def read_document_loosely(steps: list[dict[str, Any]]) -> Any:
    """A draft may hold what a finished template may not."""
    from unisequa.core.documents.template import Template

    return read_document(Template, document(steps))


def runs(case: Any, moves: list[tuple[int, int]], drops: list[int], joins: Any = ()) -> Any:
    """A run of a case in which tasks were moved, some dropped, and links drawn or taken out."""
    content, calendars = case
    try:
        made = read_template(content)
    except DocumentError:
        assume(False)
    documents = tuple(read_document(CalendarDocument, c) for c in calendars)
    found = assemble(made, Occasion(anchors={"go": GO}, calendars=documents))
    edits: list[Any] = [
        Move(found.tasks[at % len(found.tasks)].key, GO.toordinal() + by)
        for at, by in moves
        if not found.is_parent(at % len(found.tasks))
    ]
    edits += [Drop(found.tasks[at % len(found.tasks)].key) for at in drops]
    for a, b, lag in joins:
        source, target = (found.tasks[at % len(found.tasks)].key for at in (a, b))
        edits.append(AddLink(source, target, lag=lag) if lag >= 0 else RemoveLink(source, target))
    for edit in edits:
        try:
            found = cascade(found, [edit], "push").after()
        except UnisequaError:
            continue
    return made, documents, found


@dear
@given(
    cases(),
    st.lists(st.tuples(st.integers(0, 11), st.integers(0, 20)), max_size=4),
    st.lists(st.tuples(st.integers(0, 11), st.integers(0, 11), st.integers(-1, 2)), max_size=3),
)
def test_planned_on_the_runs_anchors_the_template_drawn_from_it_gives_its_dates(
    case: Any, moves: Any, joins: Any
) -> None:
    made, documents, found = runs(case, moves, [], joins)
    new, _ = template_from_run(made, found, {})
    assert {(k.from_, k.to, k.type, k.lag) for k in new.links} == {
        (k.source, k.target, k.type, k.lag) for k in found.links
    }
    again = assemble(new, Occasion(anchors={"go": GO}, calendars=documents))
    for i, task in enumerate(found.tasks):
        if found.is_parent(i) or found.days(i) is None:
            continue
        drift = again.drift(again.position(task.key)) or 0
        if drift <= 0 and (task.when is None or task.when.roll != "none"):
            assert again.days(again.position(task.key)) == found.days(i), task.key


def test_a_run_that_went_as_planned_gives_its_template_back() -> None:
    made = template([step("a", 2, -3), step("b", 1), step("c", 0, 9)], "a>b", "b>c")
    new, lines = template_from_run(made, plan([step("a", 2, -3), step("b", 1), step("c", 0, 9)], "a>b", "b>c"), {})
    assert new == made and all(line.same for line in lines)


def test_links_drawn_and_taken_out_in_the_run_are_those_of_the_template_made_of_it() -> None:
    steps = [step("a", 1, 0), step("b", 1), step("c", 1), step("rare", 1, only_if="false")]
    links = ("a>b", "b>c", "b>rare", "rare>c")
    found = cascade(plan(steps, *links), [RemoveLink("b", "c"), AddLink("a", "c", lag=2)], "push").after()
    new, lines = template_from_run(template(steps, *links), found, {})
    assert [(k.from_, k.to, k.lag) for k in new.links] == [
        ("a", "b", 0),
        ("b", "rare", 0),
        ("rare", "c", 0),
        ("a", "c", 2),
    ]
    assert (lines[2].was, lines[2].becomes) == (
        "by its links, 1 d, follows B, Rare",
        "by its links, 1 d, follows Rare, A +2 wd",
    )


def test_a_job_of_hours_gives_its_template_with_the_times_at_which_it_was_done() -> None:
    steps = [
        step("light", "30m", when={"anchor": "go", "offset": "-1h", "unit": "minutes", "edge": "start"}),
        step("speech", "20m"),
        step("tidy", "1h"),
    ]
    hours = {"hours": [["08:00", "23:00"]]}
    made = template(steps, "light>speech", "speech>tidy", grid="minute", zone="Europe/Oslo")
    doors = dt.datetime(2026, 8, 3, 18)
    planned = plan(steps, "light>speech", "speech>tidy", grid="minute", zone="Europe/Oslo", go=doors, calendar=hours)
    at = planned.grid.read
    edits = [Done("light", at("2026-08-03T17:50")), Move("tidy", at("2026-08-03T19:00")), Duration("tidy", 90)]
    found = cascade(planned, edits, "push").after()
    new, lines = template_from_run(made, found, {})
    again = assemble(new, Occasion(anchors={"go": doors}, calendars=planned.calendars.documents))
    assert [again.read(i) for i in range(3)] == [found.read(i) for i in range(3)]
    assert (new.steps[2].duration, lines[2].becomes) == ("1h 30m", "start +1h, 1h 30m")


def test_dropped_tasks_are_left_out_of_it_or_kept_as_one_wishes() -> None:
    steps = [step("a", 2, -3), step("b", 1), step("c", 1)]
    found = cascade(plan(steps, "a>b", "b>c"), [Drop("b")], "push").after()
    new, lines = template_from_run(template(steps, "a>b", "b>c"), found, {})
    assert [s.key for s in new.steps] == ["a", "c"] and [(k.from_, k.to) for k in new.links] == [("a", "c")]
    assert [line.note for line in lines] == ["", "was dropped; left out", ""]
    kept, _ = template_from_run(template(steps, "a>b", "b>c"), found, {}, keep_dropped=True)
    assert [s.key for s in kept.steps] == ["a", "b", "c"]


def test_load_is_spread_over_the_worked_days_and_leave_takes_hours_away() -> None:
    crew, away = {"r": "Maud"}, {"r": ((dt.date(2026, 6, 8), dt.date(2026, 6, 9)),)}
    made = template([step("a", 4, 3, role="r")], roles=[{"key": "r", "label": "Registrar"}])
    found = assemble(made, Occasion(anchors={"go": dt.date(2026, 6, 1)}, crew=crew, away=away))  # Thu 4 to Tue 9 June
    who = lambda role: crew.get(role or "", "")  # noqa: E731
    assert [(x.who, x.asked, x.has, x.over) for x in loads(found, {"a": 32 * 60}, who)] == [
        ("Maud", 960, 2400, False),
        ("Maud", 960, 1440, False),
    ]
    assert [w.text for w in absences(found, who)] == ["A: Maud is away Mon 8 – Tue 9 Jun"]


def test_many_findings_alike_are_one_line_for_all_their_steps_and_a_few_stay_apart() -> None:
    made = template([step(f"s{n}", 1, n) for n in range(7)] + [step("loose"), step("free")])
    lines = listed(findings(made, outline(made)))
    assert [(line.text, len(line.keys)) for line in lines if line.keys] == [
        ("9 steps have no role: choose them all", 9)
    ]
    assert [line.text.split()[0] for line in lines if line.finding.kind == "date"] == ["Loose", "Free"]
