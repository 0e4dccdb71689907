"""The demo's data fills in on every database, and what lists say of it is what its tasks say."""

from __future__ import annotations

from pathlib import Path

from tests.site import TODAY
from unisequa.actions.checking import check_data
from unisequa.demo.fill import fill
from unisequa.store.queries.runs import all_run_ids
from unisequa.store.store import Store


def test_the_demo_fills_in(tmp_path: Path, database: str | None) -> None:
    store = Store(database or f"sqlite:///{tmp_path / 'demo.sqlite3'}")
    store.migrate()
    fill(store, TODAY)
    with store.reading() as session:
        assert len(list(all_run_ids(session))) >= 3
        assert list(check_data(session, TODAY)) == []
    store.engine.dispose()
