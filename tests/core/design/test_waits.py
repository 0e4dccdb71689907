"""Steps that wait for steps of other templates: typed, looked over, planned."""

from __future__ import annotations

import datetime as dt

import pytest

from tests.plans import GO, step, template
from unisequa.core.design.clip import copied, pasted
from unisequa.core.design.comparison import difference
from unisequa.core.design.difference_words import told
from unisequa.core.design.fields.entries import field_text, set_field
from unisequa.core.design.fields.waits import circle_of, wait_words, waits_over
from unisequa.core.design.rows import Place
from unisequa.core.documents.includes import Library, laid_open
from unisequa.core.documents.template import Template, Wait
from unisequa.core.errors import EditError
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.reasons import reasons
from unisequa.core.plan.task import Awaited
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Move
from unisequa.core.work.readiness import readiness
from unisequa.formats.plan_document import plan_document
from unisequa.formats.plan_reading import read_plan

ANCHORS = [{"key": "go", "label": "Go"}, {"key": "board", "label": "Board meeting"}]


def close() -> Template:
    """Count, then books closed."""
    return template([step("count", 2, 0), step("closed", 1)], "count>closed", name="Month-end close")


def report(*waits: dict[str, str]) -> Template:
    """Collect, which may wait, then write, then print."""
    steps = [step("collect", 1, 0, waits_for=list(waits)), step("write", 2), step("printed", 0)]
    return template(steps, "collect>write", "write>printed", name="Quarterly report", anchors=ANCHORS)


FOR_CLOSED = {"template": "month-end-close", "step": "closed", "anchor": "go"}
SHELF = Library([(close().name, close())])


@pytest.mark.parametrize(
    "typed, shown",
    [
        ("Month-end close: closed", "Month-end close: closed"),
        ("  Month-end close :closed on Go ", "Month-end close: closed"),
        ("A: b: closed on Board meeting", "A: b: closed on board"),
        ("Close: m.closed on go = cutoff\n\nOther: x", "Close: m.closed on go = cutoff\nOther: x"),
    ],
)
def test_waits_are_typed_one_a_line_and_read_back(typed: str, shown: str) -> None:
    found = set_field(report(), ["collect"], "waits_for", typed)
    assert field_text(found, found.steps[0], "waits_for") == shown
    assert set_field(found, ["collect"], "waits_for", shown) == found


def test_what_is_no_wait_is_refused_at_its_field() -> None:
    for text, said in (
        ("closed", "write the template, a colon, the step"),
        ("Close: x on Bord", "there is Board meeting"),
    ):
        with pytest.raises(EditError, match=said) as caught:
            set_field(report(), ["collect"], "waits_for", text)
        assert caught.value.field == "waits_for"


def test_what_is_awaited_but_not_there_is_told_and_bars_only_what_can_be_mended_here() -> None:
    missing = {**FOR_CLOSED, "template": "Stocktake"}
    wrong = {**FOR_CLOSED, "step": "close"}
    other = {**FOR_CLOSED, "anchor": "board"}
    found = list(waits_over(report(FOR_CLOSED, missing, wrong, other), SHELF))
    assert [(f.bars, f.key, f.field) for f in found] == [
        (False, "collect", "waits_for"), (True, "collect", "waits_for"), (True, "collect", "waits_for"),
    ]  # fmt: skip
    assert "Stocktake, of which nothing is released" in found[0].text
    assert 'did you mean "closed"' in found[1].text and 'by the date "board"' in found[2].text
    words = wait_words(report(FOR_CLOSED).steps[0].waits_for[0], report(), SHELF)
    assert words == "Closed of Month-end close, same Go"


def test_a_circle_that_runs_through_other_jobs_is_found() -> None:
    back = {"template": "Quarterly report", "step": "write", "anchor": "go"}
    steps = [step("count", 2, 0, waits_for=[back]), step("closed", 1)]
    waiting = template(steps, "count>closed", name="Month-end close")
    shelf = Library([(waiting.name, waiting)])
    mine, wait = report(), Wait.model_validate(FOR_CLOSED)
    expected = ["Write", "Count (Month-end close)", "Closed (Month-end close)"]
    assert circle_of(mine, "write", wait, shelf) == [*expected, "Write"]
    assert circle_of(mine, "collect", wait, shelf) == ["Collect", *expected, "Collect"]
    assert circle_of(mine, "printed", wait, shelf) is None
    assert circle_of(mine, "write", wait, SHELF) is None


def test_a_task_starts_after_what_it_waits_for_in_another_run() -> None:
    friday = GO + dt.timedelta(days=11)
    asked: list[object] = []

    def elsewhere(wait: Wait, date: dt.date | None) -> Awaited:
        asked.append((wait.step, date))
        return Awaited("Books closed", "Close June", friday.toordinal() + 1)

    occasion = Occasion({"go": GO, "board": GO}, elsewhere=elsewhere, today=GO)
    plan = assemble(report(FOR_CLOSED), occasion)
    monday = friday + dt.timedelta(days=3)
    assert asked == [("closed", GO)] and plan.read(0) == (monday.toordinal(), monday.toordinal())
    binding = [reason for reason in reasons(plan, 0) if reason.binding]
    assert [reason.kind for reason in binding] == ["awaits"]
    assert binding[0].text == "after Books closed of Close June (ends Fri 12 Jun) → Mon 15 Jun, binding"
    assert readiness(plan).states[0] == "waiting"
    again = read_plan(plan_document(plan))
    assert again.tasks[0].waits == plan.tasks[0].waits
    earlier = cascade(again, [Move("collect", GO.toordinal())])
    assert [c.kind for c in earlier.conflicts] == ["not before"]


def test_without_a_run_of_that_date_it_is_told_and_nothing_is_moved() -> None:
    def nowhere(wait: Wait, date: dt.date | None) -> Awaited:
        return Awaited(wait.step, "Month-end close", found=False)

    plan = assemble(report(FOR_CLOSED), Occasion({"go": GO, "board": GO}, elsewhere=nowhere, today=GO))
    told = [warning.text for warning in plan.warnings if warning.kind == "awaits"]
    assert told == ["Collect waits for closed of Month-end close, which has no run of that date yet"]
    assert plan.read(0) == (GO.toordinal(), GO.toordinal())


def test_what_is_newly_awaited_and_no_longer_is_told_in_words() -> None:
    before = report(FOR_CLOSED)
    after = set_field(before, ["collect"], "waits_for", "Stocktake: counted on board")
    lines = told(difference(before.written(), after.written()), before, after)
    assert [str(line) for line in lines] == [
        "step Collect changed: waits for counted of Stocktake, no longer waits for closed of month-end-close"
    ]


def test_a_copied_step_keeps_waiting_by_the_same_date() -> None:
    found = pasted(template([], name="Other", anchors=[]), copied(report(FOR_CLOSED), ["collect"]), Place(None, None))[
        0
    ]
    assert found.steps[0].waits_for[0].anchor == found.anchors[0].key


def test_an_included_step_waits_by_the_date_as_it_is_called_here() -> None:
    inner = report(FOR_CLOSED)
    whole = {"key": "r", "template": inner.name, "anchors": {"go": "quarter_end"}}
    outer = template([], name="Quarter", anchors=[{"key": "quarter_end", "label": "Quarter end"}], includes=[whole])
    opened = laid_open(outer, Library([(inner.name, inner)]))
    assert opened.steps[0].waits_for == (Wait(**{**FOR_CLOSED, "anchor": "quarter_end", "their_anchor": "go"}),)


def test_a_sign_off_keeps_its_rules_when_somebody_else_signs() -> None:
    found = set_field(report(), ["collect"], "sign_off", "Controller")
    found = set_field(found, ["collect"], "sign_off_after", "2 wd")
    found = set_field(found, ["collect"], "sign_off_until", "subject is not none")
    found = set_field(found, ["collect"], "sign_off", "+Director")
    signed = found.steps[0].sign_off
    assert signed and (signed.role, signed.by_itself, signed.until) == ("director", 2, "subject is not none")
    assert set_field(found, ["collect"], "sign_off", "").steps[0].sign_off is None
    for name, key, text in (("sign_off_after", "collect", "soon"), ("sign_off_after", "write", "2")):
        with pytest.raises(EditError) as caught:
            set_field(found, [key], name, text)
        assert caught.value.field == name
    with pytest.raises(EditError, match="difference"):
        set_field(found, ["collect"], "sign_off_until", "difference == 0")
