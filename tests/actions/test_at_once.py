"""Several at once: what each did stays, or they are told; the same on every database, and with two workers."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Barrier
from typing import Any

import httpx2
import pytest

from tests.site import TODAY, Site
from unisequa.actions.outbox import post
from unisequa.actions.runs.shifts import apply_shift
from unisequa.actions.templates.drafts import edit_draft
from unisequa.actions.templates.held import Upload, find_clip, find_upload, keep_clip, keep_upload, look
from unisequa.core.design.clip import Clip
from unisequa.core.design.editing import change_step
from unisequa.core.errors import Stale
from unisequa.core.shift.edits import Move
from unisequa.formats.tables_in import Table
from unisequa.settings import Settings
from unisequa.store.documents import template_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.queries.templates import template_by_id
from unisequa.store.store import Session, Store, savepoint
from unisequa.store.tables import OutboxRow


def at_once(store: Store, count: int, act: Callable[[Session, int], Any]) -> list[Any]:
    """What each of so many writers got, who all begin at the same moment."""
    ready = Barrier(count)

    def one(i: int) -> Any:
        ready.wait()
        try:
            with store.writing() as session:
                return act(session, i)
        except Stale as stale:
            return stale

    with ThreadPoolExecutor(count) as pool:
        return list(pool.map(one, range(count)))


def test_thirteen_edits_of_one_draft_all_stay(site: Site) -> None:
    ada = site.person("Ada")
    fields: list[dict[str, Any]] = [
        *({"title": f"Title {key}"} for key in "abcd"), *({"duration": n} for n in (3, 4, 5)),
        *({"instructions": f"line {key}"} for key in "abc"), *({"priority": word} for word in ("low", "high", "low")),
    ]  # fmt: skip

    def edit(session: Session, i: int) -> None:
        key = ("draft", "check", "print", "party")[i % 4]
        edit_draft(session, ada, site.template, lambda template: change_step(template, key, **fields[i]))

    assert at_once(site.store, 13, edit) == [None] * 13
    with site.store.reading() as session:
        row = template_by_id(session, site.template)
        assert row
        assert [edition.number for edition in row.editions] == [1, 2]
        steps = {step.key: step for step in template_of(row.editions[-1]).steps}
        changed = [steps[("draft", "check", "print", "party")[i % 4]] for i in range(13)]
        assert [step.title for step in changed[:4]] == [f"Title {key}" for key in "abcd"]
        assert row.editions[-1].revision == 1 + 13 - sum(_same(fields, i) for i in range(13))


def _same(fields: list[dict[str, Any]], i: int) -> bool:
    return any(fields[j] == fields[i] and j % 4 == i % 4 for j in range(i))


def test_of_four_shifts_on_one_version_one_is_applied(site: Site) -> None:
    ada = site.person("Ada")

    def shift(session: Session, i: int) -> int:
        return apply_shift(session, ada, site.run, 1, [Move("draft", TODAY.toordinal() + 7 + i)], TODAY).number

    got = at_once(site.store, 4, shift)
    assert sum(isinstance(each, Stale) for each in got) == 3 and got.count(1) == 1
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run
        assert run.version == 2 and len(run.shifts) == 1


def test_what_is_to_leave_leaves_once(site: Site) -> None:
    def tell(session: Session, i: int) -> bool:
        return post(session, "shift:1:1:ada", "shifted", {"by": i}, run_id=site.run)

    assert sorted(at_once(site.store, 4, tell)) == [False, False, False, True]
    with pytest.raises(RuntimeError), site.store.writing() as session:
        assert post(session, "shift:1:2:ada", "shifted", {})
        raise RuntimeError  # its cause fails, so nothing leaves
    with site.store.writing() as session:
        with pytest.raises(ValueError), savepoint(session):
            post(session, "shift:1:3:ada", "shifted", {})
            raise ValueError
        assert not post(session, "shift:1:1:ada", "shifted", {})
        assert [row.key for row in session.query(OutboxRow).filter_by(kind="shifted")] == ["shift:1:1:ada"]


def test_what_is_held_is_there_for_the_other_worker(site: Site) -> None:
    ada, bela, other = site.person("Ada"), site.person("Bela"), Store(site.store.url)
    clip = Clip.model_validate({"steps": [{"key": "a", "title": "A"}]})
    upload = Upload("steps.csv", table=Table(("Title",), (("A",), ("B",))))
    with site.store.writing() as session:
        keep_clip(session, ada, "one", clip)
        name = keep_upload(session, ada, upload)
        look(session, ada, site.template, "draft")
    with other.writing() as session:
        assert find_clip(session, ada, "one") == clip and find_clip(session, bela, "one") is None
        assert find_upload(session, ada, name) == upload
        assert [(here.name, here.at) for here in look(session, bela, site.template, "")] == [("Ada", "draft")]
    other.engine.dispose()


def test_two_workers_begin_on_one_empty_folder(tmp_path: Path) -> None:
    command = [Path(sys.executable).with_name("unisequa"), "serve", "--data", str(tmp_path), "--workers", "2"]
    server = subprocess.Popen([*command, "--port", "8471"], stderr=subprocess.PIPE, text=True)
    try:
        for _ in range(400):
            assert server.poll() is None, server.stderr and server.stderr.read()
            try:
                assert httpx2.get("http://127.0.0.1:8471/sign-in").status_code == 200
                break
            except httpx2.HTTPError:
                time.sleep(0.05)
        else:
            raise AssertionError("no answer")
        assert all(httpx2.get("http://127.0.0.1:8471/sign-in").status_code == 200 for _ in range(20))
        assert sorted(path.name for path in tmp_path.glob("secret*")) == ["secret"]
        assert Settings(data=tmp_path).secret()
    finally:
        server.terminate()
        server.wait()
