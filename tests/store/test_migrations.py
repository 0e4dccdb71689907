"""A data folder from the version before: it opens, with all it holds."""

from __future__ import annotations

import datetime as dt
import gzip
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import MetaData, func, select, text

from unisequa.actions.runs import shifts
from unisequa.core.shift.edits import KINDS, Follow, HoldLinks, HoldWaits, NewDays, Window
from unisequa.core.shift.edits.codec import read_all, written
from unisequa.store.dialects import make_engine
from unisequa.store.documents import digest_of, template_of
from unisequa.store.migrations.run import migrate
from unisequa.store.plans import plan_of
from unisequa.store.store import Store
from unisequa.store.tables import Edition, Run

KEPT = Path(__file__).parents[1] / "data" / "tables-0003.sql.gz"
TODAY = dt.date(2026, 11, 25)


@pytest.fixture
def before(tmp_path: Path) -> dict[str, int]:
    """The rows of every table, in a file as the version before left it."""
    with sqlite3.connect(tmp_path / "unisequa.sqlite3") as connection:
        connection.executescript(gzip.decompress(KEPT.read_bytes()).decode())
        names = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        counts = {name: connection.execute(f'SELECT count(*) FROM "{name}"').fetchone()[0] for name in names}
    connection.close()
    return counts


@pytest.fixture(params=["sqlite", "postgresql"])
def store(before: dict[str, int], tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Store]:
    kept = f"sqlite:///{tmp_path / 'unisequa.sqlite3'}"
    if request.param == "sqlite":
        yield from opened(kept)
        return
    running = request.getfixturevalue("postgresql")
    if running is None:
        pytest.skip("no PostgreSQL here")
    with running.database("template1") as url:
        migrate(url, "0003")
        copy(kept, url)
        yield from opened(url)


def opened(url: str) -> Iterator[Store]:
    made = Store(url)
    made.migrate()
    yield made
    made.engine.dispose()


def copy(source: str, target: str) -> None:
    """The rows of one database in the tables of another, which are the same."""
    reading, writing, tables = make_engine(source), make_engine(target), MetaData()
    tables.reflect(writing, resolve_fks=True)
    with reading.connect() as old, writing.begin() as new:
        for table in tables.sorted_tables:
            rows = [dict(row) for row in old.execute(select(table)).mappings()]
            if rows and table.name != "alembic_version":
                new.execute(table.insert(), rows)
                if "id" in table.c:  # rows that bring their numbers leave the counting behind
                    new.execute(
                        select(func.setval(func.pg_get_serial_sequence(table.name, "id"), func.max(table.c.id)))
                    )
    reading.dispose()
    writing.dispose()


def test_no_row_is_lost(before: dict[str, int], store: Store) -> None:
    with store.reading() as session:
        now = {name: session.scalar(text(f'SELECT count(*) FROM "{name}"')) for name in before}
    assert now == before and before["shifts"] > 15


def test_edits_of_every_kind_are_read_back(store: Store) -> None:
    kinds = set()
    with store.reading() as session:
        for run in session.scalars(select(Run)):
            plan = plan_of(run, TODAY)
            for shift in run.shifts:
                edits = read_all(shift.edits, plan)
                assert [written(edit, plan.grid) for edit in edits] == shift.edits
                kinds |= {type(edit) for edit in edits}
    assert kinds == set(KINDS) - {Window, Follow, HoldLinks, HoldWaits, NewDays}  # which came later


def test_a_roll_left_out_then_is_written_out_and_a_date_put_then_is_known(store: Store) -> None:
    rolls, put = set(), 0
    with store.reading() as session:
        for run in session.scalars(select(Run)):
            for row in run.tasks:
                put += row.put
                for measure in (row.measured, *row.limits, *row.deadlines):
                    rolls |= {measure["roll"]} if measure else set()
        for edition in session.scalars(select(Edition)):
            assert edition.digest == digest_of(edition.document)
            for step in template_of(edition).steps:
                rolls |= {step.when.roll} if step.when else set()
    assert rolls <= {"following", "none"} and put >= 3


def test_a_shift_from_then_is_taken_back_now(store: Store) -> None:
    with store.writing() as session:
        run = next(run for run in session.scalars(select(Run)) if run.name.endswith("Moss and Lantern"))
        standing = [shift.number for shift in run.shifts if not shift.taken_back_at]
        before = {row.key: row.start_on for row in run.tasks}
        for number in reversed(standing):
            shifts.take_back(session, run.keeper, run.id, number, TODAY)
        assert {row.key: row.start_on for row in run.tasks} != before
        assert all(shift.taken_back_at for shift in run.shifts)
