"""The command line: the same core without a server, and the server's start."""

from __future__ import annotations

import sys
from typing import NoReturn

import typer

from unisequa.core.errors import DocumentError, UnisequaError

app = typer.Typer(
    add_completion=False, no_args_is_help=True, rich_markup_mode=None, pretty_exceptions_enable=False, help=__doc__
)


def main() -> None:
    """Run the command line; every fault is one line on standard error and exit status 2."""
    try:
        app()
    except DocumentError as error:
        refuse([str(fault) for fault in error.faults])
    except UnisequaError as error:
        refuse(str(error).splitlines())


def refuse(lines: list[str]) -> NoReturn:
    """Say what is at fault and end with status 2."""
    for line in lines:
        print(line, file=sys.stderr)
    raise SystemExit(2)
