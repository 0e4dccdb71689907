"""Where the data is and how the server runs, from the environment (``UNISEQUA_…``)."""

from __future__ import annotations

import datetime as dt
import os
import secrets
from contextlib import suppress
from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Settings of one server.

    Parameters
    ----------
    data : Path
        The data folder: one SQLite file and a secret made on first start.
    database_url : str, optional
        Where the store is; a file in the data folder without it.
    today : date, optional
        The day taken for today; the machine's own without it.
    demo : bool
        Sample data: the sign-in page offers its people at one click.
    secure_cookies : bool
        Send the session cookie over HTTPS only.
    """

    model_config = SettingsConfigDict(env_prefix="UNISEQUA_", extra="ignore")

    data: Path = Path("data")
    database_url: str | None = None
    today: dt.date | None = None
    demo: bool = False
    secure_cookies: bool = False

    @property
    def url(self) -> str:
        """The database's URL."""
        return self.database_url or f"sqlite:///{(self.data / 'unisequa.sqlite3').absolute()}"

    def day(self) -> dt.date:
        """Today."""
        return self.today or dt.date.today()

    def secret(self) -> str:
        """The key that signs session cookies, made once and kept in the data folder."""
        path = self.data / "secret"
        if not path.exists():
            self.data.mkdir(parents=True, exist_ok=True)
            mine = path.with_name(f"secret.{secrets.token_hex(8)}")
            with os.fdopen(os.open(mine, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600), "w") as file:
                file.write(secrets.token_urlsafe(48))
            with suppress(FileExistsError):  # another worker was first: its key is everybody's
                os.link(mine, path)
            mine.unlink()
        return path.read_text().strip()
