"""Where the data is and how the server runs, from the environment (``UNISEQUA_…``)."""

from __future__ import annotations

import datetime as dt
import os
import secrets
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Annotated
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import AfterValidator, Field
from pydantic_settings import BaseSettings, SettingsConfigDict
from tzlocal import get_localzone

from unisequa.core.calendars.today import Today
from unisequa.core.errors import StoreError

SHORTEST_SECRET = 32


@dataclass(frozen=True, slots=True)
class Leaving:
    """By what messages leave: where this server is found, for links, a mail server with the sender's address, a
    gateway of short text messages, the data folder with the files that go with mail, the mailbox in which mail comes
    back; what is empty is not there."""

    address: str = ""
    smtp_url: str = ""
    mail_from: str = ""
    text_url: str = ""
    webhook_hosts: tuple[str, ...] = ()
    data: Path | None = None
    returns_url: str = ""


@cache
def zone_named(name: str) -> ZoneInfo:
    """The time zone of a name, or the machine's own.

    Raises
    ------
    ValueError
    """
    try:
        return ZoneInfo(name) if name else get_localzone()
    except (ValueError, OSError, ZoneInfoNotFoundError):
        raise ValueError(f"{name or 'the time zone of this machine'} is not known; write it as Europe/Oslo") from None


def _known_zone(name: str) -> str:
    zone_named(name)
    return name


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
    now : time, optional
        The time of day taken for now, which then stands still; the machine's own without it.
    zone : str
        The organisation's time zone, such as ``Europe/Oslo``; the machine's own without it.
    demo : bool
        Sample data: the sign-in page offers its people at one click.
    secure_cookies : bool, optional
        Send the session cookie over HTTPS only; without it, whenever the request came so.
    hosts : tuple of str
        The names that this server answers to beside those of the machine itself; ``["*"]`` for any.
    log_requests : bool
        Write a line of JSON to standard error for each request.
    session_idle_hours, session_days : int
        How long a session lasts without being used, and at all.
    address : str
        Where people find it, such as ``https://plan.example.org``: for links in mail.
    root_path : str
        The path below which it is served, such as ``/plan``; at the root of its name without one.
    smtp_url, mail_from : str
        The server that mail leaves by, and whose it is; without them none leaves.
    returns_url : str
        The mailbox in which mail comes back that could not be delivered; without it none is looked into.
    text_url : str
        Where short text messages go: ``POST {"to", "text", "key"}``; without it none leaves.
    webhook_hosts : tuple of str
        The hosts inside this network that webhooks may be sent to.
    clock : bool
        Whether the server itself does what is due, every minute; else ``unisequa tick`` does.
    oidc_issuer, oidc_client_id, oidc_client_secret, oidc_name : str
        Where people can sign in elsewhere (OpenID Connect), and what it is called on the sign-in page.
    """

    model_config = SettingsConfigDict(env_prefix="UNISEQUA_", extra="ignore")

    data: Path = Path("data")
    database_url: str | None = None
    today: dt.date | None = None
    now: dt.time | None = None
    zone: Annotated[str, AfterValidator(_known_zone)] = ""
    demo: bool = False
    secure_cookies: bool | None = None
    hosts: tuple[str, ...] = ()
    log_requests: bool = False
    session_idle_hours: Annotated[int, Field(ge=1, le=24 * 365)] = 72
    session_days: Annotated[int, Field(ge=1, le=365)] = 14
    address: Annotated[str, Field(pattern=r"^(https?://[^\s/]+(/\S*)?)?$")] = ""
    root_path: Annotated[str, Field(pattern=r"^(/[A-Za-z0-9._~-]+)*$")] = ""
    smtp_url: Annotated[str, Field(pattern=r"^(smtps?://\S+)?$", repr=False)] = ""
    mail_from: Annotated[str, Field(pattern=r"^([^\s@]+@[^\s@]+)?$")] = ""
    returns_url: Annotated[str, Field(pattern=r"^(imaps?://[^\s/@]+@[^\s/@]+(/\S*)?)?$", repr=False)] = ""
    text_url: Annotated[str, Field(pattern=r"^(https?://\S+)?$", repr=False)] = ""
    webhook_hosts: tuple[str, ...] = ()
    clock: bool = True
    oidc_issuer: Annotated[str, Field(pattern=r"^(https://\S+|http://(localhost|127\.0\.0\.1)(:\d+)?(/\S*)?)?$")] = ""
    oidc_client_id: str = ""
    oidc_client_secret: Annotated[str, Field(repr=False)] = ""
    oidc_name: str = "your organisation"

    @property
    def url(self) -> str:
        """The database's URL."""
        return self.database_url or f"sqlite:///{(self.data / 'unisequa.sqlite3').absolute()}"

    def secure(self, scheme: str) -> bool:
        """Whether cookies go over HTTPS only, and browsers are told to come by nothing else."""
        return scheme == "https" if self.secure_cookies is None else self.secure_cookies

    @property
    def sends_mail(self) -> bool:
        """Whether mail can leave, with links that lead here."""
        return bool(self.smtp_url and self.mail_from and self.address)

    @property
    def mail_lacks(self) -> str:
        """What keeps mail from leaving though a mail server is set; nothing where it leaves, or none is set."""
        needed = {"UNISEQUA_MAIL_FROM": self.mail_from, "UNISEQUA_ADDRESS": self.address}
        missing = [name for name, value in needed.items() if not value]
        if not self.smtp_url or not missing:
            return ""
        return f"A mail server is set, but no mail leaves without {' and '.join(missing)}."

    def leaving(self) -> Leaving:
        """By what messages leave."""
        mail = self.smtp_url if self.sends_mail else ""
        return Leaving(
            address=self.address,
            smtp_url=mail,
            mail_from=self.mail_from,
            text_url=self.text_url,
            webhook_hosts=self.webhook_hosts,
            data=self.data,
            returns_url=self.returns_url,
        )

    @property
    def signs_in_elsewhere(self) -> bool:
        """Whether people can sign in by another sign-in of the house."""
        return bool(self.oidc_issuer and self.oidc_client_id)

    def day(self) -> Today:
        """Today, and the moment in it."""
        zone = zone_named(self.zone)
        now = dt.datetime.now(zone)
        moment = dt.datetime.combine(self.today or now.date(), self.now or now.time())
        return Today.of(moment.replace(tzinfo=zone, fold=0 if self.now else now.fold))

    def secret(self) -> str:
        """The key that signs session cookies, made once and kept in the data folder."""
        path = self.data / "secret"
        if not path.exists():
            self.data.mkdir(mode=0o700, parents=True, exist_ok=True)
            mine = path.with_name(f"secret.{secrets.token_hex(8)}")
            with os.fdopen(os.open(mine, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600), "w") as file:
                file.write(secrets.token_urlsafe(48))
            with suppress(FileExistsError):  # another worker was first: its key is everybody's
                os.link(mine, path)
            mine.unlink()
        secret = path.read_text().strip()
        if len(secret) < SHORTEST_SECRET:
            raise StoreError(f"{path} holds no secret of {SHORTEST_SECRET} characters; remove it, and one is made anew")
        return secret
