"""The database: transactions, foreign keys, migrations."""

from __future__ import annotations

import sys
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext

from unisequa.core.errors import Stale
from unisequa.store.documents import Latest
from unisequa.store.queries.templates import template_by_id
from unisequa.store.store import Store, afterwards, savepoint
from unisequa.store.tables import Base, Calendar, Person, TemplateRow


@pytest.fixture
def store(tmp_path: Path, database: str | None) -> Iterator[Store]:
    made = Store(database or f"sqlite:///{tmp_path / 'data' / 'x.sqlite3'}")
    made.migrate()
    yield made
    made.engine.dispose()


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


def test_two_writers_of_one_row_come_one_after_the_other(store: Store) -> None:
    with store.writing() as session:
        person = Person(name="Ada", email="ada@example.org", password_hash="-")
        session.add(person)
        session.flush()
        session.add(TemplateRow(name="0", owner_id=person.id))

    def add() -> None:
        for _ in range(20):
            with store.writing() as session:
                row = template_by_id(session, 1)
                assert row
                row.name = str(int(row.name) + 1)

    threads = [threading.Thread(target=add) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with store.reading() as session:
        assert session.query(TemplateRow).one().name == "80"


def test_what_follows_a_transaction_waits_for_it(store: Store) -> None:
    told: list[str] = []

    def tell(word: str) -> None:
        with store.reading() as session:
            told.append(f"{word} {session.query(Calendar).count()}")

    with store.writing() as session:
        session.add(Calendar(name="kept", document={}))
        afterwards(session, lambda: tell("kept"))
        with pytest.raises(ValueError), savepoint(session):
            session.add(Calendar(name="not kept", document={}))
            afterwards(session, lambda: tell("not kept"))
            raise ValueError
        with savepoint(session):
            afterwards(session, lambda: tell("inside"))
        assert told == []
    assert told == ["kept 1", "inside 1"]
    with pytest.raises(RuntimeError), store.writing() as session:
        afterwards(session, lambda: tell("never"))
        raise RuntimeError
    assert len(told) == 2


def test_what_was_read_is_kept_by_many_threads_at_once() -> None:
    kept, usual = Latest[int](3), sys.getswitchinterval()
    sys.setswitchinterval(1e-6)  # threads give way to each other at any step
    try:
        with ThreadPoolExecutor(6) as pool:
            assert all(pool.map(lambda n: all(kept.keep((n, m), m) == m for m in range(5000)), range(6)))
    finally:
        sys.setswitchinterval(usual)
    assert len(kept) == 3
