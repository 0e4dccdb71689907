"""The command line."""

from __future__ import annotations

import io
import json
import shutil
import sys
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.plans import document, step
from unisequa.cli import app as cli
from unisequa.demo.fill import DOCUMENTS


@dataclass
class Result:
    exit_code: int
    stdout: str
    stderr: str


def run(*arguments: str) -> Result:
    """``unisequa`` with these arguments, as :func:`cli.main` runs it."""
    printed = io.BytesIO()
    out, err, code = io.TextIOWrapper(printed, "utf-8"), io.StringIO(), 0
    before, sys.argv = sys.argv, ["unisequa", *arguments]
    try:
        with redirect_stdout(out), redirect_stderr(err):
            cli.main()
    except SystemExit as stop:
        code = int(stop.code or 0)
    finally:
        sys.argv = before
    out.flush()
    return Result(code, printed.getvalue().decode(), err.getvalue())


def written(folder: Path, content: object, name: str = "t.json") -> str:
    path = folder / name
    path.write_text(content if isinstance(content, str) else json.dumps(content))
    return str(path)


def test_every_fault_is_one_line_with_its_path_and_nothing_is_printed(tmp_path: Path) -> None:
    broken = document([step("a", when={"anchor": "g", "ofset": 1}), step("b", duration=-1)])
    result = run("plan", written(tmp_path, broken), "--anchor", "go=2026-06-01")
    assert (result.exit_code, result.stdout) == (2, "")
    assert result.stderr.splitlines() == [
        "steps[0].when.ofset: is not a key of this format; take it out or mend its spelling",
        "steps[1].duration: must be at least 0",
    ]


def test_a_wrong_reference_names_the_nearest_right_one(tmp_path: Path) -> None:
    broken = document([step("a", when={"anchor": "goo"})], "a>bb")
    result = run("check", written(tmp_path, broken))
    assert result.exit_code == 2
    assert 'steps[0].when.anchor: no anchor "goo"; did you mean "go"?' in result.stderr
    assert 'links[0].to: no step "bb"' in result.stderr


def test_a_circle_is_printed_as_the_steps_it_runs_through(tmp_path: Path) -> None:
    result = run("check", written(tmp_path, document([step("a"), step("b"), step("c")], "a>b", "b>c", "c>a")))
    assert result.exit_code == 2
    assert "links: run in a circle: a → b → c → a" in result.stderr


@pytest.mark.parametrize(
    "arguments, words",
    [
        ([], 'anchors.go: "Go" is required; give its date'),
        (["--anchor", "go=2026-02-30"], '--anchor go: "2026-02-30" is no date'),
        (["--anchor", "go=2026-06-01", "--anchor", "goo=2026-06-01"], 'did you mean "go"?'),
        (["--anchor", "go=9999-12-31"], "the years 1 to 9999"),
        (["--anchor", "go=2026-06-01", "--format", "pdf"], '--format: "pdf" is none of'),
        (["--anchor", "go=2026-06-01", "--fact", "x=1"], 'the template asks for no "x"'),
    ],
)
def test_bad_options_are_refused(arguments: list[str], words: str, tmp_path: Path) -> None:
    result = run("plan", written(tmp_path, document([step("a", 3)])), *arguments)
    assert (result.exit_code, result.stdout) == (2, "")
    assert words in result.stderr and "Traceback" not in result.stderr


@pytest.mark.parametrize(
    "content, words",
    [
        ("{", "is not JSON"),
        ("[1]", "must be an object"),
        ('{"name": "x", "name": "y"}', 'the key "name" stands twice'),
        ('{"name": NaN}', "NaN is no value"),
        ('{"name": "a\\u0000b"}', "cannot be shown"),
        ("[" * 100_000, "nested too deeply"),
    ],
)
def test_a_file_that_is_no_template_is_refused(content: str, words: str, tmp_path: Path) -> None:
    result = run("check", written(tmp_path, content))
    assert result.exit_code == 2 and words in result.stderr


def test_a_template_within_another_is_given_as_a_file(tmp_path: Path) -> None:
    inner = written(tmp_path, document([step("x", 2)], name="Inner part"), "inner.json")
    outer = document([step("a")], "m>a", name="Outer", includes=[{"key": "m", "template": "inner-part"}])
    path = written(tmp_path, outer, "outer.json")
    result = run("plan", path, "--include", inner, "--anchor", "go=2026-06-01")
    starts = {task["key"]: task["start"] for task in json.loads(result.stdout)["tasks"]}
    assert starts == {"a": "2026-06-03", "m.x": "2026-06-01"}
    alone = run("plan", path, "--anchor", "go=2026-06-01")
    assert (alone.exit_code, alone.stdout) == (2, "")
    assert 'includes[0].template: "inner-part" is needed to plan this template' in alone.stderr


def test_yaml_is_read_with_the_same_keys(tmp_path: Path) -> None:
    text = "format: unisequa-template/1\nname: y\nanchors: [{key: go, label: Go}]\nsteps:\n- {key: a, title: A}\n"
    result = run("plan", written(tmp_path, text, "t.yaml"), "--anchor", "go=2026-06-01", "--format", "text")
    assert result.exit_code == 0 and "Mon 1 Jun 2026" in result.stdout


def test_a_printed_plan_read_back_and_not_changed_is_the_same_plan(tmp_path: Path) -> None:
    plan = demo_plan()
    result = run("cascade", written(tmp_path, plan.stdout), "--duration", "agreement=2")
    again, before = json.loads(result.stdout)["plan"], json.loads(plan.stdout)
    assert json.loads(result.stdout)["changes"] == []
    names = ("key", "start", "finish", "target_start", "late_start", "total_slack", "free_slack", "critical", "drift")
    for a, b in zip(again["tasks"], before["tasks"], strict=True):
        assert {n: a[n] for n in names} == {n: b[n] for n in names}


def demo_plan() -> Result:
    facts = ("title=The Glass Reef", "lender=Coralline Trust", "objects=46", "value=180000", "living=no")
    return run(
        "plan", str(DOCUMENTS / "open-a-visiting-exhibition.json"),
        "--calendar", str(DOCUMENTS / "quillhaven-calendar.json"), "--anchor", "opening=2027-02-12",
        *(word for fact in facts for word in ("--fact", fact)),
    )  # fmt: skip


def test_the_demos_templates_are_planned_whole() -> None:
    exhibition = demo_plan()
    assert exhibition.exit_code == 0, exhibition.stderr
    titles = {task["key"]: task["title"] for task in json.loads(exhibition.stdout)["tasks"]}
    assert titles["insurance"] == "Insurance cover for 46 objects"
    assert "indemnity" not in titles and "permit" not in titles  # neither is asked for here
    close = run(
        "plan", str(DOCUMENTS / "month-end-close.json"), "--calendar",
        str(DOCUMENTS / "quillhaven-calendar.json"), "--anchor", "period_end=2026-11-30", "--fact", "entity=Old Mill",
    )  # fmt: skip
    found = json.loads(close.stdout)
    assert found["name"] == "Close November 2026, Old Mill"
    closed = next(task for task in found["tasks"] if task["key"] == "closed")
    assert closed["finish"] == "2026-12-08"  # the sixth working day
    assert found["warnings"] == []


def test_the_demos_evening_and_quarter_are_planned_whole() -> None:
    evening = run(
        "plan", str(DOCUMENTS / "opening-night.json"), "--calendar", str(DOCUMENTS / "evening-calendar.json"),
        "--anchor", "doors=2027-02-12T18:30", "--fact", "title=The Glass Reef",
    )  # fmt: skip
    found = {task["key"]: (task["start"], task["finish"]) for task in json.loads(evening.stdout)["tasks"]}
    assert found["briefing"] == ("2027-02-12T17:50", "2027-02-12T18:10")  # twenty minutes before the doors
    assert found["rounds"] == (found["lamps"][0], found["microphones"][1])
    assert found["lock"][1] == "2027-02-12T23:30" and not json.loads(evening.stdout)["warnings"]
    quarter = run(
        "plan", str(DOCUMENTS / "quarter-end-close.json"), "--include", str(DOCUMENTS / "month-end-close.json"),
        "--calendar", str(DOCUMENTS / "quillhaven-calendar.json"), "--anchor", "quarter_end=2026-12-31",
        "--fact", "entity=Old Mill",
    )  # fmt: skip
    tasks = {task["key"]: task for task in json.loads(quarter.stdout)["tasks"]}
    assert tasks["report"]["start"] == "2027-01-14" and tasks["papers"]["start"] is None
    assert (tasks["m.closed"]["role"], tasks["m.bank"]["role"]) == ("controller", "m.bookkeeper") and len(tasks) == 30


def test_what_it_would_take_is_printed_cheapest_first(tmp_path: Path) -> None:
    content = document([step("a", 5, 0), step("b", 3)], "a>b")
    plan = run("plan", written(tmp_path, content), "--anchor", "go=2026-06-01")
    result = run("ways", written(tmp_path, plan.stdout, "p.json"), "--due", "b=2026-06-08")
    assert result.stdout.splitlines()[0] == "do B in 1 working day instead of 3 working days · push"
    already = run("ways", written(tmp_path, plan.stdout, "p.json"), "--due", "b=2026-06-30")
    assert already.stdout == "It is finished by then already.\n"


def test_a_bare_network_without_anchors_starts_today(tmp_path: Path) -> None:
    bare = document([step("a", 2), step("b")], "a>b") | {"anchors": []}
    result = run("plan", written(tmp_path, bare), "--today", "2026-06-01")
    assert json.loads(result.stdout)["finish"] == "2026-06-03"


@pytest.mark.parametrize("of", ["template", "calendar", "plan", "people", "rule"])
def test_the_schema_of_a_format_forbids_other_keys(of: str) -> None:
    schema = json.loads(run("schema", of).stdout)
    assert schema["additionalProperties"] is False


def test_a_plan_that_is_broken_is_refused_by_cascade(tmp_path: Path) -> None:
    plan = json.loads(demo_plan().stdout)
    plan["tasks"][0]["finish"] = "2020-01-01"
    plan["links"].append({"from": "nobody", "to": "mount"})
    result = run("cascade", written(tmp_path, plan), "--move", "mount=2027-01-01")
    assert (result.exit_code, result.stdout) == (2, "")
    assert "tasks[0].finish: lies before the start" in result.stderr
    assert 'no task "nobody"' in result.stderr


def test_what_is_awaited_in_another_job_is_given_with_its_date() -> None:
    given = ("plan", str(DOCUMENTS / "return-a-loan.json"), "--anchor", "closing=2026-11-30", "--fact", "lender=L")
    given += ("--fact", "title=T")
    waiting = run(*given, "--elsewhere", "open-a-visiting-exhibition:close-show=2026-12-08")
    found = {task["key"]: task for task in json.loads(waiting.stdout)["tasks"]}
    assert found["takedown"]["start"] == "2026-12-09"
    alone = json.loads(run(*given).stdout)
    assert {task["key"]: task["start"] for task in alone["tasks"]}["takedown"] == "2026-12-01"
    assert [w["kind"] for w in alone["warnings"] if w["task"] == "takedown"] == ["awaits"]
    wrong = run(*given, "--elsewhere", "open-a-visiting-exhibition:close-show=soon")
    assert (wrong.exit_code, wrong.stdout) == (2, "") and wrong.stderr.startswith("--elsewhere: ")


def test_edits_from_a_file_do_what_the_options_do(tmp_path: Path) -> None:
    plan = written(tmp_path, run("plan", written(tmp_path, document([step("a", 2, 0), step("b")], "a>b")),
                                 "--anchor", "go=2026-06-01").stdout, "plan.json")  # fmt: skip
    edits = [{"edit": "move", "task": "a", "start": "2026-06-05"}, {"edit": "drop", "task": "b", "why": "late"}]
    short = run("cascade", plan, "--move", "a=2026-06-05", "--drop", "b")
    assert run("cascade", plan, "--edits", written(tmp_path, edits, "e.json")).stdout == short.stdout != ""
    faulty = run("cascade", plan, "--edits", written(tmp_path, [*edits, {"edit": "fix", "task": "a"}], "e.json"))
    assert (faulty.exit_code, faulty.stderr) == (2, "[2].start: is missing\n")


def test_what_is_levelled_is_told_as_a_document_whose_proposals_cascade_takes(tmp_path: Path) -> None:
    job = document(
        [step("a", 1, 0, role="tech", effort="8h"), step("b", 1, 0, role="tech", effort="4h"), step("c")], "a>c"
    )
    plan = json.loads(run("plan", written(tmp_path, {**job, "roles": [{"key": "tech", "label": "Technician"}]}),
                          "--anchor", "go=2026-06-01", "--today", "2026-06-01").stdout)  # fmt: skip
    assert [task["effort"] for task in plan["tasks"]] == [480, 240, None]
    given = written(tmp_path, {**plan, "crew": {"tech": "Bao"}}, "p.json")
    staff = {"format": "unisequa-people/1", "people": [{"name": "Bao", "share": 0.5, "roles": ["tech"]},
                                                       {"name": "Jory", "roles": ["tech"]}]}  # fmt: skip
    people = written(tmp_path, staff, "people.json")
    found = json.loads(run("level", given, "--people", people).stdout)
    assert [(task["key"], task["who"], task["days"]) for task in found["tasks"]] == [
        ("a", "Bao", {"2026-06-01": 240, "2026-06-02": 240}), ("b", "Bao", {"2026-06-03": 240}), ("c", None, {}),
    ]  # fmt: skip
    assert found["overloads"] == [{"who": "Bao", "from": "2026-06-01", "to": "2026-06-01", "asked": 720, "has": 240}]
    assert found["no_effort"] == [{"plan": 0, "key": "c"}]
    best = found["proposals"][0]
    assert (best["edits"], best["solves"]) == (["--give", "a=person:Jory"], 480)
    shifted = json.loads(run("cascade", given, *best["edits"], "--people", people).stdout)["plan"]
    after = json.loads(run("level", written(tmp_path, shifted, "q.json"), "--people", people).stdout)
    assert after["overloads"] == [] and after["tasks"][0]["who"] == "Jory"
    stranger = run("cascade", given, "--give", "a=person:Jry", "--people", people)
    assert (stranger.exit_code, stranger.stderr) == (2, '--give: no person "Jry"; did you mean "Jory"?\n')
    wrong = run(
        "level", given, "--people", written(tmp_path, {**staff, "teams": [{"name": "T", "members": ["Bo"]}]}, "w.json")
    )
    assert (wrong.exit_code, wrong.stderr) == (2, 'teams[0].members[0]: no person "Bo"; did you mean "Bao"?\n')


def test_where_data_is_not_is_told_in_one_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    missing = run("check-data", "--data", str(tmp_path / "nowhere"))
    assert missing.exit_code == 2 and missing.stderr.startswith("--data: there is no data in")
    assert not (tmp_path / "nowhere").exists()
    file = tmp_path / "file"
    file.touch()
    for url, words in (
        ("mysql://x", "data can be kept in sqlite or postgresql"),
        ("no address", "UNISEQUA_DATABASE_URL is no address of a database"),
        (f"sqlite:///{file}/x/y.sqlite3", "cannot be used"),
        (f"postgresql://nobody@/x?host={tmp_path}", "the database cannot be reached"),
    ):
        monkeypatch.setenv("UNISEQUA_DATABASE_URL", url)
        told = run("check-data")
        assert told.exit_code != 0 and told.stderr.count("\n") == 1 and words in told.stderr, url


def test_data_that_no_longer_agrees_is_told(tmp_path: Path, filled: Path) -> None:
    from sqlalchemy import text

    from unisequa.store.store import Store

    store = Store(f"sqlite:///{shutil.copy(filled, tmp_path)}")
    agrees = run("check-data", "--data", str(tmp_path))
    assert agrees.exit_code == 0 and "is what the tasks say" in agrees.stdout
    with store.writing() as session:
        session.execute(text("UPDATE runs SET summary = '{}' WHERE id = 1"))
    store.engine.dispose()
    differs = run("check-data", "--data", str(tmp_path))
    assert differs.exit_code == 1 and "the summary is not what the tasks say" in differs.stdout


@pytest.mark.parametrize("of", ["template", "calendar", "plan", "people", "rule"])
def test_the_schemas_in_the_documentation_are_those_that_are_printed(of: str) -> None:
    kept = Path(__file__).parents[1] / "docs" / f"schema-{of}.json"
    assert run("schema", of).stdout == kept.read_text("utf-8")
