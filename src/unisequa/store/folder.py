"""The data folder: whose it is, what is in it, and that one server uses it at a time."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path

from unisequa.core.errors import StoreError
from unisequa.store.files import make_folder, write_once

DATABASE = "unisequa.sqlite3"
DEMO_MARK = "this-is-a-demo"


def is_demo(folder: Path) -> bool:
    """Whether a folder was filled as a demo's."""
    return (folder / DEMO_MARK).exists()


def mark_demo(folder: Path) -> None:
    """Say that a folder is a demo's, before anything is put into it."""
    write_once(folder / DEMO_MARK, b"Sample data: `unisequa demo --fresh` throws all of this folder away.\n")


def in_use(folder: Path) -> bool:
    """Whether there is data in a folder, of whatever kind."""
    return folder.exists() and any(folder.iterdir())


def take(folder: Path) -> int:
    """Use a folder as its only server, until the process ends; gives the open file that holds it.

    Raises
    ------
    StoreError
        When another server uses it, or it cannot be used.
    """
    try:
        make_folder(folder)
        handle = os.open(folder / "serving.lock", os.O_CREAT | os.O_RDWR, 0o600)
    except OSError as error:
        raise StoreError(f"the data folder {folder} cannot be used: {error.strerror}") from error
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        raise StoreError(f"another server uses {folder}; stop it, or give this one a folder of its own") from None
    return handle
