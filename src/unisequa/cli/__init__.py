"""The command line."""

from unisequa.cli.app import main

__all__ = ["main"]
