"""Commands for those who operate a server."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from unisequa.cli.app import app, refuse
from unisequa.cli.serve import DataFolder
from unisequa.core.errors import DocumentError, Fault

if TYPE_CHECKING:
    from unisequa.settings import Settings
    from unisequa.store.store import Store


person = typer.Typer(no_args_is_help=True, help="People who can sign in.")
app.add_typer(person, name="person")
HERE = "the command line"
Email = Annotated[str, typer.Argument(help="their mail address")]


def settings_for(data: Path | None) -> Settings:
    """The settings, with another data folder where one is named."""
    from unisequa.settings import Settings

    return Settings() if data is None else Settings().model_copy(update={"data": data})


def open_store(data: Path | None, *, there: bool = False) -> Store:
    """The store of a data folder; with ``there`` only if there is one already."""
    from unisequa.store.folder import DATABASE
    from unisequa.store.store import Store

    settings = settings_for(data)
    if there and settings.database_url is None and not (settings.data / DATABASE).exists():
        refuse([f"--data: there is no data in {settings.data}; name the folder that the server uses"])
    store = Store(settings.url)
    store.migrate()
    return store


@contextmanager
def told() -> Iterator[None]:
    """What is refused, as faults of the command."""
    from unisequa.core.errors import Refused

    try:
        yield
    except Refused as error:
        raise DocumentError([Fault(where, what) for where, what in error.faults.items()]) from None


def _password() -> str:
    """A password, asked for twice; where nobody can be asked, the first line of standard input."""
    import sys

    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\r\n")
    return str(typer.prompt("Password", hide_input=True, confirmation_prompt=True))


@person.command()
def add(
    name: str,
    email: str,
    title: Annotated[str, typer.Option(help="what they do")] = "",
    administrator: Annotated[bool, typer.Option("--administrator", help="an administrator")] = False,
    data: DataFolder = None,
) -> None:
    """Add somebody who can sign in; the password is asked for. The first is an administrator."""
    from unisequa.actions.people.accounts import add_person

    password, store = _password(), open_store(data)
    with told():
        added = add_person(store, name, email, password, title, administrator=administrator)
    print(f"{added.name} can sign in with {added.email}")


@person.command(name="password")
def set_password(email: Email, data: DataFolder = None) -> None:
    """Give somebody another password, which is asked for; their sessions end."""
    from unisequa.actions.people import accounts

    password, store = _password(), open_store(data, there=True)
    with told():
        with store.reading() as session:
            whose = accounts.person_at(session, email)
        accounts.set_password(store, whose.id, password, HERE)
    print(f"{whose.name} has another password")


@person.command()
def deactivate(
    email: Email,
    back: Annotated[bool, typer.Option("--back", help="let them sign in again")] = False,
    to: Annotated[str, typer.Option(help="the address of whoever takes over what they hold")] = "",
    holding: Annotated[bool, typer.Option("--holding", help="at once, whatever they hold")] = False,
    data: DataFolder = None,
) -> None:
    """Let somebody no longer sign in; what they did stays, and what they hold is handed over first."""
    from unisequa.actions.house import people as managing
    from unisequa.actions.people import accounts

    store = open_store(data, there=True)
    with told(), store.writing() as session:
        whose = accounts.person_at(session, email)
        if not back and to:
            heir = accounts.person_at(session, to)
            given = managing.hand_over(
                session, replace(heir, administrator=True), whose.id, heir.id, settings_for(data).day()
            )
            print("\n".join(given.lines()))
        elif not (back or holding) and (held := managing.holdings(session, whose.id)):
            refuse([f"{whose.name} {line}" for line in held.lines()] + ["name who takes over with --to ADDRESS"])
        accounts.set_active(session, whose.id, HERE, active=back)
    print(f"{whose.name} can {'sign in again' if back else 'no longer sign in'}")


@person.command(name="administrator")
def set_administrator(
    email: Email,
    no: Annotated[bool, typer.Option("--no", help="no longer")] = False,
    data: DataFolder = None,
) -> None:
    """Make somebody an administrator."""
    from unisequa.actions.people import accounts

    store = open_store(data, there=True)
    with told(), store.writing() as session:
        whose = accounts.person_at(session, email)
        accounts.set_administrator(session, whose.id, HERE, administrator=not no)
    print(f"{whose.name} is {'no longer' if no else 'now'} an administrator")


@person.command(name="sign-out")
def sign_out(email: Email, data: DataFolder = None) -> None:
    """End all sessions of somebody."""
    from unisequa.actions.people import accounts

    store = open_store(data, there=True)
    with told(), store.writing() as session:
        whose = accounts.person_at(session, email)
        accounts.end_all_sessions(session, whose.id, HERE)
    print(f"{whose.name} is signed out everywhere")


@person.command(name="second-factor-off")
def second_factor_off(email: Email, data: DataFolder = None) -> None:
    """Ask somebody for no code any more, who has lost device and paper."""
    from unisequa.actions.people import accounts, second_factor

    store = open_store(data, there=True)
    with told(), store.writing() as session:
        whose = accounts.person_at(session, email)
        second_factor.take_off(session, whose.id, HERE)
    print(f"{whose.name} signs in without a second factor")


@person.command(name="reset-link")
def reset_link(email: Email, data: DataFolder = None) -> None:
    """Print a link by which somebody sets another password, once and within an hour."""
    from unisequa.actions.people import accounts, resets

    settings, store = settings_for(data), open_store(data, there=True)
    with told(), store.writing() as session:
        whose = accounts.person_at(session, email)
        token = resets.make(session, whose.id, HERE)
    print(f"{(settings.address or 'http://127.0.0.1:8000').rstrip('/')}/reset/{token}")


@app.command()
def backup(to: Annotated[Path, typer.Argument(help="a folder that is not there yet")], data: DataFolder = None) -> None:
    """Copy the data, the attached files and the secret, while it is served; the copy is looked over."""
    from unisequa.store.backups import back_up

    settings = settings_for(data)
    _only_here(settings)
    back_up(settings.data, to)
    print(f"{settings.data} is copied to {to}")


@app.command()
def restore(
    source: Annotated[Path, typer.Argument(metavar="FROM", help="what `unisequa backup` made")], data: DataFolder = None
) -> None:
    """Put a copy in the place of the data folder; what was there stays beside it."""
    from unisequa.store.backups import restore as put_back
    from unisequa.store.folder import take

    settings = settings_for(data)
    _only_here(settings)
    if settings.data.exists():
        take(settings.data)
    aside = put_back(settings.data, source)
    print(f"{source} is restored to {settings.data}" + (f"; what was there is in {aside}" if aside else ""))


def _only_here(settings: Settings) -> None:
    if settings.database_url is not None:
        refuse(["UNISEQUA_DATABASE_URL: rows are kept in a server of their own; copy them with its tools (pg_dump)"])


@app.command()
def token(
    email: Email,
    scopes: Annotated[str, typer.Option(help="what it may: read,work,start,shift,design")] = "read",
    name: Annotated[str, typer.Option(help="what it is for")] = "made on the command line",
    until: Annotated[str | None, typer.Option(metavar="DATE", help="the last day on which it counts")] = None,
    data: DataFolder = None,
) -> None:
    """Print a token by which a program acts as somebody."""
    import datetime as dt

    from unisequa.actions.people import accounts
    from unisequa.actions.programs.tokens import make_token

    store, today = open_store(data, there=True), settings_for(data).day()
    try:
        last = dt.date.fromisoformat(until) if until else None
    except ValueError:
        raise DocumentError([Fault("--until", f'"{until}" is no date; write it as 2026-08-31')]) from None
    with told(), store.writing() as session:
        whose = accounts.person_at(session, email)
        print(make_token(session, whose, name, [one.strip() for one in scopes.split(",") if one.strip()], last, today))


@app.command()
def tick(data: DataFolder = None) -> None:
    """Do what is due by itself, and send what waits; for those who have cron instead of a server that runs."""
    import sys

    from unisequa.actions.clock.sending import beat

    settings, store = settings_for(data), open_store(data, there=True)
    if settings.mail_lacks:
        print(settings.mail_lacks, file=sys.stderr)
    print(beat(store, settings.day(), settings.leaving()))


@app.command(name="returned-mail")
def returned_mail(
    file: Annotated[Path | None, typer.Argument(help="the mail; standard input without it")] = None,
    data: DataFolder = None,
) -> None:
    """Take a mail that came back: the message that it was has failed. For a mail server to hand such mail to."""
    import sys

    from unisequa.actions.returned import LARGEST, take_returned

    try:
        raw = file.read_bytes() if file else sys.stdin.buffer.read(LARGEST)
    except OSError as error:
        raise DocumentError([Fault(str(file), error.strerror or "it cannot be read")]) from None
    with open_store(data, there=True).writing() as session:
        print(take_returned(session, raw).words)


@app.command(name="check-data")
def check_data(data: DataFolder = None) -> None:
    """Compare what is kept for lists with what the tasks say; status 1 where anything differs."""
    from unisequa.actions import checking

    store, settings = open_store(data, there=True), settings_for(data)
    with store.reading() as session:
        told = list(checking.check_data(session, settings.day()))
    for line in told:
        print(line)
    if told:
        raise typer.Exit(1)
    print("all that is kept for lists is what the tasks say")
