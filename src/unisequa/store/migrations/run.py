"""Brings a database to the newest shape."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config

from unisequa.core.errors import StoreError
from unisequa.store.dialects import dangling, migrating_engine


def configuration() -> Config:
    """Alembic's configuration, without a file of its own."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent))
    return config


def migrate(url: str, to: str = "head") -> None:
    """Run the migrations that are missing, all or none, up to one; afterwards every reference is checked.

    Raises
    ------
    StoreError
        When rows would refer to nothing; nothing is changed then.
    """
    config = configuration()
    engine = migrating_engine(url)
    try:
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, to)
            broken = dangling(connection, url)
            if broken:
                tables = ", ".join(broken)
                raise StoreError(f"the database has rows in {tables} that refer to nothing; nothing was changed")
    finally:
        engine.dispose()
