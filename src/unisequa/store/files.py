"""Files on disk that rows name: there for good before the transaction that names them is through."""

from __future__ import annotations

import os
import secrets
from pathlib import Path


def sync_folder(folder: Path) -> None:
    """Have what a folder names be on disk."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def make_folder(folder: Path) -> None:
    """Make a folder and those above it, each of them on disk and nobody else's to read."""
    missing = []
    while not folder.exists():
        missing.append(folder)
        folder = folder.parent
    for made in reversed(missing):
        made.mkdir(mode=0o700, exist_ok=True)
        sync_folder(made.parent)


def place_of(folder: Path, digest: str) -> Path:
    """Where a file lies in the data folder, by what is in it."""
    return folder / "attachments" / digest[:2] / digest


def write_once(place: Path, content: bytes) -> None:
    """Write a file whole or not at all, and have it on disk with its name; one that is there is left.

    Raises
    ------
    OSError
        When there is no room, or nothing may be written there.
    """
    if place.exists():
        return
    make_folder(place.parent)
    half = place.with_name(f"{place.name}.{secrets.token_hex(4)}.half")
    try:
        with os.fdopen(os.open(half, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600), "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        half.replace(place)
    except BaseException:
        half.unlink(missing_ok=True)
        raise
    sync_folder(place.parent)
