"""Random histories of a run: what is kept for lists is what its tasks say, whatever was done and on whatever day."""

from __future__ import annotations

import datetime as dt
import random
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

from tests.plans import document, step
from tests.site import TODAY, Site, make_site
from unisequa.actions.checking import check_data
from unisequa.actions.runs.crew import fill_role
from unisequa.actions.runs.seeing import list_runs
from unisequa.actions.runs.shifts import apply_shift, take_back
from unisequa.actions.runs.work import Deed, act_on_tasks
from unisequa.core.errors import ActionError
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import AddLink, Close, Done, Drop, Edit, Fix, Move, MoveAnchor, NotDone, RemoveLink
from unisequa.core.shift.mending import mending
from unisequa.core.terms import FINISHED
from unisequa.core.work.readiness import readiness
from unisequa.core.work.task_states import late_by
from unisequa.store.lists import outlook_of
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import Run

KEYS = ["whole", "part", "rest", "then", "sign", "held", "last"]


def job() -> dict[str, Any]:
    rule = {"role": "lead", "by_itself": 1}
    due = {"anchor": "go", "offset": 6}
    return document(
        [
            step("whole", phase="p"), step("part", 2, 0, parent="whole", role="writer", phase="p"),
            step("rest", 1, parent="whole", phase="p", may_skip=True), step("then", 2, phase="q", deadline=due),
            step("sign", 1, role="writer", phase="q", sign_off=rule),
            step("held", 1, 3, sign_off={**rule, "until": "copies > 10"}), step("last", 0, 9, deadline=due),
        ],
        "part>rest", "whole>then", "then>sign", "sign>last",
        facts=[{"key": "copies", "label": "Copies", "kind": "number"}],
        roles=[{"key": "lead", "label": "Lead"}, {"key": "writer", "label": "Writer"}],
        phases=[{"key": "p", "label": "P"}, {"key": "q", "label": "Q"}],
    )  # fmt: skip


def edit(chance: random.Random) -> Edit:
    key, other = chance.choice(KEYS), chance.choice(KEYS)
    day = TODAY.toordinal() + chance.randrange(-6, 14)
    kinds: list[Edit] = [
        Move(key, day), Fix(key, day), Done(key, day), NotDone(key), Drop(key), MoveAnchor("go", day),
        Close(day, day + 1), AddLink(key, other), RemoveLink(key, other),
    ]  # fmt: skip
    return chance.choice(kinds)


def anything(site: Site, chance: random.Random) -> None:
    """One thing that somebody may do with the run, or is refused."""
    ada, run = site.person("Ada"), site.run
    with suppress(ActionError), site.store.writing() as session:
        match chance.randrange(7):
            case 0 | 1 | 2:
                act: Any = chance.choice(["begin", "finish", "finish", "sign off", "send back", "drop", "reopen"])
                keys = chance.sample(KEYS, chance.choice([1, 1, 2]))
                day = TODAY - dt.timedelta(days=chance.choice([0, 0, 1, 4]))
                act_on_tasks(session, ada, run, Deed(act, keys, day, "so", confirmed=True), TODAY)
            case 3 | 4:
                row = run_by_id(session, run)
                assert row
                mode: Any = chance.choice(["push", "carry", "tighten"])
                apply_shift(session, ada, run, row.version, [edit(chance)], TODAY, mode=mode)
            case 5:
                take_back(session, ada, run, chance.randrange(1, 5), TODAY)
            case _:
                who = chance.choice(["", *(str(number) for number in site.people.values())])
                fill_role(session, ada, run, chance.choice(["lead", "writer"]), who, TODAY)


def kept_as_it_is(site: Site, run: Run, plan: Plan, day: dt.date) -> None:
    leaves = [i for i in range(len(plan.tasks)) if not plan.is_parent(i)]
    with site.store.reading() as session:
        summary = list_runs(session, site.person("Ada"))[0].summary
    today, reach = day.toordinal(), plan.reach()
    assert summary.tasks == len(leaves)
    assert summary.done(today) == sum(plan.tasks[i].state in FINISHED for i in leaves)
    assert summary.late(today) == sum(late_by(plan, i) > 0 for i in range(len(plan.tasks)))
    assert summary.ends == (reach[1] if reach else None)
    if day == TODAY:
        stands = outlook_of(run, plan, readiness(plan), mending(plan))
        assert summary.standing(today)[0] == stands.standing


@pytest.mark.parametrize("seed", range(12))
def test_what_lists_say_is_what_the_tasks_say(seed: int, tmp_path: Path) -> None:
    site, chance = make_site(tmp_path, content=job()), random.Random(seed)
    for _ in range(14):
        anything(site, chance)
        with site.store.reading() as session:
            assert list(check_data(session, TODAY)) == []
            run = run_by_id(session, site.run)
            assert run
            for ahead in (0, 1, 3, 9):
                day = TODAY + dt.timedelta(days=ahead)
                kept_as_it_is(site, run, plan_of(run, day), day)
            people = {member.role: member.person_id for member in run.crew}
            for ahead in (0, 1, 3, 9):  # what is kept says on every later day what the plan says
                day = TODAY + dt.timedelta(days=ahead)
                plan = plan_of(run, day)
                for i, (row, state) in enumerate(zip(run.tasks, readiness(plan).states, strict=True)):
                    assert row.person_id == (None if plan.is_parent(i) else people.get(row.role or ""))
                    if not plan.is_parent(i) and row.state == "waiting" and state != "done":
                        assert (row.ready_on is not None and row.ready_on <= day) == (state == "ready")
    site.store.engine.dispose()


def test_what_is_no_longer_so_is_told(tmp_path: Path) -> None:
    site = make_site(tmp_path, content=job())
    with site.store.writing() as session:
        run = run_by_id(session, site.run)
        assert run
        next(row for row in run.tasks if row.key == "part").state = "done"
    with site.store.reading() as session:
        told = list(check_data(session, TODAY))
    assert any(f"rest: ready_on is None, and should be {dt.date(2026, 6, 2)}" in line for line in told), told
    assert any("summary is not what the tasks say" in line for line in told)
