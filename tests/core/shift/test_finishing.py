"""What finishing late or early does to what follows, by the run's choice."""

from __future__ import annotations

from typing import Any

import pytest

from tests.plans import dates, day, plan, step
from unisequa.core.plan.plan import Plan, replanned
from unisequa.core.shift.carrying_out import prepare
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Done, Move
from unisequa.core.shift.finishing import Finishing, what_follows

LATE, EARLY = Done("a", day("2026-06-04")), Done("a", day("2026-06-01"))


def row(**more: Any) -> Any:
    return plan([step("a", 2, 0), step("b", 1), step("c", 1), step("aside", 1, 0)], "a>b", "b>c", **more)


def done(of: Plan, edit: Done) -> Plan:
    """The plan with a task done, and nothing moved."""
    work = prepare(of, [edit])
    spans = {task.key: work.span(i) for i, task in enumerate(of.tasks)}
    return replanned(of, spans, tasks=tuple(work.task(i) for i in range(len(of.tasks))))


def follows(of: Plan, edit: Done, rule: Any) -> Finishing:
    return what_follows(done(of, edit), ["a"], rule, early=edit is EARLY)


@pytest.mark.parametrize(
    "rule, edit, moves, text",
    [
        ("ask", LATE, None, "2 tasks can no longer hold"),
        ("ask", EARLY, None, "2 tasks could come forward"),
        ("late", LATE, "2026-06-05", ""),
        ("late", EARLY, None, "2 tasks could come forward"),
        ("both", LATE, "2026-06-05", ""),
        ("both", EARLY, "2026-06-02", ""),
        ("ask", Done("a", day("2026-06-02")), None, ""),
    ],
)
def test_what_follows_a_finish_is_the_runs_choice(rule: Any, edit: Done, moves: str | None, text: str) -> None:
    found = follows(row(), edit, rule)
    assert found.text == text and (found.offers is not None) == bool(text)
    assert (found.moves and dates(found.moves.after())["b"]) == (moves and (moves, moves))


def test_what_moves_by_itself_leaves_a_date_alone_that_a_person_has_put() -> None:
    put = cascade(row(), [Move("c", day("2026-06-10"))]).after()
    found = follows(put, EARLY, "both")
    assert found.moves and dates(found.moves.after())["c"] == ("2026-06-10", "2026-06-10")
    asked = cascade(put, [EARLY], "tighten").after()
    assert dates(asked)["c"] == ("2026-06-03", "2026-06-03")
    late = follows(put, Done("a", day("2026-06-12")), "both").moves
    assert late and dates(late.after())["c"] == ("2026-06-16", "2026-06-16")
