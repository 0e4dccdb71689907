"""A copy of a data folder that can be put back: made while it is served, and looked over once it is written."""

from __future__ import annotations

import datetime as dt
import json
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

from unisequa.core.errors import StoreError
from unisequa.store.files import make_folder, sync_folder
from unisequa.store.folder import DATABASE, in_use

ATTACHMENTS, SECRET = "attachments", "secret"


def copy_database(source: Path, target: Path) -> None:
    """Copy a database as it is at one moment, whoever writes to it meanwhile."""
    target.touch(mode=0o600)
    with closing(sqlite3.connect(source)) as here, closing(sqlite3.connect(target)) as there:
        here.backup(there)


def wrong_with(folder: Path) -> str:
    """What is wrong with a data folder or a copy of one, in words; nothing when it is whole."""
    if not (folder / DATABASE).exists():
        return f"{folder} holds no {DATABASE}"
    try:
        with closing(sqlite3.connect(f"file:{folder / DATABASE}?mode=ro", uri=True)) as kept:
            state = kept.execute("PRAGMA integrity_check").fetchone()[0]
            documents = [row[0] for row in kept.execute("SELECT document FROM editions")]
            there = kept.execute("SELECT name FROM sqlite_master WHERE name = 'task_files'").fetchone()
            of_tasks = {row[0] for row in kept.execute("SELECT digest FROM task_files")} if there else set()
    except sqlite3.DatabaseError as error:
        return f"{folder / DATABASE} is damaged: {error}"
    if state != "ok":
        return f"{folder / DATABASE} is damaged: {state}"
    named = {
        attachment["sha256"]
        for document in documents
        for step in json.loads(document).get("steps", ())
        for attachment in step.get("attachments", ())
    }
    named |= of_tasks
    return next(
        (
            f"{folder / ATTACHMENTS} lacks the file {digest[:12]}…"
            for digest in sorted(named)
            if not (folder / ATTACHMENTS / digest[:2] / digest).exists()
        ),
        "",
    )


def back_up(data: Path, to: Path) -> None:
    """Copy the database, the attached files and the secret into a folder that is not there yet.

    Files are never changed once they are written and are written before rows name them, so the database comes first.

    Raises
    ------
    StoreError
        When there is something there already, no room, or the copy is not whole; nothing is left then.
    """
    if not (data / DATABASE).exists():
        raise StoreError(f"there is no data in {data}; name the folder that the server uses")
    if to.exists():
        raise StoreError(f"{to} is there already; name a folder that is not")
    half = to.with_name(f"{to.name}.half")
    shutil.rmtree(half, ignore_errors=True)
    try:
        make_folder(half)
        copy_database(data / DATABASE, half / DATABASE)
        if (data / ATTACHMENTS).exists():
            shutil.copytree(data / ATTACHMENTS, half / ATTACHMENTS, ignore=shutil.ignore_patterns("*.half"))
        if (data / SECRET).exists():
            shutil.copy2(data / SECRET, half / SECRET)
        if wrong := wrong_with(half):
            raise StoreError(f"the copy is not whole: {wrong}; nothing was kept of it")
        half.rename(to)
        sync_folder(to.absolute().parent)
    except OSError as error:
        raise StoreError(f"{to} cannot be written: {error.strerror}; nothing was kept of it") from error
    finally:
        shutil.rmtree(half, ignore_errors=True)


def restore(data: Path, source: Path) -> Path | None:
    """Put a copy in the place of a data folder that no server uses; gives where what was there is now.

    Raises
    ------
    StoreError
        When the copy is not whole; nothing is changed then.
    """
    if wrong := wrong_with(source):
        raise StoreError(f"this cannot be restored: {wrong}")
    new = data.with_name(f"{data.name}.restoring")
    shutil.rmtree(new, ignore_errors=True)
    aside = None
    try:
        make_folder(new)
        shutil.copytree(source, new, dirs_exist_ok=True)
        if in_use(data):
            aside = data.with_name(f"{data.name}.before-{dt.datetime.now():%Y-%m-%d-%H%M%S}")
            data.rename(aside)
        elif data.exists():
            data.rmdir()
        new.rename(data)
        sync_folder(data.absolute().parent)
    except OSError as error:
        raise StoreError(f"{data} cannot be written: {error.strerror}") from error
    return aside
