"""A template's sheet on the dates of a rehearsal: the same rows, with what a run of it would be."""

from __future__ import annotations

from typing import Any

from unisequa.actions.templates.rehearsals import Rehearsed
from unisequa.core.calendars.words import count_words, day_words, read_words, span_words
from unisequa.core.network.places import UNDATED
from unisequa.core.people.load import week_words
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.room import room_until, room_words
from unisequa.web.drawing.scale import Field, days_off

MARGIN = 5
MOST_DAYS = 1500
MOST_WARNINGS = 60

Json = dict[str, Any]


def on_dates(model: Json, rehearsal: Rehearsed) -> Json:
    """The sheet's model with the places of its steps on the calendar; or as it was, with what is missing."""
    plan = rehearsal.plan
    note: Json = {"faults": dict(rehearsal.faults), "warnings": [], "load": None, "name": "", "span": ""}
    if plan is None:
        return model | {"rehearsal": note}
    rolled = {w.task: w.text for w in rehearsal.warnings if w.kind == "rolled"}
    away = {w.task: w.text for w in rehearsal.warnings if w.kind == "away"}
    lines = []
    for line in model["lines"]:
        kept = {key: value for key, value in line.items() if key not in {"s", "at", "dr", "cr"}}
        if line["k"] in plan.positions:
            kept |= _line(plan, plan.position(line["k"]), rehearsal)
            kept |= {"rolled": rolled.get(line["k"], ""), "away": away.get(line["k"], "")}
        else:
            kept |= {"da": "not in this case", "gone": True}
        lines.append({key: value for key, value in kept.items() if value or key in {"k", "n"}})
    first, days = _reach(plan)
    note |= {
        "warnings": [warning.text for warning in rehearsal.warnings[:MOST_WARNINGS]],
        "count": len(rehearsal.warnings),
        "name": plan.name,
        "span": _span(plan),
        "load": _load(rehearsal),
        "anchors": {key: _worded(plan, day) for key, day in plan.anchors.items()},
    }
    grid, per = plan.grid, plan.grid.per_day
    return model | {
        "lines": lines,
        "anchors": [
            [
                key,
                f"{plan.labels.get(key, key)} {day_words(grid.day(day))}" if day is not None else key,
                _day(plan, day),
            ]
            for key, day in plan.anchors.items()
        ],
        "labels": [[grid.shown(day) / per if per > 1 else day, label] for day, label in plan.day_labels],
        "includes": [_include(head, plan) for head in model["includes"]],
        "first": first,
        "days": days,
        "dates": True,
        "off": days_off(Field(first, days), plan.calendars[None]),
        "today": grid.shown(plan.today) / per if plan.today is not None else None,
        "rehearsal": note,
        "fault": "",
    }


def _worded(plan: Plan, at: int | None) -> str:
    return "" if at is None else day_words(plan.grid.day(at), year=True)


def _span(plan: Plan) -> str:
    """From when to when, and how long that is."""
    span, reach = plan.span(), plan.reach()
    if span is None or reach is None:
        return ""
    if plan.grid.per_day > 1:
        return read_words(*span, plan.grid)
    return f"{span_words(*reach, year=True)}, {count_words(plan.working_days() or 0, 'working day')}"


def _day(plan: Plan, at: int | None) -> float | None:
    return None if at is None else plan.grid.shown(at) / plan.grid.per_day - (0.5 if plan.grid.per_day > 1 else 0)


def _line(plan: Plan, i: int, rehearsal: Rehearsed) -> Json:
    schedule, grid, per = plan.schedule, plan.grid, plan.grid.per_day
    dates, task = plan.read(i), plan.tasks[i]
    if dates is None or schedule.start[i] == UNDATED:
        return {"t": task.title, "da": "no date yet", "who": rehearsal.who(task.role)}
    until = room_until(plan, i)
    drift = plan.drift(i) or 0
    return {
        "t": task.title,
        "who": rehearsal.who(task.role),
        "s": [
            grid.shown(schedule.start[i]) / per if per > 1 else schedule.start[i],
            grid.shown(schedule.finish[i]) / per if per > 1 else schedule.finish[i],
        ],
        "at": dates[0] if per == 1 and schedule.start[i] == schedule.finish[i] else None,
        "da": read_words(*dates, plan.grid),
        "sl": room_words(plan, i),
        "cr": schedule.critical[i],
        "to": None if until is None else grid.shown(until) / per,
        "dr": drift // per if drift > 0 else 0,
    }


def _include(head: Json, plan: Plan) -> Json:
    inside = [i for key, i in plan.positions.items() if key.split(".", 1)[0] == head["key"] and "." in key]
    grid, per = plan.grid, plan.grid.per_day
    dated = [i for i in inside if plan.schedule.start[i] != UNDATED]
    spans = [(grid.shown(plan.schedule.start[i]) / per, grid.shown(plan.schedule.finish[i]) / per) for i in dated]
    return head | {"s": [min(a for a, _ in spans), max(b for _, b in spans)] if spans else None, "count": len(inside)}


def _reach(plan: Plan) -> tuple[int, int]:
    per = plan.grid.per_day
    reach = plan.reach()
    days = [plan.grid.day(day) for day in plan.anchors.values() if day is not None] + list(reach or ())
    if not days:
        return plan.grid.day(plan.today) if plan.today else 730000, 30
    margin = MARGIN if per == 1 else 0
    first = min(days) - margin
    first -= (first + 6) % 7 if per == 1 else 0
    return first, min(max(days) + margin + 3 - first, MOST_DAYS)


def _load(rehearsal: Rehearsed) -> Json | None:
    """People by weeks, hours asked and hours there are."""
    if not rehearsal.load:
        return None
    mondays = sorted({load.monday for load in rehearsal.load})
    people = sorted({load.who for load in rehearsal.load})
    cells = {(load.who, load.monday): load for load in rehearsal.load}

    def cell(who: str, monday: int) -> list[Any] | None:
        load = cells.get((who, monday))
        return [round(load.asked / 60, 1), round(load.has / 60), load.over] if load else None

    return {
        "weeks": [week_words(monday) for monday in mondays],
        "people": [[who, [cell(who, monday) for monday in mondays]] for who in people],
    }
