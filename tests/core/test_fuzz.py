"""Broken documents of every kind get a plan or a list of faults with paths, never a traceback."""

from __future__ import annotations

import copy
import datetime as dt
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.drawn_documents import cases
from tests.examples import dear
from tests.plans import document, step
from tests.test_cli import run
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.includes import Library
from unisequa.core.documents.reading import read_document
from unisequa.core.errors import UnisequaError
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan
from unisequa.formats.plan_document import plan_document
from unisequa.formats.plan_reading import read_plan

NONSENSE: list[Any] = [
    None, True, -1, 0, 3, 10**9, 10**30, 1.5, float("nan"), float("inf"), "", "\0", "a", "s0", "s1", "{{ x }}", "{{",
    "9999-12-31", "0001-01-01", "2026-02-30", "1d 99999999999h", "minute", "backward", "start", "SF", "elapsed", "-5",
    "none", "m", "one", "\ud800", "x" * 300, "months", [], {}, [[]], {"anchor": "go", "offset": 10**9},
    {"anchor": "go"}, {"key": "m", "template": "case"}, {"from": "s0", "to": "s0"}, ["2026-06-03"],
    [["09:00", "08:00"], ["07:00", "08:30"]],
]  # fmt: skip
KEYS = [
    *("parent", "when", "duration", "only_if", "calendar", "not_before", "deadline", "edge", "unit", "roll", "offset"),
    *(
        "anchors",
        "includes",
        "grid",
        "zone",
        "direction",
        "links",
        "lag",
        "hours",
        "week",
        "closures",
        "state",
        "fixed",
    ),
    *("start", "finish", "target_start", "derived_anchors", "anchor", "key", "phase", "role", "surprise"),
]


def places(found: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a document."""
    inner = found.items() if isinstance(found, dict) else enumerate(found) if isinstance(found, list) else ()
    return [path, *(p for key, value in inner for p in places(value, (*path, key)))]


@st.composite
def broken(draw: st.DrawFn, found: Any) -> Any:
    """A document with a few of its values replaced, removed, doubled, or with keys added that it should not have."""
    found = copy.deepcopy(found)
    for _ in range(draw(st.integers(1, 4))):
        path = draw(st.sampled_from(places(found)))
        holder = found
        for part in path[:-1]:
            holder = holder[part]
        way = draw(st.sampled_from(["replace", "remove", "double", "add"]))
        target = found if not path else holder[path[-1]]
        value = copy.deepcopy(draw(st.sampled_from(NONSENSE)))
        if way == "add" and isinstance(target, dict):
            target[draw(st.sampled_from(KEYS))] = value
        elif not path:
            continue
        elif way == "replace":
            holder[path[-1]] = value
        elif way == "remove":
            del holder[path[-1]]
        elif way == "double" and isinstance(holder, list):
            holder.append(copy.deepcopy(target))
    return found


def plan_or_faults(template: Any, calendars: Any, anchor: str) -> Plan | None:
    """The plan of documents, or None where they are refused; anything else is the test's failure."""
    try:
        read = read_template(template)
        documents = tuple(read_document(CalendarDocument, document) for document in calendars)
        day = dt.date.fromisoformat(anchor)
        return assemble(read, Occasion(anchors={"go": day}, calendars=documents), Library([("case", read)]))
    except UnisequaError as error:
        assert str(error).strip() and "Traceback" not in str(error)
        return None


@given(st.data(), cases(most=6), st.booleans(), st.sampled_from(["2026-06-03", "0001-01-01", "9999-12-31"]))
def test_a_broken_template_or_calendar_gets_a_plan_or_faults(data: Any, case: Any, which: bool, anchor: str) -> None:
    template, calendars = case
    if which:
        template = data.draw(broken(template))
    else:
        calendars = [data.draw(broken(calendars[0])), calendars[1]]
    found = plan_or_faults(template, calendars, anchor)
    if found is not None:
        json.dumps(plan_document(found))


@dear
@given(st.data(), cases(most=5), st.booleans())
def test_a_broken_plan_gets_a_cascade_or_faults(data: Any, case: Any, minute: bool) -> None:
    from unisequa.core.shift.cascade import cascade
    from unisequa.core.shift.edits.codec import from_options
    from unisequa.core.shift.result import MODES
    from unisequa.formats.cascade_document import cascade_document

    found = plan_or_faults(*case, "2026-06-03")
    if found is None:
        return
    document = data.draw(st.just(plan_document(found)) | broken(plan_document(found)))
    keys = st.sampled_from(["s0", "s1", "s2", "go", "", "nobody", "\0"])
    dates = st.sampled_from(["2026-06-08", "0001-01-01", "9999-12-31", "2026-02-30", "", "2026-06-08T10:00"])
    named = ["move", "due", "begun", "done", "fix", "anchor"]
    numbers = st.sampled_from(["0", "3", "-1", "1000000000", "36500", "x", "3h", "1.5"])
    options = {
        **{f"--{name}": st.tuples(keys, dates).map("=".join) for name in named},
        "--duration": st.tuples(keys, numbers).map("=".join), "--remaining": st.tuples(keys, numbers).map("=".join),
        "--drop": keys, "--free": keys, "--not-done": keys, "--unlink": st.tuples(keys, keys).map(":".join),
        "--link": st.tuples(keys, keys, st.sampled_from(["FS", "sf", "", "X"]), numbers).map(":".join),
        "--close": st.tuples(dates, dates).map("..".join), "--reopen": dates, "--catch-up": dates,
        "--shift": numbers | dates,
        "--give": st.tuples(keys, st.sampled_from(["one", "two", "three"])).map("=".join),
    }  # fmt: skip
    names = data.draw(st.lists(st.sampled_from(sorted(options)), min_size=1, max_size=3, unique=True))
    given_options = {name: [data.draw(options[name])] for name in names}
    try:
        plan = read_plan(document)
        result = cascade(plan, from_options(given_options, plan), data.draw(st.sampled_from(MODES)))
        json.dumps(cascade_document(result))
    except UnisequaError as error:
        assert str(error).strip()


@pytest.mark.parametrize(
    "change, words",
    [
        ({"steps": [step("a", parent="b"), step("b")], "links": [{"from": "b", "to": "a"}]}, "run in a circle"),
        ({"steps": [step("a", 10**9)]}, "steps[0].duration: must be at most 36500"),
        ({"includes": [{"key": "m", "template": "case"}]}, "includes itself: case → case"),
        ({"steps": [step("a", title="\0")]}, "holds a character that cannot be shown"),
        ({"zone": "Nowhere/Town"}, "is no time zone"),
        ({"grid": "minute", "steps": [step("a", "99999d")]}, "is longer than a hundred years"),
        ({"steps": [step("a", 36_500, 36_500)] + [step(f"b{n}", 36_500) for n in range(90)],
          "links": [{"from": f"b{n}", "to": f"b{n + 1}"} for n in range(89)]}, "no working day left in the years"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)  # fmt: skip
def test_what_cannot_be_is_said_with_its_place(change: Any, words: str, tmp_path: Path) -> None:
    path = tmp_path / "t.json"
    path.write_text(json.dumps(document([step("a")]) | change))
    result = run("plan", str(path), "--include", str(path), "--anchor", "go=2026-06-01")
    assert (result.exit_code, result.stdout) == (2, "") and words in result.stderr


def test_a_job_of_a_hundred_thousand_steps_is_planned_and_a_larger_one_refused() -> None:
    n = 100_000
    steps = [{"key": f"s{i}", "title": "Step", "duration": 1} for i in range(n)]
    links = [{"from": f"s{i}", "to": f"s{i + 1}"} for i in range(n - 1) if i % 50]
    content = document(steps) | {"links": links}
    found = plan_or_faults(content, [], "2026-06-01")
    assert found is not None and len(found.tasks) == n and found.working_days() == 50
    content["steps"].append({"key": "more", "title": "More"})
    assert plan_or_faults(content, [], "2026-06-01") is None
