"""Commands for the house's own data: people's places, teams, positions, working calendars, leave."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from unisequa.cli.app import app, refuse
from unisequa.cli.operate import HERE, Email, open_store, person, settings_for, told
from unisequa.cli.serve import DataFolder

if TYPE_CHECKING:
    import datetime as dt

    from unisequa.actions.house.calendars import Change
    from unisequa.actions.people.people import Actor
    from unisequa.store.store import Session

team = typer.Typer(no_args_is_help=True, help="Teams: people who share work.")
position = typer.Typer(no_args_is_help=True, help="Positions that people hold.")
calendar = typer.Typer(no_args_is_help=True, help="The house's working calendars.")
leave = typer.Typer(no_args_is_help=True, help="The days on which people are away.")
for part, name in ((team, "team"), (position, "position"), (calendar, "calendar"), (leave, "leave")):
    app.add_typer(part, name=name)

Name = Annotated[str, typer.Argument(help="its name")]
Shift = Annotated[bool, typer.Option("--shift", help="shift the runs that go by it, each as it may")]
By = Annotated[str, typer.Option(help="the administrator who does it, by mail address; the first one if left out")]


def operator() -> Actor:
    """Whoever runs commands on this machine: an administrator."""
    from unisequa.actions.people.people import Actor

    return Actor(0, HERE, administrator=True)


@person.command(name="list")
def list_people(data: DataFolder = None) -> None:
    """Everybody, a line each with tabs between: address, name, position, manager, teams, standing."""
    from unisequa.actions.house.people import everybody

    with open_store(data, there=True).reading() as session:
        for one in everybody(session, operator()):
            standing = "administrator" if one.administrator else "" if one.active else "cannot sign in"
            print("\t".join((one.email, one.name, one.position, one.manager, "; ".join(one.teams), standing)))


@person.command()
def place(
    email: Email,
    title: Annotated[str | None, typer.Option(help="what they do")] = None,
    position: Annotated[str | None, typer.Option(help="the position that they hold; empty for none")] = None,
    manager: Annotated[str | None, typer.Option(help="their manager's mail address; empty for nobody")] = None,
    data: DataFolder = None,
) -> None:
    """Say what somebody does, the position they hold, who their manager is."""
    from unisequa.actions.house.people import describe
    from unisequa.actions.house.teams import number_of
    from unisequa.actions.people import accounts

    with told(), open_store(data, there=True).writing() as session:
        row = accounts.person_row(session, accounts.person_at(session, email).id)
        held = row.position_id if position is None else number_of(session, "position", position) if position else None
        above = row.manager_id if manager is None else accounts.person_at(session, manager).id if manager else None
        describe(session, operator(), row.id, row.name, row.title if title is None else title, held, above)
    print(f"{row.name} is placed")


@person.command(name="import")
def import_people(
    file: Annotated[
        Path,
        typer.Argument(
            help="a CSV file (- is standard input) with the columns name, email, title, position, manager, teams"
        ),
    ],
    data: DataFolder = None,
) -> None:
    """Add people from a table, all or none; those whose address is there are changed. They set a password by a link."""
    import csv
    import io
    import secrets
    import sys

    from unisequa.actions.house.roster import COLUMNS, bring_in

    try:
        text = (sys.stdin.buffer.read() if str(file) == "-" else file.read_bytes()).decode("utf-8-sig")
    except OSError as error:
        refuse([f"{file}: cannot be read ({error.strerror})"])
    except UnicodeDecodeError:
        refuse([f"{file}: is not written in UTF-8; save it as CSV UTF-8"])
    with io.StringIO(text, newline="") as source:
        reader = csv.DictReader(source)
        heads = [name.strip().lower() for name in reader.fieldnames or []]
        unknown = [name for name in heads if name not in COLUMNS]
        if "name" not in heads or "email" not in heads or unknown:
            found = ", ".join(heads) or "none"
            refuse([f"{file}: the first row names the columns, of {', '.join(COLUMNS)}; found {found}"])
        reader.fieldnames = heads
        table = [{name: value or "" for name, value in row.items() if name} for row in reader]
    added, known = bring_in(open_store(data), operator(), table, secrets.token_urlsafe(32))
    print(f"{added} added, {known} changed")


@team.command(name="list")
def list_teams(data: DataFolder = None) -> None:
    """All teams and who is in them."""
    from unisequa.actions.house.teams import teams

    with open_store(data, there=True).reading() as session:
        for one in teams(session):
            print(f"{one.name}\t{'; '.join(member.name for member in one.people)}")


@team.command()
def put(
    name: Name,
    emails: Annotated[list[str], typer.Argument(help="mail addresses")],
    out: Annotated[bool, typer.Option("--out", help="take them out")] = False,
    data: DataFolder = None,
) -> None:
    """Put people in a team, which is made if it is new, or take them out."""
    from unisequa.actions.house import teams
    from unisequa.actions.people import accounts

    with told(), open_store(data, there=True).writing() as session:
        number = teams.number_or_new(session, operator(), "team", name)
        for email in emails:
            whose = accounts.person_at(session, email)
            (teams.take_out if out else teams.put_in)(session, operator(), number, whose.id)
    print(f'"{name}" is {"without" if out else "with"} {", ".join(emails)}')


@team.command(name="remove")
def remove_team(name: Name, data: DataFolder = None) -> None:
    """Take away a team that nobody is in."""
    _remove("team", name, data)


@position.command(name="list")
def list_positions(data: DataFolder = None) -> None:
    """All positions and who holds them."""
    from unisequa.actions.house.teams import positions

    with open_store(data, there=True).reading() as session:
        for one in positions(session):
            print(f"{one.name}\t{'; '.join(holder.name for holder in one.people)}")


@position.command(name="add")
def add_position(name: Name, data: DataFolder = None) -> None:
    """Add a position."""
    from unisequa.actions.house import teams

    with told(), open_store(data, there=True).writing() as session:
        teams.add(session, operator(), "position", name)
    print(f'"{name}" is a position')


@position.command(name="remove")
def remove_position(name: Name, data: DataFolder = None) -> None:
    """Take away a position that nobody holds."""
    _remove("position", name, data)


def _remove(kind: str, name: str, data: Path | None) -> None:
    from unisequa.actions.house import teams

    with told(), open_store(data, there=True).writing() as session:
        group: teams.GroupKind = "team" if kind == "team" else "position"
        teams.remove(session, operator(), group, teams.number_of(session, group, name))
    print(f'"{name}" is gone')


@calendar.command(name="list")
def list_calendars(data: DataFolder = None) -> None:
    """All working calendars, the usual one first."""
    from unisequa.actions.house.calendars import calendars

    with open_store(data, there=True).reading() as session:
        for one in calendars(session):
            print(one.document.name)


@calendar.command(name="show")
def show_calendar(name: Name, data: DataFolder = None) -> None:
    """Print a calendar as a document."""
    import json

    from unisequa.actions.house.calendars import calendar as seen
    from unisequa.actions.house.calendars import number_of

    with open_store(data, there=True).reading() as session:
        print(json.dumps(seen(session, number_of(session, name)).document.written(), indent=1, ensure_ascii=False))


@calendar.command(name="put")
def put_calendar(
    file: Annotated[Path, typer.Argument(help="a calendar document; - is standard input")],
    usual: Annotated[bool, typer.Option("--usual", help="the one that templates have that name none")] = False,
    shift: Shift = False,
    by: By = "",
    data: DataFolder = None,
) -> None:
    """Keep a calendar, in place of one of the same name."""
    from unisequa.actions.house import calendars
    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.reading import read_document
    from unisequa.formats.files import read_file

    document = read_document(CalendarDocument, read_file(file))
    with told(), open_store(data).writing() as session:
        said = ""
        if calendars.is_there(session, document.name):
            said = _change(
                session, document.name, lambda old: {**document.written(), "name": old["name"]}, data, by, shift
            )
        else:
            calendars.put(session, operator(), document)
        if usual:
            calendars.make_usual(session, operator(), calendars.number_of(session, document.name))
    print(f'"{document.name}" is kept{said}')


@calendar.command()
def close(
    name: Name,
    first: Annotated[str, typer.Argument(help="the first day closed")],
    last: Annotated[str, typer.Argument(help="the last, if another")] = "",
    label: Annotated[str, typer.Option(help="what it is called")] = "",
    shift: Shift = False,
    by: By = "",
    data: DataFolder = None,
) -> None:
    """Close the house for some days. Runs that work on them are left as they are, and listed with the calendar."""
    from unisequa.actions.house import calendars, leave

    with told(), open_store(data, there=True).writing() as session:
        today = settings_for(data).day()
        begins, ends = leave.typed_span(first, last, today, month_first=False)
        said = _change(session, name, calendars.closing(first, last, label, today), data, by, shift)
    print(f'"{name}" is closed {_days(begins, ends)}{said}')


def _change(session: Session, name: str, how: Change, data: Path | None, by: str, shift: bool) -> str:
    """Change a calendar with the runs that go by it; gives what became of those, in words."""
    from unisequa.actions.calendar_changes import change_with_runs
    from unisequa.actions.house import calendars
    from unisequa.actions.people.accounts import acting_administrator
    from unisequa.core.calendars.words import count_words

    actor = acting_administrator(session, operator(), by)
    number = calendars.number_of(session, name)
    done = change_with_runs(session, actor, number, how, settings_for(data).day(), shift=shift)
    said = f"; {count_words(done.shifted, 'run')} shifted with it" if done.shifted else ""
    if done.asked:
        said += f"; {count_words(done.asked, 'run')} left as before, listed with the calendar for their keepers"
    return said


def _days(first: dt.date, last: dt.date) -> str:
    """``from Thu 24 Dec 2026 to Thu 31 Dec 2026``, or ``on`` the one day."""
    from unisequa.core.calendars.words import day_words

    if first == last:
        return f"on {day_words(first, year=True)}"
    return f"from {day_words(first, year=True)} to {day_words(last, year=True)}"


@leave.command(name="add")
def add_leave(
    email: Email,
    first: Annotated[str, typer.Argument(help="the first day away")],
    last: Annotated[str, typer.Argument(help="the last, if another")] = "",
    label: Annotated[str, typer.Option(help="what for")] = "",
    data: DataFolder = None,
) -> None:
    """Have somebody be away."""
    from unisequa.actions.house import leave
    from unisequa.actions.people import accounts

    with told(), open_store(data, there=True).writing() as session:
        whose = accounts.person_at(session, email)
        begins, ends = leave.add(session, operator(), whose.id, first, last, label, settings_for(data).day())
    print(f"{whose.name} is away {_days(begins, ends)}")


@leave.command(name="list")
def list_leave(data: DataFolder = None) -> None:
    """All leave that is not over, a line each with tabs between: address, first and last day, what for."""
    from unisequa.actions.house.leave import leave_of
    from unisequa.actions.house.people import everybody

    today = settings_for(data).day()
    with open_store(data, there=True).reading() as session:
        for one in everybody(session, operator()):
            for away in leave_of(session, one.id, today):
                print("\t".join((one.email, away.first.isoformat(), away.last.isoformat(), away.label)))
