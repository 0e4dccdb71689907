"""Brings a database to the newest shape."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config

from unisequa.core.errors import UnisequaError
from unisequa.store.store import make_engine


def configuration() -> Config:
    """Alembic's configuration, without a file of its own."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent))
    return config


def migrate(url: str) -> None:
    """Run the migrations that are missing, each whole or not at all.

    They run on an engine with foreign keys off, since rebuilding a SQLite table with them on deletes the
    rows that refer to it; afterwards every reference is checked.
    """
    config = configuration()
    engine = make_engine(url, foreign_keys=False)
    try:
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            broken = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
            if broken:
                raise UnisequaError(f"the database has rows that refer to nothing: {broken[:3]}; nothing was changed")
    finally:
        engine.dispose()
