"""A copy of a data folder, made while it is written to, and put back."""

from __future__ import annotations

import subprocess
import sys
import threading
from pathlib import Path

import pytest

from tests.site import Site, make_site
from unisequa.actions.templates.files import attach, keep_file
from unisequa.actions.templates.library import create_template
from unisequa.core.errors import StoreError
from unisequa.store.backups import back_up, restore, wrong_with
from unisequa.store.folder import DATABASE
from unisequa.store.queries.templates import names_seen_by
from unisequa.store.store import Store

PROGRAM = str(Path(sys.executable).with_name("unisequa"))


def names(store: Store) -> list[str]:
    with store.reading() as session:
        return [name for _, name in names_seen_by(session, 1)]


def with_file(folder: Path) -> Site:
    site = make_site(folder)
    kept = keep_file(site.store, site.person("Ada"), folder, site.template, "a.txt", b"words")
    with site.store.writing() as session:
        attach(session, site.person("Ada"), site.template, "draft", kept)
    return site


def test_a_copy_made_while_others_write_is_whole_and_comes_back(tmp_path: Path) -> None:
    data, kept = tmp_path / "data", tmp_path / "kept"
    site = with_file(data)
    over = threading.Event()

    def write() -> None:
        number = 0
        while not over.is_set():
            number += 1
            with site.store.writing() as session:
                create_template(session, site.person("Ada"), f"Made {number}")

    writer = threading.Thread(target=write)
    writer.start()
    try:
        back_up(data, kept)
    finally:
        over.set()
        writer.join()
    assert wrong_with(kept) == "" and kept.stat().st_mode & 0o077 == 0
    assert (kept / DATABASE).stat().st_mode & 0o077 == 0 and (kept / "secret").exists()
    after = names(site.store)
    site.store.engine.dispose()
    aside = restore(data, kept)
    assert aside and (aside / DATABASE).exists()
    back = names(Store(f"sqlite:///{data / DATABASE}"))
    assert back == after[: len(back)] and "Issue of the bulletin" in back
    with pytest.raises(StoreError, match="there already"):
        back_up(data, kept)


def test_what_is_not_whole_is_neither_kept_nor_restored(tmp_path: Path) -> None:
    data, kept = tmp_path / "data", tmp_path / "kept"
    site = with_file(data)
    file = next(path for path in (data / "attachments").rglob("*") if path.is_file())
    words = file.read_bytes()
    file.unlink()
    with pytest.raises(StoreError, match=r"not whole.*lacks the file"):
        back_up(data, kept)
    assert not kept.exists() and not list(tmp_path.glob("*.half"))
    file.write_bytes(words)
    back_up(data, kept)
    (kept / DATABASE).write_bytes((kept / DATABASE).read_bytes()[:3000])
    with pytest.raises(StoreError, match=r"cannot be restored.*damaged"):
        restore(data, kept)
    assert names(site.store) == ["Issue of the bulletin"]


def test_the_commands_say_what_they_did(tmp_path: Path) -> None:
    def run(*words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([PROGRAM, *words], capture_output=True, text=True, timeout=60, check=False, cwd=tmp_path)

    site = with_file(tmp_path / "data")
    site.store.engine.dispose()
    assert run("backup", "kept").stdout == "data is copied to kept\n"
    again = run("backup", "kept")
    assert (again.returncode, again.stderr) == (2, "kept is there already; name a folder that is not\n")
    assert run("restore", "kept").stdout.startswith("kept is restored to data; what was there is in data.before-")
    assert run("person", "administrator", "bela@example.org").stdout == "Bela is now an administrator\n"
    last = run("person", "deactivate", "bela@example.org", "--holding")
    assert last.returncode == 2 and "the last administrator" in last.stderr
    assert run("person", "sign-out", "ada@example.org").stdout == "Ada is signed out everywhere\n"
    gone = run("person", "deactivate", "ada@example.org", "--to", "cleo@example.org").stdout
    assert gone.endswith("Ada can no longer sign in\n") and "owns the template" in gone
    assert "nobody here has the address" in run("person", "deactivate", "no@example.org").stderr
    assert run("--version").stdout.startswith("unisequa ")


def test_a_copy_is_kept_before_tables_are_changed(tmp_path: Path) -> None:
    from unisequa.store.migrations.run import migrate

    url = f"sqlite:///{tmp_path / DATABASE}"
    migrate(url, "0007")
    Store(url).migrate()
    kept = tmp_path / f"{DATABASE}.before-upgrade-from-0007"
    assert kept.exists() and kept.stat().st_mode & 0o077 == 0
