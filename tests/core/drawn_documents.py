"""Random template documents for the properties: links of all types, parents, calendars, milestones, both grids."""

from __future__ import annotations

import datetime as dt
from typing import Any

from hypothesis import strategies as st

from tests.core.checker import MINUTES, Calendar, Checker
from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.documents.checks import read_template
from unisequa.core.documents.reading import read_document
from unisequa.core.plan.assemble import Occasion, assemble
from unisequa.core.plan.plan import Plan

GO = dt.date(2026, 6, 3)  # a Wednesday
HOURS = ([["09:00", "09:03"], ["09:05", "09:07"]], [["23:57", "00:02"]], [["00:00", "00:02"], ["23:58", "24:00"]])


@st.composite
def cases(
    draw: st.DrawFn, *, minute: bool = False, least: int = 1, most: int = 12
) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """A template document and its calendars; links run from earlier steps to later ones, in any order in the list."""
    calendars = [
        {
            "name": name,
            "week": draw(st.sampled_from(["1111100", "1010101", "0111110", "1111111"])),
            "closures": [
                (GO + dt.timedelta(days=n)).isoformat() for n in draw(st.sets(st.integers(0, 25), max_size=4))
            ],
            "extra_working_days": [
                (GO + dt.timedelta(days=n)).isoformat() for n in draw(st.sets(st.integers(0, 25), max_size=2))
            ],
            **({"hours": draw(st.sampled_from(HOURS))} if minute else {}),
        }
        for name in ("one", "two")
    ]
    n, nested = draw(st.integers(least, most)), draw(st.booleans())
    keys = [f"s{i}" for i in range(n)]
    steps: list[dict[str, Any]] = []
    for i, key in enumerate(keys):
        step: dict[str, Any] = {"key": key, "title": key, "duration": draw(st.integers(0, 4))}
        if minute:
            step["duration"] = f"{step['duration'] * 2}m"
        if nested and i and draw(st.integers(0, 3)) == 0:
            parent = steps[draw(st.integers(0, i - 1))]
            if depth(steps, parent) < 3:
                step["parent"] = parent["key"]
        if draw(st.booleans()):
            step["calendar"] = draw(st.sampled_from(["one", "two"]))
        if draw(st.integers(0, 2)) == 0:
            unit = "minutes" if minute else draw(st.sampled_from(["working days", "days", "weeks"]))
            offset = draw(st.integers(-40, 3000)) if minute else draw(st.integers(-3, 6))
            step["when"] = {
                "anchor": "go",
                "offset": offset,
                "unit": unit,
                "edge": draw(st.sampled_from(["start", "finish"])),
            }
        steps.append(step)
    parents = {step.get("parent") for step in steps}
    for step in steps:
        if step["key"] in parents:
            step.pop("when", None)
    links = []
    pairs = [(a, b) for b in range(n) for a in range(b) if not related(steps, a, b)]
    fewest = 0 if nested else min(n, len(pairs))  # among parents many links would run in circles
    chosen = st.lists(st.sampled_from(pairs), unique=True, min_size=fewest, max_size=16) if pairs else st.just([])
    for a, b in draw(chosen):
        kind, unit = (
            draw(st.sampled_from(["FS", "FS", "SS", "FF", "SF"])),
            draw(st.sampled_from(["working", "elapsed"])),
        )
        lag: int | str = draw(st.integers(-3, 4))
        if minute:
            lag = f"{lag}m"
        links.append({"from": keys[a], "to": keys[b], "type": kind, "lag": lag, "unit": unit})
    order = draw(st.permutations(steps))
    template = {
        "format": "unisequa-template/1", "name": "case", "grid": "minute" if minute else "day",
        "anchors": [{"key": "go", "label": "Go"}], "steps": list(order), "links": links,
    }  # fmt: skip
    return template, calendars


def depth(steps: list[dict[str, Any]], step: dict[str, Any]) -> int:
    at = {s["key"]: s for s in steps}
    found = 1
    while step.get("parent"):
        found, step = found + 1, at[step["parent"]]
    return found


def related(steps: list[dict[str, Any]], a: int, b: int) -> bool:
    """Whether links from ``a`` to ``b`` could run in a circle through their parents."""

    def line(i: int) -> set[str]:
        at, found = {s["key"]: s for s in steps}, [steps[i]["key"]]
        while parent := at[found[-1]].get("parent"):
            found.append(parent)
        return set(found)

    parents = {s.get("parent") for s in steps}
    inner = steps[a]["key"] in parents or steps[b]["key"] in parents or len(line(a)) > 1 or len(line(b)) > 1
    return bool(line(a) & line(b)) or (inner and a % 2 == b % 2)


def planned_case(template: dict[str, Any], calendars: list[dict[str, Any]]) -> Plan:
    documents = tuple(read_document(CalendarDocument, document) for document in calendars)
    return assemble(read_template(template), Occasion(anchors={"go": GO}, calendars=documents))


def checker(template: dict[str, Any], calendars: list[dict[str, Any]]) -> Checker:
    """The rules, lags and durations as numbers, and each step's target worked out day by day."""
    minute = template["grid"] == "minute"
    made = {document["name"]: Calendar(document, minute) for document in calendars}
    number = (lambda text: int(str(text).removesuffix("m"))) if minute else int
    plain = template | {
        "steps": [step | {"duration": number(step["duration"])} for step in template["steps"]],
        "links": [link | {"lag": number(link["lag"])} for link in template["links"]],
    }
    found = Checker(plain, made, {})
    go = first_minute(GO.toordinal(), next(iter(made.values())), calendars[0]) if minute else GO.toordinal()
    followed = {link["to"] for link in template["links"]}
    for key in set(found.steps) - found.parents:
        step, calendar = found.steps[key], found.calendar(key)
        if "when" in step:
            found.floors[key] = target(go, step, calendar, minute)
        elif not any(k in followed for k in found.line(key)):
            found.floors[key] = go
    return found


def first_minute(day: int, calendar: Calendar, document: dict[str, Any]) -> int:
    """The first worked minute of a day; on a day off the one its hours would begin with."""
    minutes = range(day * MINUTES, (day + 1) * MINUTES)
    begins = document["hours"][0][0].split(":")
    return next((at for at in minutes if calendar.worked(at)), day * MINUTES + int(begins[0]) * 60 + int(begins[1]))


def target(go: int, step: dict[str, Any], calendar: Calendar, minute: bool) -> int:
    """The start boundary of a step's own date."""
    when, at_end = step["when"], step["when"]["edge"] == "finish"
    n, day = when["offset"], go
    if when["unit"] == "working days":
        while n:
            day += 1 if n > 0 else -1
            if calendar.worked(day):
                n -= 1 if n > 0 else -1
    else:
        day += n * (7 if when["unit"] == "weeks" else 1)
    slot = day - (minute and at_end)
    while not calendar.worked(slot):
        slot += 1 if when["offset"] >= 0 else -1
    if not at_end:
        return slot
    return calendar.advance(slot + 1, -step["duration"]) if step["duration"] else slot + 1
