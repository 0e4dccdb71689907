"""The command line."""

from unisequa.cli import cascade, house, operate, plan, serve
from unisequa.cli.app import main

__all__ = ["cascade", "house", "main", "operate", "plan", "serve"]
