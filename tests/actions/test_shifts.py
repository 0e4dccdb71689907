"""Shifts applied to a run and taken back."""

from __future__ import annotations

from typing import Any

import pytest

from tests.plans import dates, day
from tests.site import TODAY, Site
from unisequa.actions.history import of_run
from unisequa.actions.runs import shifts
from unisequa.actions.runs.life import Becoming, set_run_state
from unisequa.actions.runs.work import act_on_task
from unisequa.core.errors import NotAllowed, NotThere, Refused, Stale
from unisequa.core.shift.edits import AddLink, Close, Drop, Duration, Edit, Fix, Free, Move, MoveAnchor, RemoveLink
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id


def apply(site: Site, *edits: Edit, who: str = "Ada", version: int = 0) -> int:
    with site.store.writing() as session:
        now = run_by_id(session, site.run).version
        return shifts.apply_shift(session, site.person(who), site.run, version or now, edits, TODAY, "why").number


def take_back(site: Site, number: int) -> None:
    with site.store.writing() as session:
        shifts.take_back(session, site.person("Ada"), site.run, number, TODAY)


def stands(site: Site) -> dict[str, tuple[str, str] | None]:
    with site.store.reading() as session:
        return dates(plan_of(run_by_id(session, site.run), TODAY))


def test_a_shift_is_kept_and_taken_back_whole(site: Site) -> None:
    before = stands(site)
    number = apply(site, Move("draft", day("2026-06-05")), Duration("print", 5))
    after = stands(site)
    assert after == before | {
        "draft": ("2026-06-05", "2026-06-08"),
        "check": ("2026-06-09", "2026-06-09"),
        "print": ("2026-06-10", "2026-06-16"),
    }
    take_back(site, number)
    assert stands(site) == before
    with site.store.reading() as session:
        assert [row.duration for row in run_by_id(session, site.run).tasks] == [2, 1, 3, 1]


def everything(site: Site) -> tuple[Any, ...]:
    """All of a run that a shift can change."""
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        tasks = [(t.key, t.state, t.fixed, t.start_on, t.finish_on, t.target_start_on, t.duration) for t in run.tasks]
        return tasks, sorted((k.source_id, k.target_id, k.lag) for k in run.links), run.anchors, run.calendars


@pytest.mark.parametrize(
    "edits",
    [
        [MoveAnchor("go", day("2026-06-08"))],
        [Close(day("2026-06-04"), day("2026-06-05"), "Flood")],
        [RemoveLink("check", "print"), AddLink("draft", "party", lag=2)],
        [Drop("print"), Fix("party", day("2026-06-20"))],
    ],
    ids=["anchor", "closure", "links", "states"],
)
def test_a_shift_of_any_kind_is_applied_and_taken_back_whole(site: Site, edits: list[Edit]) -> None:
    before = everything(site)
    number = apply(site, *edits)
    assert everything(site) != before
    take_back(site, number)
    assert everything(site) == before


def test_a_shift_from_before_records_were_kept_is_taken_back_by_its_dates(site: Site) -> None:
    before = stands(site)
    number = apply(site, Move("draft", day("2026-06-05")), Duration("print", 5))
    with site.store.writing() as session:
        run_by_id(session, site.run).shifts[0].record = None
    take_back(site, number)
    assert stands(site) == before


def test_what_was_computed_on_an_older_state_overwrites_nothing(site: Site) -> None:
    apply(site, Move("draft", day("2026-06-08")), version=1)
    state = stands(site)
    with pytest.raises(Stale) as caught:
        apply(site, Move("draft", day("2026-06-04")), version=1)
    assert caught.value.version == 2
    assert stands(site) == state


def test_a_shift_that_something_later_builds_on_stands(site: Site) -> None:
    first = apply(site, Move("draft", day("2026-06-08")))
    apply(site, Move("draft", day("2026-06-10")))
    with pytest.raises(Refused, match="Take back shift 2 first"):
        take_back(site, first)
    take_back(site, 2)
    take_back(site, first)
    with pytest.raises(Refused, match="already"):
        take_back(site, first)


def test_a_shift_stands_also_where_later_ones_came_back_to_what_it_left(site: Site) -> None:
    """Else these could never be taken back."""
    for on in ("2026-06-10", "2026-06-12", "2026-06-10"):
        apply(site, Move("print", day(on)))
    for lag in (0, 1, 0):
        apply(site, AddLink("draft", "print", lag=lag))
    for number in (1, 4):
        with pytest.raises(Refused, match="since"):
            take_back(site, number)
    for number in (6, 5, 4, 3, 2, 1):
        take_back(site, number)


def test_what_a_shift_left_where_it_stood_may_be_moved_back_without_it(site: Site) -> None:
    """A task that is put keeps its place when its anchor moves; only where it is measured to be changes."""
    before = stands(site)
    put = apply(site, Move("party", day("2026-06-22")))
    fixed = apply(site, Fix("party", day("2026-06-22")))
    moved = apply(site, MoveAnchor("go", day("2026-06-02")))
    take_back(site, fixed)
    take_back(site, put)
    take_back(site, moved)
    assert stands(site) == before


def test_a_shift_of_a_task_that_is_done_since_stands(site: Site) -> None:
    number = apply(site, Move("draft", day("2026-06-02")))
    with site.store.writing() as session:
        act_on_task(session, site.person("Ada"), site.run, "draft", "finish", TODAY)
    with pytest.raises(Refused, match="Draft is done since"):
        take_back(site, number)


def test_taking_back_never_breaks_a_link(site: Site) -> None:
    number = apply(site, Move("check", day("2026-06-10")))  # print is pushed behind it
    before = stands(site)
    later = apply(site, Move("draft", day("2026-06-05")))  # ends Mon 8, check stays on Wed 10
    with pytest.raises(Refused, match="Draft allows, so shift 1 stands"):
        take_back(site, number)
    assert stands(site) != before  # the refused one changed nothing, the later one stands
    take_back(site, later)
    take_back(site, number)


def test_only_the_keeper_and_the_owner_shift_a_run(site: Site) -> None:
    with pytest.raises(NotAllowed):
        apply(site, Move("draft", day("2026-06-08")), who="Cleo")


def test_a_shift_that_changes_nothing_is_not_kept(site: Site) -> None:
    with pytest.raises(Refused, match="changes nothing"):
        apply(site, Move("draft", day("2026-06-01")))


def test_taking_back_is_asked_counted_and_told(site: Site) -> None:
    number = apply(site, Move("draft", day("2026-06-08")))
    with site.store.writing() as session, pytest.raises(NotAllowed, match="Only Ada"):
        shifts.take_back(session, site.person("Cleo"), site.run, number, TODAY)
    take_back(site, number)
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        assert run.version == 3
        assert (run.shifts[0].taken_back_by.name, run.shifts[0].taken_back_at is not None) == ("Ada", True)
        told = [(one.who, one.text) for one in of_run(session, site.run)]
        assert told[0][0] == "Ada" and told[0][1].startswith(f"Shift {number} taken back")
    with pytest.raises(Stale):  # worked out on the version before it was taken back
        apply(site, Move("draft", day("2026-06-09")), version=2)
    with pytest.raises(NotThere, match="does not exist"):
        take_back(site, 9)


def test_a_run_that_is_over_is_not_shifted(site: Site) -> None:
    number = apply(site, Move("draft", day("2026-06-08")))
    with site.store.writing() as session:
        set_run_state(session, site.person("Ada"), site.run, Becoming("finished", "so", drop_open=True), TODAY)
    with pytest.raises(Refused, match="The run is finished; its dates no longer change"):
        apply(site, Move("draft", day("2026-06-09")))
    with pytest.raises(Refused, match="The run is finished"):
        take_back(site, number)


def test_a_task_fixed_and_freed_by_shifts_is_so_in_the_run(site: Site) -> None:
    def fixed() -> list[bool]:
        with site.store.reading() as session:
            return [row.fixed for row in run_by_id(session, site.run).tasks]

    apply(site, Fix("check", day("2026-06-10")))
    assert fixed() == [False, True, False, False]
    freed = apply(site, Free("check"))
    assert fixed() == [False] * 4
    apply(site, Duration("draft", 9))
    assert stands(site)["check"] == ("2026-06-12", "2026-06-12")
    take_back(site, freed + 1)
    take_back(site, freed)
    assert fixed() == [False, True, False, False]
