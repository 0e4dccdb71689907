"""The command line: the same core without a server, and the server's start."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn, cast

import typer

from unisequa.core.errors import DocumentError, Fault, UnisequaError

if TYPE_CHECKING:
    from unisequa.core.cascade import Edit
    from unisequa.core.plan import Plan
    from unisequa.settings import Settings

app = typer.Typer(
    add_completion=False, no_args_is_help=True, rich_markup_mode=None, pretty_exceptions_enable=False, help=__doc__
)

Anchors = Annotated[list[str] | None, typer.Option("--anchor", metavar="KEY=DATE", help="an anchor's date; repeatable")]
Format = Annotated[str, typer.Option("--format", help="json, text, csv or ics")]


def main() -> None:
    """Run the command line; every fault is one line on standard error and exit status 2."""
    try:
        app()
    except DocumentError as error:
        _refuse([str(fault) for fault in error.faults])
    except UnisequaError as error:
        _refuse(str(error).splitlines())


def _refuse(lines: list[str]) -> NoReturn:
    for line in lines:
        print(line, file=sys.stderr)
    raise SystemExit(2)


def _date(text: str, option: str) -> dt.date:
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        raise DocumentError([Fault(option, f'"{text}" is no date; write it as 2026-08-31')]) from None


def _pair(text: str, option: str) -> tuple[str, str]:
    key, equals, value = text.partition("=")
    if not equals or not key:
        raise DocumentError([Fault(option, f'"{text}" must be KEY=VALUE')])
    return key, value


def _dated(texts: list[str] | None, option: str) -> list[tuple[str, dt.date]]:
    return [(key, _date(value, f"{option} {key}")) for key, value in (_pair(text, option) for text in texts or [])]


@app.command()
def plan(
    template: Path,
    anchor: Anchors = None,
    calendar: Annotated[list[Path] | None, typer.Option(help="a calendar; the first is the run's own")] = None,
    include: Annotated[list[Path] | None, typer.Option(help="a template that this one includes")] = None,
    fact: Annotated[list[str] | None, typer.Option(metavar="KEY=VALUE", help="a fact; repeatable")] = None,
    subject: Annotated[str, typer.Option(help="who or what it is about")] = "",
    today: Annotated[str | None, typer.Option(help="the day taken for today")] = None,
    format_: Format = "json",
) -> None:
    """Work the dates out and print the plan."""
    from unisequa.core.assemble import Occasion, assemble
    from unisequa.core.checks import read_template
    from unisequa.core.document import CalendarDocument, read_document
    from unisequa.formats.documents import read_file

    document = read_template(read_file(template))
    for path in include or []:
        read_template(read_file(path))
    occasion = Occasion(
        anchors=dict(_dated(anchor, "--anchor")),
        facts=dict(_pair(text, "--fact") for text in fact or []),
        subject=subject,
        calendars=tuple(read_document(CalendarDocument, read_file(path)) for path in calendar or []),
        today=_date(today, "--today") if today else None,
    )
    _print_plan(assemble(document, occasion), format_)


def _print_plan(plan: Plan, format_: str) -> None:
    from unisequa.core.exchange import plan_document
    from unisequa.formats.documents import write_json

    if format_ == "json":
        sys.stdout.write(write_json(plan_document(plan)))
    elif format_ == "csv":
        from unisequa.formats.tables import plan_csv

        sys.stdout.write(plan_csv(plan))
    elif format_ == "ics":
        from unisequa.formats.icalendar import plan_ics

        sys.stdout.write(plan_ics(plan).decode())
    elif format_ == "text":
        from unisequa.formats.tables import plan_text

        sys.stdout.write(plan_text(plan))
    else:
        raise DocumentError([Fault("--format", f'"{format_}" is none of json, text, csv, ics')])


@app.command()
def cascade(
    plan: Path,
    move: Annotated[list[str] | None, typer.Option(metavar="KEY=DATE", help="start a task on a day")] = None,
    due: Annotated[list[str] | None, typer.Option(metavar="KEY=DATE", help="have a task due on a day")] = None,
    duration: Annotated[list[str] | None, typer.Option(metavar="KEY=N", help="working days a task takes")] = None,
    begun: Annotated[list[str] | None, typer.Option(metavar="KEY=DATE")] = None,
    done: Annotated[list[str] | None, typer.Option(metavar="KEY=DATE")] = None,
    anchor: Annotated[list[str] | None, typer.Option(metavar="KEY=DATE")] = None,
    close: Annotated[list[str] | None, typer.Option(metavar="DATE[..DATE]")] = None,
    link: Annotated[list[str] | None, typer.Option(metavar="P:S[:TYPE[:LAG]]")] = None,
    unlink: Annotated[list[str] | None, typer.Option(metavar="P:S")] = None,
    drop: Annotated[list[str] | None, typer.Option(metavar="KEY")] = None,
    fix: Annotated[list[str] | None, typer.Option(metavar="KEY=DATE")] = None,
    shift: Annotated[int | None, typer.Option(metavar="N")] = None,
    catch_up: Annotated[str | None, typer.Option("--catch-up", metavar="DATE")] = None,
    mode: Annotated[str, typer.Option(help="push, carry or tighten")] = "push",
    format_: Annotated[str, typer.Option("--format", help="json or text")] = "json",
) -> None:
    """Apply a shift to a printed plan and print what follows."""
    from unisequa.core.cascade import MODES, Mode
    from unisequa.core.cascade import cascade as work_out
    from unisequa.core.exchange import cascade_document, read_plan
    from unisequa.formats.documents import read_file, write_json

    later = {
        "--begun": begun, "--done": done, "--anchor": anchor, "--close": close, "--link": link, "--unlink": unlink,
        "--drop": drop, "--fix": fix, "--shift": shift, "--catch-up": catch_up,
    }  # fmt: skip
    faults = [Fault(option, "cannot be computed yet") for option, given in later.items() if given is not None]
    if mode not in MODES:
        faults.append(Fault("--mode", f'"{mode}" is none of push, carry, tighten'))
    if format_ not in {"json", "text"}:
        faults.append(Fault("--format", f'"{format_}" is none of json, text'))
    if faults:
        raise DocumentError(faults)
    edits = _edits(move, due, duration)
    if not edits:
        raise DocumentError([Fault("cascade", "needs at least one edit, such as --move KEY=2026-08-31")])
    result = work_out(read_plan(read_file(plan)), edits, cast(Mode, mode))
    if format_ == "json":
        sys.stdout.write(write_json(cascade_document(result)))
    else:
        sys.stdout.write(_cascade_text(result))


def _edits(move: list[str] | None, due: list[str] | None, duration: list[str] | None) -> list[Edit]:
    from unisequa.core.cascade import Due, Duration, Move

    edits: list[Edit] = [Move(key, day.toordinal()) for key, day in _dated(move, "--move")]
    edits += [Due(key, day.toordinal()) for key, day in _dated(due, "--due")]
    for key, value in (_pair(text, "--duration") for text in duration or []):
        if not value.isascii() or not value.isdigit() or len(value) > 9:
            raise DocumentError([Fault(f"--duration {key}", f'"{value}" is no whole number of working days')])
        edits.append(Duration(key, int(value)))
    return edits


def _cascade_text(result: Any) -> str:
    from unisequa.core.words import count_words, day_words, difference_words, span_words

    lines = [f"! {conflict.text}" for conflict in result.conflicts]
    for change in result.changes:
        before, after = result.days(change)
        old = span_words(*before) if before else "undated"
        title = result.plan.tasks[result.plan.position(change.key)].title
        why = result.reason(change)
        lines.append(f"{title}: {old} → {span_words(*after)}  {difference_words(change.delta)}  {why}")
    moved = count_words(len(result.changes), "task")
    reach = result.after().reach()
    end = f"; ends {day_words(reach[1], year=True)}" if reach else ""
    lines.append(f"Moves {moved}, leaves {result.unchanged}{end}")
    return "\n".join(lines) + "\n"


@app.command()
def check(template: Path) -> None:
    """Say all that is wrong with a template file."""
    from unisequa.core.assemble import not_computed
    from unisequa.core.checks import read_template
    from unisequa.core.words import count_words
    from unisequa.formats.documents import read_file

    document = read_template(read_file(template))
    for fault in not_computed(document):
        print(f"note: {fault}", file=sys.stderr)
    print(f"{document.name}: {count_words(len(document.steps), 'step')}, nothing wrong")


@app.command()
def schema(of: Annotated[str, typer.Argument(help="template, calendar or plan")] = "template") -> None:
    """Print the JSON Schema of a format."""
    from unisequa.core.document import CalendarDocument, Model, Template
    from unisequa.core.exchange import PlanDocument
    from unisequa.formats.documents import write_json

    models: dict[str, type[Model]] = {"template": Template, "calendar": CalendarDocument, "plan": PlanDocument}
    if of not in models:
        raise DocumentError([Fault("schema", f'"{of}" is none of {", ".join(models)}')])
    sys.stdout.write(write_json(models[of].model_json_schema(by_alias=True)))


Port = Annotated[int, typer.Option(min=0, max=65535, help="the port to listen on")]
DataFolder = Annotated[Path | None, typer.Option(help="the data folder")]


@app.command()
def serve(port: Port = 8000, data: DataFolder = None) -> None:
    """Start the application on the data there is."""
    from unisequa.settings import Settings

    settings = Settings()
    if data is not None:
        settings = settings.model_copy(update={"data": data})
    _serve(settings, port, f"Unisequa on http://127.0.0.1:{port}")


@app.command()
def demo(
    port: Port = 8000,
    today: Annotated[str | None, typer.Option(metavar="DATE", help="the day taken for today")] = None,
    data: DataFolder = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="throw the demo's data away and fill it anew")] = False,
) -> None:
    """Start the application with the demo data, which is filled in once and kept."""
    import shutil

    from unisequa.settings import Settings

    day = _date(today, "--today") if today else None
    folder = data or Path("demo-data")
    if fresh and (folder / "unisequa.sqlite3").exists():
        shutil.rmtree(folder)
    settings = Settings().model_copy(
        update={"data": folder, "database_url": None, "demo": True, **({"today": day} if day else {})}
    )
    if not (folder / "unisequa.sqlite3").exists():
        from unisequa.demo.fill import fill
        from unisequa.store.engine import Store

        store = Store(settings.url)
        store.migrate()
        fill(store, settings.day())
        store.engine.dispose()
    _serve(
        settings,
        port,
        f"Quillhaven Museums on http://127.0.0.1:{port}\n"
        "Choose one of its people on the sign-in page, Ines Okafor to begin with; no password is needed.",
    )


def _serve(settings: Settings, port: int, words: str) -> None:
    import gc
    import socket

    gc.disable()  # loading makes much that stays and little that goes
    import uvicorn

    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            _refuse([f"--port: {port} is in use; stop what runs there or choose another with --port N"])
    from unisequa.web.app import create_app

    application = create_app(settings)
    gc.freeze()
    gc.enable()
    print(words, flush=True)
    uvicorn.run(application, host="127.0.0.1", port=port, log_level="warning", server_header=False)


@app.command()
def person(
    name: str,
    email: str,
    title: Annotated[str, typer.Option(help="what they do")] = "",
    data: DataFolder = None,
) -> None:
    """Add somebody who can sign in; the password is asked for."""
    from unisequa.actions.errors import Refused
    from unisequa.actions.people import add_person
    from unisequa.settings import Settings
    from unisequa.store.engine import Store

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


if __name__ == "__main__":
    main()
