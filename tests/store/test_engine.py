"""The database: transactions, foreign keys, migrations."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext

from unisequa.core.errors import Stale
from unisequa.store.store import Store
from unisequa.store.tables import Base, Calendar, TemplateRow


@pytest.fixture
def store(tmp_path: Path) -> Store:
    made = Store(f"sqlite:///{tmp_path / 'data' / 'x.sqlite3'}")
    made.migrate()
    return made


def test_the_migrations_lead_to_just_the_tables_that_the_code_has(store: Store) -> None:
    with store.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_a_failed_transaction_leaves_nothing_behind(store: Store) -> None:
    with pytest.raises(RuntimeError), store.writing() as session:
        session.add(Calendar(name="half", document={}))
        session.flush()
        raise RuntimeError
    with store.reading() as session:
        assert session.query(Calendar).count() == 0


def test_a_row_that_refers_to_nobody_is_refused(store: Store) -> None:
    with pytest.raises(Stale), store.writing() as session:
        session.add(TemplateRow(name="x", owner_id=99))


def test_two_writers_wait_for_each_other_and_lose_nothing(store: Store) -> None:
    with store.writing() as session:
        session.add(Calendar(name="count", document={"n": 0}))

    def add() -> None:
        for _ in range(20):
            with store.writing() as session:
                row = session.query(Calendar).one()
                row.document = {"n": row.document["n"] + 1}

    threads = [threading.Thread(target=add) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with store.reading() as session:
        assert session.query(Calendar).one().document == {"n": 80}
