"""``unisequa cascade`` and ``ways``: a shift of a printed plan, and what would reach a date."""

from __future__ import annotations

import inspect
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, cast

import typer

from unisequa.cli.app import app
from unisequa.core.calendars.words import count_words, difference_words, read_words, slot_words
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.shift.cascade import cascade
from unisequa.core.shift.edits import Give
from unisequa.core.shift.edits.codec import OPTIONS, from_options, option_of, pair, read_all
from unisequa.core.shift.result import MODES, Cascade, Mode
from unisequa.core.shift.ways import ways_to
from unisequa.formats.cascade_document import cascade_document
from unisequa.formats.files import print_json, read_file, write_json
from unisequa.formats.plan_reading import read_plan


def _with_edits(command: Callable[..., None]) -> Callable[..., None]:
    """A command with the options of all edits, in the place of ``options``."""
    signature = inspect.signature(command, eval_str=True)
    own = [one for one in signature.parameters.values() if one.name != "options"]
    first, *rest = own
    options = [
        inspect.Parameter(
            _name(flag),
            inspect.Parameter.KEYWORD_ONLY,
            default=None,
            annotation=Annotated[list[str] | None, typer.Option(flag, metavar=option.metavar, help=option.words)],
        )
        for flag, (_, option) in OPTIONS.items()
    ]

    def with_options(**given: Any) -> None:
        texts = {flag: given.pop(_name(flag)) for flag in OPTIONS}
        command(**given, options={flag: given_texts for flag, given_texts in texts.items() if given_texts})

    keyword = [one.replace(kind=inspect.Parameter.KEYWORD_ONLY) for one in (first, *rest)]
    with_options.__signature__ = signature.replace(parameters=[keyword[0], *options, *keyword[1:]])  # type: ignore[attr-defined]
    with_options.__name__, with_options.__doc__ = command.__name__, command.__doc__
    return with_options


def _name(flag: str) -> str:
    return "edit_" + flag.removeprefix("--").replace("-", "_")


@app.command(name="cascade")
@_with_edits
def cascade_(
    plan: Path,
    options: dict[str, list[str]],
    edits: Annotated[Path | None, typer.Option(metavar="FILE", help="a list of edits as documents")] = None,
    mode: Annotated[str, typer.Option(help="push, carry or tighten")] = "push",
    people: Annotated[Path | None, typer.Option(metavar="FILE", help="who there is, to be given tasks")] = None,
    format_: Annotated[str, typer.Option("--format", help="json or text")] = "json",
) -> None:
    """Apply a shift to a printed plan and print what follows."""
    faults = []
    if mode not in MODES:
        faults.append(Fault("--mode", f'"{mode}" is none of push, carry, tighten'))
    if format_ not in {"json", "text"}:
        faults.append(Fault("--format", f'"{format_}" is none of json, text'))
    if not options and edits is None:
        faults.append(Fault("cascade", "needs at least one edit, such as --move KEY=2026-08-31"))
    if faults:
        raise DocumentError(faults)
    printed = read_plan(read_file(plan))
    made = [] if edits is None else read_all(read_file(edits), printed)
    wanted = [*made, *from_options(options, printed)]
    if people is not None:
        from unisequa.formats.level_document import read_people

        known = read_people(read_file(people)).people
        strange = [
            edit.person for edit in wanted if isinstance(edit, Give) and edit.person and edit.person not in known
        ]
        if strange:
            raise DocumentError(Fault("--give", f'no person "{one}"{did_you_mean(one, known)}') for one in strange)
    result = cascade(printed, wanted, cast("Mode", mode))
    if format_ == "json":
        print_json(cascade_document(result))
    else:
        sys.stdout.write(_cascade_text(result))


def _cascade_text(result: Cascade) -> str:
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
    if format_ not in {"json", "text"}:
        raise DocumentError([Fault("--format", f'"{format_}" is none of text, json')])
    read = read_plan(read_file(plan))
    try:
        key, text = pair(due)
        day = read.grid.read(text)
    except ValueError as error:
        raise DocumentError([Fault("--due", str(error))]) from None
    reaching = ways_to(read, key, day)
    if format_ == "json":
        listed = [
            {
                "text": w.text,
                "cost": w.cost,
                "moves": w.moved,
                "finish": read.grid.iso(w.finish),
                "edits": [part for edit in w.edits for part in option_of(edit, read.grid)],
                "mode": w.mode,
            }
            for w in reaching
        ]
        sys.stdout.write(write_json({"task": key, "due": text, "ways": listed}))
    else:
        nothing = "Nothing found that would reach it.\n"
        if (dates := read.read(read.positions[key])) and dates[1] <= day:
            nothing = "It is finished by then already.\n"
        sys.stdout.write("".join(f"{way.text} · {way.mode}\n" for way in reaching) or nothing)
