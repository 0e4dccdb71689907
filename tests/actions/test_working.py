"""What working on a task does to itself and to others: gates, follow, undo, reopening, many at once, hands."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import pytest

from tests.plans import dates, document, step
from tests.site import TODAY, Site, make_site
from unisequa.actions.runs.undoing import undo
from unisequa.actions.runs.work import Acted, Deed, act_on_tasks
from unisequa.core.errors import Refused
from unisequa.core.work.readiness import readiness
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import ActRow, HistoryRow, Run, now


def chain(follow: str = "ask", **more: Any) -> dict[str, Any]:
    """Two days from Monday 1 June, then a day each, all of the keeper's; today is Wednesday the 3rd."""
    steps = [step("a", 2, 0, role="lead"), *(step(key, 1, role="lead", **more) for key in ("b", "c")),
             step("aside", 1, 1, role="lead")]  # fmt: skip
    roles = [{"key": "lead", "label": "Lead", "fill": {"by": "keeper"}}]
    return document(steps, "a>b", "b>c", roles=roles, follow=follow)


def do(site: Site, act: Any, *keys: str, today: dt.date = TODAY, **more: Any) -> Acted:
    with site.store.writing() as session:
        return act_on_tasks(session, site.person("Ada"), site.run, Deed(act, keys, **more), today)


def stand(site: Site, today: dt.date = TODAY) -> dict[str, tuple[str, str, str]]:
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run
        plan = plan_of(run, today)
    states = readiness(plan).states
    return {key: (states[plan.position(key)], *(days or ("", ""))) for key, days in dates(plan).items()}


def test_a_run_finishes_by_itself_where_its_template_says_so_and_undoing_opens_it_again(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain() | {"finishes": "by itself"})
    do(site, "finish", "a", "aside")
    done = do(site, "finish", "b", "c")
    with site.store.reading() as session:
        assert session.get_one(Run, site.run).state == "finished"
    with site.store.writing() as session:
        assert done.number
        undo(session, site.person("Ada"), done.number, TODAY)
    with site.store.reading() as session:
        run = session.get_one(Run, site.run)
        assert run.state == "live" and {row.key for row in run.tasks if row.state == "done"} == {"a", "aside"}


@pytest.mark.parametrize(
    "follow, moved, offer, b",
    [
        ("ask", 0, "2 tasks can no longer hold", "2026-06-03"),
        ("late", 2, None, "2026-06-04"),
        ("both", 2, None, "2026-06-04"),
    ],
)
def test_a_late_finish_moves_what_follows_as_the_run_says(
    tmp_path: Path, follow: str, moved: int, offer: str | None, b: str
) -> None:
    site = make_site(tmp_path, content=chain(follow))
    done = do(site, "finish", "a")
    assert (done.moved, done.offer and done.offer.text) == (moved, offer)
    assert stand(site)["b"][1] == b and stand(site)["aside"][1] == "2026-06-02"
    with site.store.reading() as session:
        whys = [shift.why for shift in session.get_one(Run, site.run).shifts]
    assert whys == (["By itself: A was finished"] if moved else [])


@pytest.mark.parametrize("follow, c", [("ask", "2026-06-04"), ("late", "2026-06-04"), ("both", "2026-06-03")])
def test_an_early_finish_brings_forward_only_where_both_is_said(tmp_path: Path, follow: str, c: str) -> None:
    site = make_site(tmp_path, content=chain(follow))
    do(site, "finish", "a", day=dt.date(2026, 6, 2))
    done = do(site, "finish", "b", day=dt.date(2026, 6, 2), confirmed=True)
    assert stand(site)["c"][1] == c
    assert (done.offer and done.offer.text) == (None if follow == "both" else "1 task could come forward")


def test_what_is_undone_is_as_it_was_and_so_is_what_followed(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain("late"))
    before = stand(site)
    done = do(site, "finish", "a")
    assert stand(site) != before
    with site.store.writing() as session:
        undo(session, site.person("Ada"), done.number, TODAY)
    assert stand(site) == before
    with site.store.writing() as session, pytest.raises(Refused, match="already"):
        undo(session, site.person("Ada"), done.number, TODAY)


def test_only_the_one_who_did_it_undoes_it_and_only_for_a_minute_and_if_nobody_went_on(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain())
    done = do(site, "begin", "a")
    with site.store.writing() as session, pytest.raises(Exception, match="nothing to undo"):
        undo(session, site.person("Bela"), done.number, TODAY)
    do(site, "finish", "a")
    with site.store.writing() as session, pytest.raises(Refused, match="since"):
        undo(session, site.person("Ada"), done.number, TODAY)
    with site.store.writing() as session:
        session.get_one(ActRow, done.number).at = now() - dt.timedelta(minutes=2)
    with site.store.writing() as session, pytest.raises(Refused, match="minute is over"):
        undo(session, site.person("Ada"), done.number, TODAY)


def test_beginning_obeys_the_gate_as_finishing_does_and_what_was_let_through_is_kept(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain())
    before = stand(site)
    with pytest.raises(Refused, match="B waits for A, which is not done"):
        do(site, "begin", "b")
    assert stand(site) == before
    warned = make_site(tmp_path / "warned", content=chain(gate="warn"))
    with pytest.raises(Refused) as caught:
        do(warned, "begin", "b")
    assert set(caught.value.faults) == {"gate"}
    do(warned, "begin", "b", confirmed=True, why="The first half is there")
    with warned.store.reading() as session:
        text = session.query(HistoryRow).filter(HistoryRow.task_key == "b").one().text
    assert text == "B: begun (although it waited for A, which is not done): The first half is there"


def test_reopening_lists_what_was_built_on_it_and_puts_it_back_where_it_was(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain())
    before = stand(site)
    do(site, "finish", "a", day=dt.date(2026, 6, 1))
    do(site, "begin", "b")
    with pytest.raises(Refused, match="B has been begun after A, and stays as it is"):
        do(site, "reopen", "a")
    do(site, "reopen", "a", confirmed=True)
    after = stand(site)
    assert after["a"] == before["a"] and after["b"][0] == "under way" and after["c"] == before["c"]
    do(site, "reopen", "b")
    assert stand(site) == before


def test_many_are_done_at_once_or_none_of_them_each_refusal_named(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain())
    before = stand(site)
    with pytest.raises(Refused) as caught:
        do(site, "finish", "aside", "c")
    assert "Nothing was done. C waits for B, which is not done." in str(caught.value)
    assert stand(site) == before
    done = do(site, "finish", "a", "b", "c", "aside")  # each waits for one that goes with it
    assert done.words == "4 tasks done" and {state for state, _, _ in stand(site).values()} == {"done"}


def test_a_day_to_come_is_refused_and_dropping_what_must_not_be_skipped_needs_a_word(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=chain())
    with pytest.raises(Refused) as caught:
        do(site, "finish", "a", day=TODAY + dt.timedelta(days=1))
    assert set(caught.value.faults) == {"day"}
    with pytest.raises(Refused) as caught:
        do(site, "drop", "b")
    assert set(caught.value.faults) == {"why"}
    do(site, "drop", "b", why="The printer does it")
    do(site, "finish", "a")
    assert stand(site)["c"][0] == "ready"


def test_a_milestone_that_nobody_does_is_written_down_when_somebody_goes_on(tmp_path: Path) -> None:
    content = document([step("a", 1, 0), step("there", 0), step("b", 1)], "a>there", "there>b")
    site = make_site(tmp_path, content=content)
    do(site, "finish", "a", day=dt.date(2026, 6, 2))
    assert stand(site)["there"] == ("done", "2026-06-02", "2026-06-02") and stand(site)["b"][0] == "ready"
    do(site, "begin", "b")
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run and next(row.state for row in run.tasks if row.key == "there") == "done"
