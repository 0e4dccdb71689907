"""The command line."""

from unisequa.cli import cascade, operate, plan, serve
from unisequa.cli.app import main

__all__ = ["cascade", "main", "operate", "plan", "serve"]
