"""How a run stands, and what of it can no longer hold."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.plans import GO, day, plan, step
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Begun, Done, Duration, Fix
from unisequa.core.shift.mending import caught_up, mending
from unisequa.core.work.earned import Curve, Piece, curve
from unisequa.core.work.outlook import Outlook, outlook
from unisequa.core.work.readiness import readiness

CALENDAR = WorkingCalendar()


def slowly(pieces: list[Piece], today: int) -> Fraction | None:
    """The same figure, walked day by day as the page words it."""
    if not pieces:
        return None
    finishes = [today, *(piece.finish for piece in pieces)]
    days = range(min(finishes) - 60, max(finishes) + 60)
    worked = [d for d in days if dt.date.fromordinal(d).weekday() < 5]

    def p(n: int) -> int:
        return sum(piece.duration for piece in pieces if piece.finish - 1 <= worked[n])

    earned = sum(piece.duration for piece in pieces if piece.over)
    y = max(n for n, d in enumerate(worked) if d < today)
    t = max(n for n, d in enumerate(worked) if d <= today)
    if p(y) <= earned <= p(t):
        return Fraction(0)
    if earned < p(y):
        m = next(n for n in range(len(worked)) if p(n) > earned)
        return -(y - (m - 1) - Fraction(earned - p(m - 1), p(m) - p(m - 1)))
    m = next(n for n in range(len(worked)) if p(n) >= earned)
    return (m - 1) + Fraction(earned - p(m - 1), p(m) - p(m - 1)) - t


@given(
    st.lists(st.builds(Piece, st.integers(0, 40).map(lambda n: GO.toordinal() + n), st.integers(1, 9), st.booleans())),
    st.integers(-5, 45).map(lambda n: GO.toordinal() + n),
)
def test_earned_schedule_is_what_walking_day_by_day_gives(pieces: list[Piece], today: int) -> None:
    assert curve(pieces, None, CALENDAR).ahead(today, CALENDAR) == slowly(pieces, today)


@pytest.mark.parametrize("done, ahead", [(1, -1), (2, 0), (3, 0), (4, 1)])
def test_one_task_a_day_is_behind_by_yesterdays_and_ahead_by_tomorrows(done: int, ahead: int) -> None:
    pieces = [Piece(GO.toordinal() + n + 1, 1, n < done) for n in range(5)]
    assert curve(pieces, None, CALENDAR).ahead(day("2026-06-03"), CALENDAR) == ahead


def row(**more: Any) -> Plan:
    """Ten steps of a day each, one after another from Monday 1 June."""
    return plan(
        [step("s0", 1, 0), *(step(f"s{n}", 1) for n in range(1, 10))], *(f"s{n}>s{n + 1}" for n in range(9)), **more
    )


def stands(of: Plan, today: str, *edits: Any, phases: tuple[str, ...] = ()) -> Outlook:
    now = replace(cascade(of, edits).after() if edits else of, today=day(today))
    over = {task.key for task in now.tasks if task.state == "done"}
    pieces = [Piece(of.schedule.finish[i], task.duration, task.key in over) for i, task in enumerate(of.tasks)]
    caught = caught_up(now)
    kept = curve((piece for piece in pieces if piece.duration), of.span(), of.calendars[None])
    return outlook(now, readiness(now), caught.after() if caught else now, kept, phases)


def test_a_run_is_on_time_ahead_or_behind_by_what_is_over() -> None:
    first = Done("s0", day("2026-06-01"))
    assert stands(row(), "2026-06-02", first).standing == "on time"
    late = stands(row(), "2026-06-03", first)
    assert (late.standing, late.reason, late.ahead) == ("behind", "1 task late", -1)
    early = [first, Done("s1", day("2026-06-01")), Done("s2", day("2026-06-02"))]
    ahead = stands(row(), "2026-06-01", *early)
    assert (ahead.standing, ahead.reason) == ("ahead", "2 working days ahead of what was planned")


def test_a_run_that_will_miss_its_anchor_is_behind_before_anything_is_late() -> None:
    due = plan([step("a", 3, 0), {**step("b", 2, 0), "when": {"anchor": "end", "offset": 0}}], "a>b",
               anchors=[{"key": "go", "label": "Go"}, {"key": "end", "label": "Opening night", "required": False,
                        "from": {"anchor": "go", "offset": 4}}], today=GO)  # fmt: skip
    assert stands(due, "2026-06-01").standing == "on time"
    longer = stands(due, "2026-06-01", Begun("a", day("2026-06-01")), Duration("a", 4))
    assert (longer.standing, longer.reason) == ("behind", "1 task will be after Opening night")


@pytest.mark.parametrize(
    "edits, reason",
    [
        ([Begun("s1", day("2026-06-01"))], "S1 is begun although what it waits for is not over"),
        ([Fix("s3", day("2026-06-02"))], "S3 is fixed before S2, which it follows, lets it"),
    ],
)
def test_a_run_is_in_a_muddle_when_what_was_to_hold_does_not(edits: Any, reason: str) -> None:
    found = stands(row(), "2026-06-01", *edits)
    assert (found.standing, found.reason) == ("in a muddle", reason)


def test_a_later_phase_begun_before_an_earlier_one_is_over_is_a_muddle() -> None:
    both = plan([step("a", 1, 0, phase="one"), step("b", 1, 0, phase="two")],
                phases=[{"key": "one", "label": "One"}, {"key": "two", "label": "Two"}])  # fmt: skip
    begun = Begun("b", day("2026-06-01"))
    assert stands(both, "2026-06-01", begun, phases=("one", "two")).standing == "on time"
    assert stands(both, "2026-06-02", begun, phases=("one", "two")).standing == "in a muddle"


def test_nothing_to_count_says_nothing() -> None:
    assert Curve().ahead(GO.toordinal(), CALENDAR) is None


def test_what_can_no_longer_hold_comes_with_the_shift_that_mends_it() -> None:
    fine = replace(row(), today=day("2026-06-01"))
    assert mending(fine) is None
    late = cascade(fine, [Done("s0", day("2026-06-01"))]).after()
    found = mending(replace(late, today=day("2026-06-04")))
    assert found is not None and (found.tasks, found.later) == (9, 2)
    assert found.text == "9 tasks can no longer hold: catch up, end +2 d"
    assert mending(replace(found.result.after(), today=day("2026-06-04"))) is None
