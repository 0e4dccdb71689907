"""A run of hours lives like any other: started, worked off by the clock, shifted, taken back, waited for."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.checking import check_data
from unisequa.actions.desk import desk
from unisequa.actions.runs import proposing
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.own import NewTask, Place, add_tasks
from unisequa.actions.runs.seeing import how_it_stands, see_run
from unisequa.actions.runs.shifts import apply_shift, take_back
from unisequa.actions.runs.undoing import undo
from unisequa.actions.runs.work import Acted, Deed, act_on_tasks
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates.library import keep_template
from unisequa.core.calendars.today import Today
from unisequa.core.documents.checks import read_template
from unisequa.core.errors import Refused
from unisequa.core.shift.edits import MoveAnchor
from unisequa.store.queries.runs import run_by_id
from unisequa.store.tables import Calendar

OSLO = dt.timezone(dt.timedelta(hours=2))


def at(clock: str, day: dt.date = TODAY) -> Today:
    """Today at a time that the clocks of Oslo show."""
    return Today.of(dt.datetime.combine(day, dt.time.fromisoformat(clock), OSLO).astimezone(dt.UTC))


def evening() -> dict[str, Any]:
    steps = [
        step("light", "30m", when={"anchor": "go", "offset": "-1h", "unit": "hours", "edge": "start"}, role="writer"),
        step("doors", "0m", when={"anchor": "go", "offset": "0m", "unit": "minutes"}),
        step("speech", "20m", role="editor", sign_off={"role": "lead", "by_itself": 1}),
        step("tidy", "1h", role="writer"),
    ]
    links = [{"from": "doors", "to": "speech", "lag": "15m", "unit": "elapsed"}]
    made = document(
        steps,
        "light>doors",
        "speech>tidy",
        name="Evening",
        grid="minute",
        zone="Europe/Oslo",
        calendar="evening",
        roles=[
            {"key": "lead", "label": "Lead", "fill": {"by": "keeper"}},
            {"key": "writer", "label": "Writer"},
            {"key": "editor", "label": "Editor"},
        ],
    )
    return {**made, "links": [*made["links"], *links]}


def started(site: Site, now: Today, go: dt.datetime = dt.datetime(2026, 6, 3, 18)) -> int:
    with site.store.writing() as session:
        ada, hours = site.person("Ada"), {"week": "1111111", "hours": [["12:00", "24:00"]]}
        calendar = {"format": "unisequa-calendar/1", "name": "evening", **hours}
        session.add(Calendar(name="evening", document=calendar))
        made = keep_template(session, ada, read_template(evening()), released=True).template_id
        crew = {"writer": str(site.people["Bela"]), "editor": str(site.people["Cleo"])}
        return start_run(session, ada, made, None, Choices(anchors={"go": go}, crew=crew), now)


def act(site: Site, run: int, who: str, key: str, what: Any, now: Today, **more: Any) -> Acted:
    with site.store.writing() as session:
        return act_on_tasks(session, site.person(who), run, Deed(what, [key], **more), now)


def times(site: Site, run: int, now: Today) -> dict[str, tuple[str, str, str]]:
    """Task → start and finish as the clock shows them, and its state."""
    with site.store.reading() as session:
        seen = see_run(session, site.person("Ada"), run, now)
        told = {}
        for i, task in enumerate(seen.plan.tasks):
            read = seen.plan.read(i)
            assert read
            a, b = (seen.plan.grid.iso(slot)[11:] for slot in read)
            told[task.key] = (a, b, seen.ready.states[i])
        assert not [fault for fault in check_data(session, now) if f"run {run}" in str(fault)]
        return told


def test_an_evening_is_worked_off_by_the_clock(site: Site) -> None:
    run = started(site, at("16:00"))
    assert times(site, run, at("16:30")) == {
        "light": ("17:00", "17:30", "waiting"), "doors": ("18:00", "18:00", "waiting"),
        "speech": ("18:15", "18:35", "waiting"), "tidy": ("18:35", "19:35", "waiting"),
    }  # fmt: skip
    assert times(site, run, at("17:00"))["light"][2] == "ready"
    act(site, run, "Bela", "light", "begin", at("17:05"))
    act(site, run, "Bela", "light", "finish", at("17:40"))
    assert times(site, run, at("17:59"))["light"] == ("17:05", "17:40", "done")
    assert [times(site, run, at(clock))["doors"][2] for clock in ("17:59", "18:00")] == ["ready", "done"]
    with pytest.raises(Refused, match="until a lag is over"):
        act(site, run, "Cleo", "speech", "begin", at("18:05"))
    act(site, run, "Cleo", "speech", "begin", at("18:20"))
    with pytest.raises(Refused, match="has not come yet"):
        act(site, run, "Cleo", "speech", "finish", at("18:40"), day=dt.datetime(2026, 6, 3, 18, 41))
    with pytest.raises(Refused, match="give a time"):
        act(site, run, "Cleo", "speech", "finish", at("18:40"), day=TODAY)
    act(site, run, "Cleo", "speech", "finish", at("18:50"), day=dt.datetime(2026, 6, 3, 18, 45))
    assert times(site, run, at("18:50"))["speech"] == ("18:20", "18:45", "in review")
    act(site, run, "Ada", "speech", "sign off", at("18:55"))
    assert times(site, run, at("18:55"))["tidy"][2] == "ready"
    with site.store.reading() as session:
        seen = see_run(session, site.person("Ada"), run, at("18:56"))
        assert seen.summary.done(TODAY.toordinal()) == 3
        stands = how_it_stands(seen, closely=True)
        assert stands.mending is not None, "what begins at 18:35 can do so no longer"


def test_what_is_late_is_late_by_minutes_and_the_desk_says_the_time(site: Site) -> None:
    run = started(site, at("16:00"))

    def mine(now: Today) -> tuple[str, int, str]:
        with site.store.reading() as session:
            task = next(one for one in desk(session, site.person("Bela"), now).mine if one.run_id == run)
        return task.state, task.late, task.at

    assert mine(at("16:59")) == ("waiting", 0, "17:30")
    assert mine(at("17:30")) == ("ready", 0, "17:30")
    assert mine(at("17:42")) == ("ready", 12, "17:30")
    with site.store.reading() as session:
        seen = see_run(session, site.person("Ada"), run, at("17:42"))
        assert how_it_stands(seen, closely=True).standing == "behind"
        assert how_it_stands(seen, closely=False).standing == "on time", "what is kept goes by days, and it is not over"


def test_it_is_reopened_undone_and_sent_back_to_where_it_was(site: Site) -> None:
    run = started(site, at("16:00"))
    act(site, run, "Bela", "light", "begin", at("17:10"))
    done = act(site, run, "Bela", "light", "finish", at("17:50"))
    with site.store.writing() as session:
        undo(session, site.person("Bela"), done.number, at("17:51"))
    assert times(site, run, at("17:51"))["light"] == ("17:10", "17:40", "under way")
    act(site, run, "Bela", "light", "reopen", at("17:52"))
    assert times(site, run, at("17:52"))["light"] == ("17:00", "17:30", "ready")
    act(site, run, "Bela", "light", "finish", at("17:55"))
    act(site, run, "Cleo", "speech", "finish", at("18:40"))
    act(site, run, "Ada", "speech", "send back", at("18:41"), why="The guests came late")
    assert times(site, run, at("18:41"))["speech"][2] == "under way"


def test_an_anchor_moves_to_another_time_and_back(site: Site) -> None:
    now = at("12:00")
    run = started(site, now)
    before = times(site, run, now)
    with site.store.writing() as session:
        seen = see_run(session, site.person("Ada"), run, now)
        edit = MoveAnchor("go", seen.plan.grid.read("2026-06-03T19:10"))
        made = apply_shift(session, site.person("Ada"), run, seen.version, [edit], now)
    assert times(site, run, now)["light"][:2] == ("18:10", "18:40")
    with site.store.writing() as session:
        take_back(session, site.person("Ada"), run, made.number, now)
    assert times(site, run, now) == before
    with site.store.reading() as session:
        row = run_by_id(session, run)
        assert row and row.anchors == {"go": "2026-06-03T18:00"}


def test_own_tasks_proposals_and_holding_it(site: Site) -> None:
    run, now = started(site, at("16:00")), at("16:00")
    with site.store.writing() as session:
        ada = site.person("Ada")
        new = [NewTask("Water", "Writer", dt.datetime(2026, 6, 3, 18, 20), "10m"), NewTask("Ice", after="Water")]
        add_tasks(session, ada, run, new, Place(), now)
        with pytest.raises(Refused, match="no length of time"):
            add_tasks(session, ada, run, [NewTask("Long", days="two")], Place(), now)
    told = times(site, run, now)
    assert (told["own-1"][:2], told["own-2"][:2]) == (("18:20", "18:30"), ("18:30", "19:00"))
    with site.store.writing() as session:
        bela = site.person("Bela")
        proposing.propose_for_task(session, bela, run, "tidy", now, by="20:10", left="", why="Too many chairs")
        assert [one.words for one in proposing.open_proposals(session, bela, run)] == ["Tidy by Wed 3 Jun 20:10"]
    with site.store.writing() as session:
        set_run_state(session, ada, run, Becoming("on hold", "Fire alarm"), now)
    with site.store.writing() as session:
        offer = set_run_state(session, ada, run, Becoming("live", ""), at("16:00", TODAY + dt.timedelta(days=2)))
    assert offer is not None and offer.edits == ({"edit": "shift", "by": 2},)


def test_the_night_the_clock_goes_back_its_double_hour_is_kept(site: Site) -> None:
    night = dt.date(2026, 10, 24)
    run = started(site, at("12:00", night), dt.datetime(2026, 10, 24, 23, 30))
    with site.store.writing() as session:
        seen = see_run(session, site.person("Ada"), run, at("12:00", night))
        grid = seen.plan.grid
        again = grid.read("2026-10-25T02:30+01:00")
        assert again - grid.read("2026-10-25T02:30") == 60
        add_tasks(
            session, site.person("Ada"), run, [NewTask("Wait", start=dt.datetime(2026, 10, 24, 23, 0))], Place(),
            at("12:00", night),
        )  # fmt: skip
        row = next(task for task in run_by_id(session, run).tasks if task.key == "own-1")  # type: ignore[union-attr]
        assert row.minutes and row.minutes["start"] == "2026-10-24T23:00" and row.minutes["due"] == "2026-10-24T21:30"
