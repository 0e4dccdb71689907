"""``unisequa plan``, ``check`` and ``schema``: a template worked out, checked, described."""

from __future__ import annotations

import datetime as dt
import gc
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from unisequa.cli.app import app
from unisequa.core.errors import DocumentError, Fault

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.includes import Library
    from unisequa.core.documents.template import Template, Wait
    from unisequa.core.plan.plan import Plan
    from unisequa.core.plan.task import Awaited

Anchors = Annotated[list[str] | None, typer.Option("--anchor", metavar="KEY=DATE", help="an anchor's date; repeatable")]
Format = Annotated[str, typer.Option("--format", help="json, text, csv or ics")]


def _pairs(texts: list[str] | None, option: str) -> list[tuple[str, str]]:
    from unisequa.core.shift.edits.codec import pair

    pairs = []
    for text in texts or []:
        try:
            pairs.append(pair(text))
        except ValueError as error:
            raise DocumentError([Fault(option, str(error))]) from None
    return pairs


Calendars = Annotated[list[Path] | None, typer.Option("--calendar", help="a calendar; the first is the run's own")]
Includes = Annotated[list[Path] | None, typer.Option("--include", help="a template that this one includes")]
FinishedElsewhere = Annotated[
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
    elsewhere: FinishedElsewhere = None,
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
    given = [document]
    del document  # so that a large one does not stay beside its plan
    _print_plan(assemble(given.pop(), occasion, library), format_)
    gc.freeze()  # the program ends here, and need not look through all it held once more


def _template(path: Path, include: list[Path] | None) -> tuple[Template, Library]:
    from unisequa.core.documents.checks import read_template
    from unisequa.core.documents.includes import Library
    from unisequa.formats.files import read_file

    gc.disable()  # a command ends soon, and looking through all it holds for circles costs a third of a large plan

    def read(path: Path) -> Template:
        content = read_file(path)
        try:
            return read_template(content, spent=True)
        except DocumentError as error:
            if not include:
                raise
            raise DocumentError(Fault(f"{path.name}: {f.path}".rstrip(": "), f.message) for f in error.faults) from None

    return read(path), Library(
        ((other.stem, read(other)) for other in include or []), remedy="give its file with --include"
    )


def _elsewhere(finishes: Mapping[str, int]) -> Callable[[Wait, dt.date | None], Awaited]:
    """What is awaited in other jobs, by ``TEMPLATE:STEP``."""
    from unisequa.core.documents.includes import same_name
    from unisequa.core.plan.task import Awaited

    def awaited(wait: Wait, date: dt.date | None) -> Awaited:
        for name, finish in finishes.items():
            template, _, step = name.rpartition(":")
            if same_name(template, wait.template) and step.strip() == wait.step:
                return Awaited(wait.step, wait.template, finish)
        return Awaited(wait.step, wait.template, found=False)

    return awaited


def _calendars(paths: list[Path] | None) -> tuple[CalendarDocument, ...]:
    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.reading import read_document
    from unisequa.formats.files import read_file

    return tuple(read_document(CalendarDocument, read_file(path)) for path in paths or [])


def _print_plan(plan: Plan, format_: str) -> None:
    from unisequa.formats.files import print_json
    from unisequa.formats.plan_document import plan_document

    if format_ == "json":
        print_json(plan_document(plan, one_by_one=True))
    elif format_ == "csv":
        from unisequa.formats.plan_tables import plan_csv

        sys.stdout.write(plan_csv(plan))
    elif format_ == "ics":
        from unisequa.formats.icalendar import plan_ics

        sys.stdout.write(plan_ics(plan).decode())
    else:
        from unisequa.formats.plan_tables import plan_text

        sys.stdout.write(plan_text(plan))


@app.command()
def check(template: Path, include: Includes = None) -> None:
    """Say all that is wrong with a template file."""
    from unisequa.core.calendars.words import count_words
    from unisequa.core.documents.checks import rolled_anew
    from unisequa.core.documents.includes import whole
    from unisequa.formats.files import read_file

    document, library = _template(template, include)
    steps = len(whole(document, library).steps) if include else len(document.steps)
    print(f"{document.name}: {count_words(steps, 'step')}, nothing wrong")
    for path, words in rolled_anew(read_file(template)):
        print(f"{path}: {words}")


@app.command()
def schema(of: Annotated[str, typer.Argument(help="template, calendar, plan, people or rule")] = "template") -> None:
    """Print the JSON Schema of a format."""
    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.people import PeopleDocument
    from unisequa.core.documents.rule import RepeatRule
    from unisequa.core.documents.template import Model, Template
    from unisequa.formats.files import write_json
    from unisequa.formats.plan_document import PlanDocument

    models: dict[str, type[Model]] = {
        "template": Template,
        "calendar": CalendarDocument,
        "plan": PlanDocument,
        "people": PeopleDocument,
        "rule": RepeatRule,
    }
    if of not in models:
        raise DocumentError([Fault("schema", f'"{of}" is none of {", ".join(models)}')])
    sys.stdout.write(write_json(models[of].model_json_schema(by_alias=True)))
