"""The command line: the same core without a server, and the server's start."""

from __future__ import annotations

import sys
from typing import Annotated, NoReturn

import typer

from unisequa.core.errors import DocumentError, UnisequaError

app = typer.Typer(
    add_completion=False, no_args_is_help=True, rich_markup_mode=None, pretty_exceptions_enable=False, help=__doc__
)


def _version(asked: bool) -> None:
    if asked:
        from importlib.metadata import version

        print(f"unisequa {version('unisequa')}")
        raise typer.Exit


@app.callback()
def options(
    version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="which one")] = False,
) -> None:
    """Plan, start and shift jobs that come again and again."""


def main() -> None:
    """Run the command line; every fault is one line on standard error and exit status 2."""
    try:
        app()
    except DocumentError as error:
        refuse([str(fault) for fault in error.faults])
    except UnisequaError as error:
        refuse(str(error).splitlines())
    except ValueError as error:
        if lines := _settings_at_fault(error):
            refuse(lines)
        raise


def _settings_at_fault(error: ValueError) -> list[str]:
    """What is wrong with the settings in the environment, a line each; nothing where the error is another."""
    from pydantic import ValidationError
    from pydantic_settings import SettingsError

    if isinstance(error, SettingsError):
        name = str(error).split('"')[1] if '"' in str(error) else "a setting"
        return [f'UNISEQUA_{name.upper()}: is no JSON; a list is written ["one", "two"]']
    if isinstance(error, ValidationError) and error.title == "Settings":
        return [f"UNISEQUA_{str(one['loc'][0]).upper()}: {one['msg']}" for one in error.errors()]
    return []


def refuse(lines: list[str]) -> NoReturn:
    """Say what is at fault and end with status 2."""
    for line in lines:
        print(line, file=sys.stderr)
    raise SystemExit(2)
