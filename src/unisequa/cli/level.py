"""``unisequa level``: when everything would be done by whom, who has too much, and what would even it out."""

from __future__ import annotations

import datetime as dt
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from unisequa.cli.app import app
from unisequa.core.calendars.grid import DAYS
from unisequa.core.calendars.words import count_words, day_words, hours_words, read_words, span_words
from unisequa.core.errors import DocumentError, Fault
from unisequa.formats.files import print_json, read_file
from unisequa.formats.plan_reading import read_plan

if TYPE_CHECKING:
    from unisequa.core.people.doers import Overload
    from unisequa.core.people.levelling import Answer, RunOfWork
    from unisequa.core.people.proposals import Proposal


@app.command(name="level")
def level_(
    plans: Annotated[list[Path], typer.Argument(metavar="PLAN...", help="plans as printed; live or prepared")],
    people: Annotated[Path, typer.Option(metavar="FILE", help="who works when")],
    today: Annotated[str | None, typer.Option(metavar="DATE", help="the day taken for today")] = None,
    format_: Annotated[str, typer.Option("--format", help="json or text")] = "json",
) -> None:
    """Say when everything would be done if people did one thing after the other by urgency."""
    from unisequa.core.people.levelling import asked_of, level, overloads_of
    from unisequa.core.people.proposals import Evening
    from unisequa.formats.level_document import level_document, read_people

    if format_ not in {"json", "text"}:
        raise DocumentError([Fault("--format", f'"{format_}" is none of json, text')])
    given = read_people(read_file(people))
    read = [read_plan(read_file(path)) for path in plans]
    day = dt.date.today().toordinal()
    known = [plan.grid.day(plan.today) for plan in read if plan.today is not None]
    try:
        day = DAYS.read(today) if today else max(known, default=day)
    except ValueError as error:
        raise DocumentError([Fault("--today", str(error))]) from None
    runs = [given.work_of(plan) for plan in read]
    answer = level(runs, day)
    overloads = overloads_of(asked_of(runs, day), given.people)
    evening = Evening(runs, given.people, day, tuple(given.teams.values()))
    proposals = [(n, one) for n, overload in enumerate(overloads) for one in evening.proposals(overload)]
    if format_ == "json":
        print_json(level_document(runs, day, answer, overloads, proposals))
    else:
        sys.stdout.write("\n".join(_lines(runs, day, answer, overloads, proposals)) + "\n")


def _lines(
    runs: Sequence[RunOfWork],
    today: int,
    answer: Answer,
    overloads: Sequence[Overload],
    proposals: Sequence[tuple[int, Proposal]],
) -> list[str]:
    from unisequa.core.people.levelling import no_time

    lines = []
    for task in answer.tasks:
        plan = runs[task.run].plan
        when = read_words(task.start, task.finish, plan.grid)
        who = f"  {task.who} {hours_words(sum(task.days.values()))}" if task.who and task.days else ""
        lines.append(f"{plan.name}: {plan.tasks[task.position].title}  {when}{who}")
    for short in no_time(runs, answer, today):
        lines.append(f"! {short.title}: {short.words}")
    for n, over in enumerate(overloads):
        said = f"{hours_words(over.asked)} of {hours_words(over.has)}"
        lines.append(f"! {over.who}: {said}, {span_words(over.first, over.last)}")
        for one in (one for at, one in proposals if at == n):
            lines.append(
                f"  {one.text}: solves {hours_words(one.solves)}, changes {count_words(one.cost.tasks, 'task')}"
            )
    if answer.no_effort:
        lines.append(f"{count_words(len(answer.no_effort), 'task')}, no effort given")
    if answer.nobody:
        lines.append(f"{count_words(len(answer.nobody), 'task')} that nobody does")
    lines.append(f"As of {day_words(today)}")
    return lines
