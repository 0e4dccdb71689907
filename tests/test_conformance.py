"""The conformance cases: data in ``conformance/``, run through the command line as anybody would."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.test_cli import run

CASES = sorted((Path(__file__).parent / "conformance").glob("*.json"))


def case(path: Path) -> Any:
    return json.loads(path.read_text("utf-8"))


def printed_plan(found: Any, folder: Path) -> Any:
    template, calendar = folder / "template.json", folder / "calendar.json"
    template.write_text(json.dumps(found["template"]))
    calendar.write_text(json.dumps(found["calendar"]))
    anchors = [f"--anchor={key}={date}" for key, date in found["anchors"].items()]
    return run("plan", str(template), "--calendar", str(calendar), *anchors)


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.stem)
def test_a_case_is_planned_as_it_says(path: Path, tmp_path: Path) -> None:
    found = case(path)
    result = printed_plan(found, tmp_path)
    assert result.exit_code == 0, result.stderr
    planned = json.loads(result.stdout)
    tasks = {task["key"]: task for task in planned["tasks"]}
    for key, expected in found["expect"].items():
        assert {name: tasks[key][name] for name in expected} == expected, key
    windows = {phase["key"]: phase["window"] for phase in planned["phases"]}
    assert {key: windows[key] for key in found.get("phases", {})} == found.get("phases", {})
    if "finish" in found:
        assert planned["finish"] == found["finish"]
    if "critical" in found:
        assert [key for key, task in tasks.items() if task["critical"]] == found["critical"]


CASCADES = [(path, n) for path in CASES for n, _ in enumerate(case(path).get("cascades", []))]


@pytest.mark.parametrize("path, n", CASCADES, ids=[f"{path.stem}-{n}" for path, n in CASCADES])
def test_a_shift_of_a_case_gives_what_it_says(path: Path, n: int, tmp_path: Path) -> None:
    found = case(path)
    shift = found["cascades"][n]
    planned = tmp_path / "plan.json"
    planned.write_text(printed_plan(found, tmp_path).stdout)
    result = run("cascade", str(planned), *shift["edits"], "--mode", shift["mode"])
    assert result.exit_code == 0, result.stderr
    answer = json.loads(result.stdout)
    tasks = {task["key"]: task for task in answer["plan"]["tasks"]}
    for key, expected in shift["expect"].items():
        assert {name: tasks[key][name] for name in expected} == expected, f"{key}: {shift['why']}"
    assert answer["unchanged"] == shift["unchanged"], shift["why"]
    kinds = [conflict["kind"] for conflict in answer["conflicts"]]
    assert kinds == shift.get("conflicts", kinds), shift["why"]
