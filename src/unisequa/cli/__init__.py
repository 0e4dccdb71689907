"""The command line."""

from unisequa.cli import cascade, house, level, operate, plan, receiver, repeat, serve
from unisequa.cli.app import main

__all__ = ["cascade", "house", "level", "main", "operate", "plan", "receiver", "repeat", "serve"]
