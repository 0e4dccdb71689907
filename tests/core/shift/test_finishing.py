"""What finishing late or early does to what follows, by the run's choice."""

from __future__ import annotations

from typing import Any

import pytest

from tests.plans import dates, day, plan, step
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Done, Move
from unisequa.core.shift.finishing import what_follows

LATE, EARLY = Done("a", day("2026-06-04")), Done("a", day("2026-06-01"))


def row(**more: Any) -> Any:
    return plan([step("a", 2, 0), step("b", 1), step("c", 1), step("aside", 1, 0)], "a>b", "b>c", **more)


@pytest.mark.parametrize(
    "follow, done, moves, text",
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
def test_what_follows_a_finish_is_the_runs_choice(follow: Any, done: Done, moves: str | None, text: str) -> None:
    found = what_follows(row(follow=follow), done)
    assert found.text == text and (found.offers is not None) == bool(text)
    assert (found.moves and dates(found.moves.after())["b"]) == (moves and (moves, moves))


def test_what_moves_by_itself_leaves_a_date_alone_that_a_person_has_put() -> None:
    put = cascade(row(follow="both"), [Move("c", day("2026-06-10"))]).after()
    found = what_follows(put, EARLY)
    assert found.moves and dates(found.moves.after())["c"] == ("2026-06-10", "2026-06-10")
    asked = cascade(put, [EARLY], "tighten").after()
    assert dates(asked)["c"] == ("2026-06-03", "2026-06-03")
    late = what_follows(put, Done("a", day("2026-06-12"))).moves
    assert late and dates(late.after())["c"] == ("2026-06-16", "2026-06-16")
