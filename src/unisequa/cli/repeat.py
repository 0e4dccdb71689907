"""``unisequa repeat``: the dates of a repeat rule on a working calendar."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path
from typing import Annotated

import typer

from unisequa.cli.app import app
from unisequa.core.errors import DocumentError, Fault


@app.command()
def repeat(
    rule: Annotated[Path, typer.Argument(help="the rule's file: rrule, first, working_day, roll")],
    until: Annotated[str, typer.Option(metavar="DATE", help="the last day that may be printed")],
    calendar: Annotated[Path | None, typer.Option(help="a working calendar; Monday to Friday without one")] = None,
    format_: Annotated[str, typer.Option("--format", metavar="json|text", help="how it is printed")] = "json",
) -> None:
    """Print the dates of a repeat rule, with the day from which a roll moved each."""
    from unisequa.core.calendars.words import day_words
    from unisequa.core.clock.repeat import occurrences
    from unisequa.core.documents.calendar import CalendarDocument
    from unisequa.core.documents.reading import read_document
    from unisequa.core.documents.rule import RepeatRule
    from unisequa.core.plan.calendars import Calendars
    from unisequa.formats.files import read_file, write_json

    if format_ not in {"json", "text"}:
        raise DocumentError([Fault("--format", f'"{format_}" is none of json, text')])
    try:
        last = dt.date.fromisoformat(until)
    except ValueError:
        raise DocumentError([Fault("--until", f'"{until}" is no date; write it as 2026-08-31')]) from None
    document = read_document(RepeatRule, read_file(rule))
    days = Calendars([read_document(CalendarDocument, read_file(calendar))] if calendar else [])[None]
    found = occurrences(document, days, last)
    if format_ == "text":
        for one in found:
            rolled = f", not {day_words(one.written)}" if one.rolled else ""
            print(f"{day_words(one.day, year=True)}{rolled}")
        return
    dates = [{"date": one.day.isoformat(), "from": one.written.isoformat() if one.rolled else None} for one in found]
    sys.stdout.write(write_json({"dates": dates}))
