"""Commands for those who operate a server."""

from __future__ import annotations

from typing import Annotated

import typer

from unisequa.cli.app import app, refuse
from unisequa.cli.serve import DataFolder
from unisequa.core.errors import DocumentError, Fault


@app.command()
def person(
    name: str,
    email: str,
    title: Annotated[str, typer.Option(help="what they do")] = "",
    data: DataFolder = None,
) -> None:
    """Add somebody who can sign in; the password is asked for."""
    from unisequa.actions.people.people import add_person
    from unisequa.core.errors import Refused
    from unisequa.settings import Settings
    from unisequa.store.store import Store

    settings = Settings() if data is None else Settings().model_copy(update={"data": data})
    password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    store = Store(settings.url)
    store.migrate()
    try:
        with store.writing() as session:
            added = add_person(session, name, email, password, title)
    except Refused as error:
        raise DocumentError([Fault(where, what) for where, what in error.faults.items()]) from None
    print(f"{added.name} can sign in with {added.email}")


@app.command(name="check-data")
def check_data(data: DataFolder = None) -> None:
    """Compare what is kept for lists with what the tasks say; status 1 where anything differs."""
    from unisequa.actions import checking
    from unisequa.settings import Settings
    from unisequa.store.store import Store

    settings = Settings() if data is None else Settings().model_copy(update={"data": data})
    if settings.database_url is None and not (settings.data / "unisequa.sqlite3").exists():
        refuse([f"--data: there is no data in {settings.data}; name the folder that the server uses"])
    store = Store(settings.url)
    store.migrate()
    with store.reading() as session:
        told = list(checking.check_data(session, settings.day()))
    for line in told:
        print(line)
    if told:
        raise typer.Exit(1)
    print("all that is kept for lists is what the tasks say")
