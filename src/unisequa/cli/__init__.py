"""The command line."""

from unisequa.cli import cascade, house, operate, plan, receiver, repeat, serve
from unisequa.cli.app import main

__all__ = ["cascade", "house", "main", "operate", "plan", "receiver", "repeat", "serve"]
