"""The demo's data fills in on every database, and what lists say of it is what its tasks say."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.site import TODAY
from unisequa.actions.checking import check_data
from unisequa.demo import large
from unisequa.demo.fill import fill
from unisequa.store.queries.runs import all_run_ids
from unisequa.store.store import Store
from unisequa.store.tables import Run


def test_the_demo_fills_in_and_grows(tmp_path: Path, database: str | None, monkeypatch: pytest.MonkeyPatch) -> None:
    store = Store(database or f"sqlite:///{tmp_path / 'demo.sqlite3'}")
    store.migrate()
    fill(store, TODAY)
    with store.reading() as session:
        assert len(list(all_run_ids(session))) >= 3
        assert list(check_data(session, TODAY)) == []
        started = [run.origin for run in session.query(Run) if run.origin]
        assert any(origin["run"] is not None for origin in started if "run" in origin)  # a loan handed off by a show
        assert any("counted" in origin for origin in started)  # closes by their rule
        runs = len(list(all_run_ids(session)))
    monkeypatch.setattr(large, "RUNS", runs + 12)
    monkeypatch.setattr(large, "TASKS", 2200)
    told: list[tuple[int, int]] = []
    large.fill_large(store, TODAY, lambda *numbers: told.append(numbers))
    assert [number for number, _ in told] == [runs + 10, runs + 12] and told[-1][1] > 1900
    with store.reading() as session:
        assert list(check_data(session, TODAY)) == []
        states = {state for (state,) in session.query(Run.state).order_by(Run.id.desc()).limit(12)}
    assert {"live", "finished"} <= states
    store.engine.dispose()
