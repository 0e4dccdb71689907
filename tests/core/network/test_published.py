"""Networks that others have published, with the figures they give."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import networkx as nx
import pytest

from tests.plans import dates, document, plan, step
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.network.activities import Activity, Dependency
from unisequa.core.network.backward import schedule
from unisequa.core.network.network import Network

PSPLIB = Path(__file__).parents[3] / ".venv" / "psplib" / "data"
EVERY_DAY = WorkingCalendar("every day", "1111111")
BASE = 739_621


def instance(name: str, form: str) -> Any:
    if not (PSPLIB / name).exists():
        pytest.skip("the source package of psplib, which carries its instances, could not be fetched")
    import psplib

    return psplib.parse(PSPLIB / name, instance_format=form)


def length_of(found: Any) -> tuple[int, int]:
    """Our length of an instance without its resources, and networkx's."""
    graph = nx.DiGraph()
    followed = {s for activity in found.activities for s in activity.successors}
    durations = [activity.modes[0].duration for activity in found.activities]
    activities = [
        Activity(str(i), n, EVERY_DAY, "start" if i not in followed else "finish", None if i in followed else BASE)
        for i, n in enumerate(durations)
    ]
    links = [Dependency(i, s) for i, activity in enumerate(found.activities) for s in activity.successors]
    for link in links:
        graph.add_edge(link.source, link.target, weight=durations[link.source])
    return schedule(Network.of(activities, links)).latest - BASE, nx.dag_longest_path_length(graph)


def test_psplib_j301_1_takes_its_mpm_time() -> None:
    found = instance("j301_1.sm", "psplib")
    text = (PSPLIB / "j301_1.sm").read_text()
    given = int(text.split("MPM-Time")[1].split()[5])  # "PROJECT INFORMATION" in the file: MPM-Time 38
    assert given == 38
    assert length_of(found) == (given, given)


def test_a_random_network_of_300_activities_is_as_long_as_networkx_says() -> None:
    ours, theirs = length_of(instance("RG300_1.rcp", "patterson"))
    assert ours == theirs


def test_st_johns_hospital_takes_69_weeks() -> None:
    """Krajewski & Ritzman, Operations Management: the St. John's Hospital project; inputs and figures from memory,
    weeks taken as days."""
    weeks = {"a": 12, "b": 9, "c": 10, "d": 10, "e": 24, "f": 10, "g": 35, "h": 40, "i": 15, "j": 4, "k": 6}
    links = ["a>c", "b>d", "b>e", "a>f", "c>g", "d>h", "a>i", "e>j", "g>j", "h>j", "f>k", "i>k", "j>k"]
    found = plan([step(key, n) for key, n in weeks.items()], *links, calendar={"week": "1111111"})
    assert found.working_days() == 69
    slack = dict(zip(weeks, found.schedule.total_slack, strict=True))
    assert slack == {"a": 2, "b": 0, "c": 2, "d": 0, "e": 26, "f": 41, "g": 2, "h": 0, "i": 36, "j": 0, "k": 0}


def test_a_ladder_of_overlapping_tasks_dates_as_the_precedence_diagram_method_says() -> None:
    """A ladder of trench work (common practice, no source): start-to-start and finish-to-finish lags of two days.

    Excavate 10, lay pipe 7, backfill 6; each may start two days behind the start of the one before it and ends two
    days behind its end at the earliest: 10, then 12, then 14 days.
    """
    rungs = [
        {"from": a, "to": b, "type": kind, "lag": 2}
        for a, b in (("dig", "lay"), ("lay", "fill"))
        for kind in ("SS", "FF")
    ]
    content = document([step("dig", 10, 0), step("lay", 7), step("fill", 6)])
    found = plan(content["steps"], calendar={"week": "1111111"}, links=rungs)
    assert dates(found) == {
        "dig": ("2026-06-01", "2026-06-10"),
        "lay": ("2026-06-06", "2026-06-12"),
        "fill": ("2026-06-09", "2026-06-14"),
    }
    assert [found.schedule.total_slack[i] for i in range(3)] == [0, 0, 0]
