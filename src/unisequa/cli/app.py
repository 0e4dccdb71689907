"""The command line: the same core without a server, and the server's start."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn, cast

import typer

from unisequa.core.errors import DocumentError, Fault, UnisequaError

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.includes import Library
    from unisequa.core.documents.template import Template, Wait
    from unisequa.core.plan.plan import Plan
    from unisequa.core.plan.task import Awaited
    from unisequa.core.shift.cascade import Cascade, Mode
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


def _pairs(texts: list[str] | None, option: str) -> list[tuple[str, str]]:
    from unisequa.cli.edits import pair

    found = []
    for text in texts or []:
        try:
            found.append(pair(text))
        except ValueError as error:
            raise DocumentError([Fault(option, str(error))]) from None
    return found


Calendars = Annotated[list[Path] | None, typer.Option("--calendar", help="a calendar; the first is the run's own")]
Includes = Annotated[list[Path] | None, typer.Option("--include", help="a template that this one includes")]
Elsewhere = Annotated[
    list[str] | None,
    typer.Option("--elsewhere", metavar="TEMPLATE:STEP=DATE", help="when a step waited for in another job is finished"),
]
Facts = Annotated[list[str] | None, typer.Option("--fact", metavar="KEY=VALUE", help="a fact; repeatable")]


@app.command()
def plan(
    template: Path,
    anchor: Anchors = None,
    calendar: Calendars = None,
    include: Includes = None,
    fact: Facts = None,
    elsewhere: Elsewhere = None,
    subject: Annotated[str, typer.Option(help="who or what it is about")] = "",
    deadline: Annotated[str | None, typer.Option(metavar="DATE", help="by when all should be finished")] = None,
    today: Annotated[str | None, typer.Option(metavar="DATE", help="the day taken for today")] = None,
    format_: Format = "json",
) -> None:
    """Work the dates out and print the plan."""
    from unisequa.core.plan.assemble import Occasion, assemble

    if format_ not in {"json", "text", "csv", "ics"}:
        raise DocumentError([Fault("--format", f'"{format_}" is none of json, text, csv, ics')])
    document, library = _template(template, include)
    grid = document.slots_of_time()

    def moment(text: str, option: str) -> dt.date:
        try:
            return grid.moment(grid.read(text))
        except ValueError as error:
            raise DocumentError([Fault(option, str(error))]) from None

    occasion = Occasion(
        anchors={key: moment(value, f"--anchor {key}") for key, value in _pairs(anchor, "--anchor")},
        facts=dict(_pairs(fact, "--fact")),
        subject=subject,
        calendars=_calendars(calendar),
        today=moment(today, "--today") if today else None,
        deadline=moment(deadline, "--deadline") if deadline else None,
        elsewhere=_elsewhere(
            {
                name: grid.exclusive(grid.of(moment(day, "--elsewhere")))
                for name, day in _pairs(elsewhere, "--elsewhere")
            }
        ),
    )
    _print_plan(assemble(document, occasion, library), format_)


def _template(path: Path, include: list[Path] | None) -> tuple[Template, Library]:
    from unisequa.core.documents.checks import read_template
    from unisequa.core.documents.includes import Library
    from unisequa.formats.files import read_file

    def read(path: Path) -> Template:
        content = read_file(path)
        try:
            return read_template(content)
        except DocumentError as error:
            if not include:
                raise
            raise DocumentError(Fault(f"{path.name}: {f.path}".rstrip(": "), f.message) for f in error.faults) from None

    return read(path), Library((other.stem, read(other)) for other in include or [])


def _elsewhere(finishes: Mapping[str, int]) -> Callable[[Wait, dt.date | None], Awaited]:
    """What is awaited in other jobs, by ``TEMPLATE:STEP``."""
    from unisequa.core.documents.includes import same_name
    from unisequa.core.plan.task import Awaited

    def found(wait: Wait, date: dt.date | None) -> Awaited:
        for name, finish in finishes.items():
            template, _, step = name.rpartition(":")
            if same_name(template, wait.template) and step.strip() == wait.step:
                return Awaited(wait.step, wait.template, finish)
        return Awaited(wait.step, wait.template, found=False)

    return found


def _calendars(paths: list[Path] | None) -> tuple[CalendarDocument, ...]:
    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.reading import read_document
    from unisequa.formats.files import read_file

    return tuple(read_document(CalendarDocument, read_file(path)) for path in paths or [])


def _print_plan(plan: Plan, format_: str) -> None:
    from unisequa.formats.files import json_lines
    from unisequa.formats.plan_document import plan_document

    if format_ == "json":
        sys.stdout.writelines(json_lines(plan_document(plan, one_by_one=True)))
        sys.stdout.write("\n")
    elif format_ == "csv":
        from unisequa.formats.plan_tables import plan_csv

        sys.stdout.write(plan_csv(plan))
    elif format_ == "ics":
        from unisequa.formats.icalendar import plan_ics

        sys.stdout.write(plan_ics(plan).decode())
    else:
        from unisequa.formats.plan_tables import plan_text

        sys.stdout.write(plan_text(plan))


Texts = list[str] | None


def _edit(name: str, metavar: str, words: str) -> Any:
    return typer.Option(name, metavar=metavar, help=words)


@app.command()
def cascade(
    plan: Path,
    move: Annotated[Texts, _edit("--move", "KEY=DATE", "start a task on a day")] = None,
    due: Annotated[Texts, _edit("--due", "KEY=DATE", "have a task due on a day")] = None,
    duration: Annotated[Texts, _edit("--duration", "KEY=N", "working days a task takes")] = None,
    remaining: Annotated[Texts, _edit("--remaining", "KEY=N", "working days left of a task under way")] = None,
    begun: Annotated[Texts, _edit("--begun", "KEY=DATE", "a task was begun on a day")] = None,
    done: Annotated[Texts, _edit("--done", "KEY=DATE", "a task was done on a day")] = None,
    not_done: Annotated[Texts, _edit("--not-done", "KEY", "a task is not begun or done after all")] = None,
    anchor: Annotated[Texts, _edit("--anchor", "KEY=DATE", "move an anchor; distances are kept")] = None,
    reset_anchor: Annotated[
        Texts, _edit("--reset-anchor", "KEY=DATE", "the same, back to the template's offsets")
    ] = None,
    close: Annotated[Texts, _edit("--close", "DATE[..DATE]", "days on which nobody works")] = None,
    reopen: Annotated[Texts, _edit("--reopen", "DATE[..DATE]", "closed days that are worked after all")] = None,
    link: Annotated[Texts, _edit("--link", "P:S[:TYPE[:LAG]]", "add a link; a lag ending in e is elapsed")] = None,
    unlink: Annotated[Texts, _edit("--unlink", "P:S", "remove a link")] = None,
    drop: Annotated[Texts, _edit("--drop", "KEY", "do without a task")] = None,
    fix: Annotated[Texts, _edit("--fix", "KEY=DATE", "pin a task's start to a day")] = None,
    free: Annotated[Texts, _edit("--free", "KEY", "let a fixed date move again")] = None,
    give: Annotated[Texts, _edit("--give", "KEY=CALENDAR", "have a task done by another calendar")] = None,
    shift: Annotated[str | None, _edit("--shift", "N|DATE", "move the whole run by working days, or to a day")] = None,
    catch_up: Annotated[str | None, _edit("--catch-up", "DATE", "nothing unfinished before a day")] = None,
    mode: Annotated[str, typer.Option(help="push, carry or tighten")] = "push",
    format_: Annotated[str, typer.Option("--format", help="json or text")] = "json",
) -> None:
    """Apply a shift to a printed plan and print what follows."""
    from unisequa.cli.edits import read_edits
    from unisequa.core.shift.cascade import MODES
    from unisequa.core.shift.cascade import cascade as work_out
    from unisequa.formats.files import json_lines, read_file
    from unisequa.formats.plan_document import cascade_document, read_plan

    options = {
        "--move": move, "--due": due, "--duration": duration, "--remaining": remaining, "--begun": begun,
        "--done": done, "--not-done": not_done, "--anchor": anchor, "--reset-anchor": reset_anchor,
        "--close": close, "--reopen": reopen, "--link": link, "--unlink": unlink, "--drop": drop, "--fix": fix,
        "--free": free, "--give": give, "--shift": [shift] if shift is not None else None,
        "--catch-up": [catch_up] if catch_up is not None else None,
    }  # fmt: skip
    given = {option: texts for option, texts in options.items() if texts}
    faults = []
    if mode not in MODES:
        faults.append(Fault("--mode", f'"{mode}" is none of push, carry, tighten'))
    if format_ not in {"json", "text"}:
        faults.append(Fault("--format", f'"{format_}" is none of json, text'))
    if not given:
        faults.append(Fault("cascade", "needs at least one edit, such as --move KEY=2026-08-31"))
    if faults:
        raise DocumentError(faults)
    read = read_plan(read_file(plan))
    result = work_out(read, read_edits(read, given), cast("Mode", mode))
    if format_ == "json":
        sys.stdout.writelines(json_lines(cascade_document(result)))
        sys.stdout.write("\n")
    else:
        sys.stdout.write(_cascade_text(result))


def _cascade_text(result: Cascade) -> str:
    from unisequa.core.calendars.words import count_words, difference_words, read_words, slot_words

    grid = result.plan.grid
    lines = [f"! {conflict.text}" for conflict in result.conflicts]
    for change in result.changes:
        before, after = result.read(change)
        old = read_words(*before, grid) if before else "undated"
        i = result.plan.position(change.key)
        title, day = result.plan.tasks[i].title, result.plan.network.activities[i].calendar.per_day
        difference = difference_words(change.delta, grid, day)
        lines.append(f"{title}: {old} → {read_words(*after, grid)}  {difference}  {result.reason(change)}")
    lines += [f"{result.plan.tasks[result.plan.position(key)].title}: {was} → {now}" for key, was, now in result.states]
    moved = count_words(len(result.changes), "task")
    span = result.after().span()
    end = f"; ends {slot_words(grid.inclusive(span[1]), grid, year=True)}" if span else ""
    lines.append(f"Moves {moved}, leaves {result.unchanged}{end}")
    return "\n".join(lines) + "\n"


@app.command()
def ways(
    plan: Path,
    due: Annotated[str, typer.Option(metavar="KEY=DATE", help="the task, and the day it should be finished on")],
    format_: Annotated[str, typer.Option("--format", help="text or json")] = "text",
) -> None:
    """Say what it would take to have a task finished by a day: the edits, cheapest first."""
    from unisequa.cli.edits import pair
    from unisequa.core.shift.ways import ways_to
    from unisequa.formats.files import read_file, write_json
    from unisequa.formats.plan_document import read_plan

    if format_ not in {"json", "text"}:
        raise DocumentError([Fault("--format", f'"{format_}" is none of text, json')])
    read = read_plan(read_file(plan))
    try:
        key, text = pair(due)
        day = read.grid.read(text)
    except ValueError as error:
        raise DocumentError([Fault("--due", str(error))]) from None
    found = ways_to(read, key, day)
    if format_ == "json":
        listed = [{"text": w.text, "cost": w.cost, "moves": w.moved, "finish": read.grid.iso(w.finish)} for w in found]
        sys.stdout.write(write_json({"task": key, "due": text, "ways": listed}))
    else:
        nothing = "Nothing found that would reach it.\n"
        if (dates := read.read(read.positions[key])) and dates[1] <= day:
            nothing = "It is finished by then already.\n"
        sys.stdout.write("".join(f"{way.text}\n" for way in found) or nothing)


@app.command()
def check(template: Path, include: Includes = None) -> None:
    """Say all that is wrong with a template file."""
    from unisequa.core.calendars.words import count_words
    from unisequa.core.documents.includes import whole

    document, library = _template(template, include)
    steps = len(whole(document, library).steps) if include else len(document.steps)
    print(f"{document.name}: {count_words(steps, 'step')}, nothing wrong")


@app.command()
def schema(of: Annotated[str, typer.Argument(help="template, calendar or plan")] = "template") -> None:
    """Print the JSON Schema of a format."""
    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.template import Model, Template
    from unisequa.formats.files import write_json
    from unisequa.formats.plan_document import PlanDocument

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
        from unisequa.store.store import Store

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
    uvicorn.run(
        application,
        host="127.0.0.1",
        port=port,
        log_level="warning",
        server_header=False,
        h11_max_incomplete_event_size=1 << 20,  # a panel is asked for by the keys of all that is selected
    )


@app.command()
def person(
    name: str,
    email: str,
    title: Annotated[str, typer.Option(help="what they do")] = "",
    data: DataFolder = None,
) -> None:
    """Add somebody who can sign in; the password is asked for."""
    from unisequa.actions.errors import Refused
    from unisequa.actions.people.people import add_person
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


if __name__ == "__main__":
    main()
