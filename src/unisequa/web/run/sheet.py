"""A run as a sheet: its rows in words, and the field as days for the script that draws it."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from unisequa.actions.runs.baselines import Against
from unisequa.actions.runs.beyond import Beyond
from unisequa.actions.runs.seeing import RunSeen
from unisequa.actions.runs.shifts import Considered
from unisequa.core.calendars.grid import MINUTES
from unisequa.core.calendars.words import DateWords, count_words, difference_words
from unisequa.core.network.places import UNDATED
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.room import room_until, room_words
from unisequa.core.plan.task import LinkOf
from unisequa.core.terms import FINISHED, State
from unisequa.core.work.task_states import late_words
from unisequa.web.drawing.marks import as_script, due_words, interval, middle, plumbs, run_span, short_words
from unisequa.web.drawing.scale import days_off, field_of, field_of_hours
from unisequa.web.run.looking import WHOLE, Look, groups, label_words
from unisequa.web.run.tray import TrayRow, change_rows

Json = dict[str, Any]


@dataclass(frozen=True, slots=True)
class TaskLine:
    """A task's row."""

    key: str
    title: str
    who: str
    role: str
    start: str
    due: str
    state: str
    slack: str
    late: str
    moved: bool
    edited: bool
    level: int = 1
    parent: bool = False
    fixed: bool = False
    number: int = 0
    was: str = ""
    would: str = ""
    delta: str = ""
    why: str = ""


@dataclass(frozen=True, slots=True)
class PhaseLine:
    """A phase's row; ``drift`` is how far its end lies behind that of a baseline."""

    label: str
    done: int
    of: int
    drift: str = ""


@dataclass(frozen=True, slots=True)
class BeyondLine:
    """A task of another run: ``waits`` says whether it waits for the row above it, else the row below waits for it."""

    beyond: str
    title: str
    run: str
    run_id: int | None
    of_key: str
    waits: bool
    due: str


@dataclass(frozen=True, slots=True)
class RideLine:
    """The tasks that merely ride with an anchor, each keeping its distance, in one row."""

    rides: int
    label: str
    delta: str


@dataclass(frozen=True, slots=True)
class FoldLine:
    """The tasks that stay, in one row."""

    stay: int


@dataclass(frozen=True, slots=True)
class RunSheet:
    """All that a sheet shows. ``field`` is what the script draws, as JSON that may stand in a page; ``first`` the day
    of its first column; ``long_dates`` whether they take room, by their year or as times on two days; ``drift`` how far
    the run's end lies behind that of the baseline that it stands ``beside``."""

    lines: tuple[PhaseLine | TaskLine | BeyondLine | RideLine | FoldLine, ...]
    field: str
    first: int
    compares: bool = False
    long_dates: bool = False
    beside: str = ""
    drift: str = ""


def run_sheet(
    considered: Considered,
    look: Look = WHOLE,
    *,
    whole: bool = False,
    beside: Against | None = None,
    beyond: Sequence[Beyond] = (),
    only: str = "",
    rides: bool = False,
) -> RunSheet:
    """The sheet of a run as it stands; while a shift is considered the table of what it changes, or ``whole``; with
    where its tasks stood by a baseline, and with tasks of other runs that hang on its. ``only`` narrows the table to
    what :func:`only_among` takes; what merely rides with an anchor folds unless ``rides``."""
    run, result, shown = considered.run, considered.result, considered.after
    plan = run.plan
    changes = {change.key for change in result.changes} if result else set()
    edited = {edit.task: n for n, edit in enumerate(considered.edits, 1)}
    compares = result is not None and not whole
    rows = {row.key: row for row in change_rows(considered)} if compares else {}
    riding = _riding(considered, rows, edited) if compares and not rides and not only else {}
    table = only_among(considered, (rows.keys() | edited.keys()) - riding.keys(), only) if compares else frozenset()
    roles = {member.role: member.label for member in run.crew}
    states = considered.ready.states

    def who(key: str) -> tuple[str, str]:
        task = run.tasks[key]
        return task.who, roles.get(task.role or "", "")

    plans = (plan,) if shown is plan else (plan, shown)
    days = [day for p in plans for i in range(len(p.tasks)) for day in p.days(i) or ()]
    days += [plan.grid.day(d) for d in plan.anchors.values() if d is not None]
    days += [day for one in beyond if (day := _near(one, days)) is not None]
    field = field_of(days) if plan.grid.per_day == 1 else field_of_hours(days)
    lines: list[PhaseLine | TaskLine | BeyondLine | RideLine | FoldLine] = []
    marks: list[Json] = []
    ties: list[list[str]] = []
    hanging: dict[tuple[str, bool], list[Beyond]] = {}
    for one in beyond:
        hanging.setdefault((one.key, one.waits), []).append(one)

    def add_beyond(key: str, *, waits: bool) -> None:
        for one in hanging.get((key, waits), ()):
            if mark := _beyond_mark(one, field.first):
                marks.append({"k": one.ref, "i": len(lines), **mark})
                ties.append([key, one.ref, "FS"] if waits else [one.ref, key, "FS"])
            lines.append(_beyond_line(one, shown.dates_in_words().of_days))

    heads: list[int] = []
    for group in groups(run, shown, states, look, frozenset(changes)):
        shown_here = [
            i for i in group.positions
            if not compares or shown.tasks[i].key in table
        ]  # fmt: skip
        if not shown_here:
            continue
        if group.label:
            worked = [i for i in group.positions if not shown.is_parent(i)]
            heads.append(len(lines))
            label = label_words(group.label, look.group)
            drift = _drift_of(shown, worked, beside.spans) if beside else ""
            lines.append(PhaseLine(label, sum(states[i] in FINISHED for i in worked), len(worked), drift))
        for i in shown_here:
            add_beyond(shown.tasks[i].key, waits=False)
            moved = shown.tasks[i].key in changes
            line = _line(shown, i, states[i], who, moved, shown.tasks[i].key in edited, nested=not look.group)
            if compares:
                line = _compared(line, rows.get(line.key), edited.get(line.key, 0), plan)
            stood = beside.spans.get(line.key) if beside else None
            if stood is not None:
                line = replace(line, slack=_drift(shown, i, stood))
            if mark := _mark(plan, shown, i, line, run.may_consider):
                base = {"bl": _drawn(shown, stood)} if stood is not None else {}
                marks.append({"k": line.key, "i": len(lines), **mark, **base})
            lines.append(line)
            add_beyond(line.key, waits=True)
    for label, keys in _by_label(riding).items():
        delta = {rows[key].delta for key in keys}
        for key in keys:
            i = shown.position(key)
            if shown.schedule.start[i] != UNDATED:
                mark = {"s": interval(shown, i), "st": states[i].replace(" ", "-"), "py": True, "rd": True}
                marks.append({"k": key, "i": len(lines), **mark})
        lines.append(RideLine(len(keys), label, next(iter(delta)) if len(delta) == 1 else ""))
    if (
        compares
        and not only
        and (stay := sum(not plan.is_parent(i) for i in range(len(plan.tasks))) - _leaves(rows, plan))
    ):
        lines.append(FoldLine(stay))
    drawn = {mark["k"] for mark in marks}
    content = {
        "first": field.first,
        "days": field.days,
        "hours": plan.grid.per_day > 1,
        "compares": compares,
        "today": None if plan.today is None else int(middle(plan, plan.today)),
        "off": days_off(field, plan.calendars[None]),
        "plumbs": plumbs(shown, run.template.day_labels),
        "was": [
            middle(plan, at) for key, at in plan.anchors.items() if at is not None and shown.anchors.get(key) != at
        ],
        "movable": run.may_consider,
        "span": run_span(shown),
        "heads": heads,
        "windows": _windows(run, shown, lines, heads) if not look.group and run.may_consider else [],
        "rows": len(lines),
        "marks": marks,
        "links": [*([k.source, k.target, k.type] for k in plan.links if not compares or _both(k, drawn)), *ties],
    }
    drifts = _drift_of(shown, range(len(shown.tasks)), beside.spans) if beside else ""
    name = beside.name if beside else ""
    return RunSheet(
        tuple(lines), as_script(content), field.first, compares, _long_dates(plan) or _long_dates(shown), name, drifts
    )


def _both(link: LinkOf, drawn: Collection[str]) -> bool:
    """Whether both ends of a link are there."""
    return link.source in drawn and link.target in drawn


def _windows(run: RunSeen, plan: Plan, lines: Sequence[object], heads: Sequence[int]) -> list[list[Any]]:
    """The windows of phases: their key, the day they begin on, the one they end before, the row."""
    keys = {phase.label: phase.key for phase in run.template.phases}
    rows = {keys[line.label]: n for n in heads if isinstance(line := lines[n], PhaseLine) and line.label in keys}
    return [
        [phase.key, phase.window[0], phase.window[1] + 1, rows[phase.key]]
        for phase in plan.phases
        if phase.window is not None and phase.key in rows
    ]


LEAST_RIDING = 3
"""So few rows do not fold."""


def _riding(considered: Considered, rows: Mapping[str, TrayRow], edited: Mapping[str | None, int]) -> dict[str, str]:
    """The tasks that merely ride with an anchor, which no edit and no conflict names → what the anchor is called."""
    result = considered.result
    assert result is not None
    named = {conflict.task for conflict in result.needs}
    found = {}
    for change in result.changes:
        task = result.plan.tasks[result.plan.position(change.key)]
        plain = change.cause == "anchor" and change.via is None and change.key in rows and result.keeps_distance(change)
        if plain and task.when is not None and change.key not in edited and change.key not in named:
            found[change.key] = result.plan.labels.get(task.when.anchor, "it")
    counts = Counter(found.values())
    return {key: label for key, label in found.items() if counts[label] >= LEAST_RIDING}


def _by_label(riding: Mapping[str, str]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for key, label in riding.items():
        found.setdefault(label, []).append(key)
    return found


def only_among(considered: Considered, keys: Iterable[str | None], only: str) -> frozenset[str]:
    """The tasks that are looked at among some: all, those that ``needs`` a person, of a person (``who:Ada``), of a
    phase (``phase:words``)."""
    kind, _, of = only.partition(":")
    known = frozenset(key for key in keys if key is not None)
    tasks = considered.run.tasks
    if kind == "who":
        return frozenset(key for key in known if tasks[key].who == of)
    if kind == "phase":
        return frozenset(key for key in known if (tasks[key].phase or "") == of)
    if kind and considered.result is not None:
        return known & {conflict.task for conflict in considered.result.needs}
    return known


NEAR = 60
"""How many days from a run's own tasks those of other runs are still drawn."""


def _near(one: Beyond, days: Sequence[int]) -> int | None:
    """The day on which a task of another run ends, where that is not far from a run's own."""
    if one.last is None or not days:
        return None
    day = one.last.toordinal()
    return day if min(days) - NEAR <= day <= max(days) + NEAR else None


def _beyond_mark(one: Beyond, first: int) -> Json | None:
    if one.last is None or one.last.toordinal() < first:
        return None
    begins, ends = _at(one.first or one.last, 0), _at(one.last, 1)
    return {"s": (max(begins, first), ends), "st": one.state.replace(" ", "-"), "py": True}


def _at(day: dt.date, whole: int) -> float:
    """Where a date begins, or ends (``whole`` 1), or a time is, in days."""
    if isinstance(day, dt.datetime):
        return day.toordinal() + (day.hour * 60 + day.minute) / MINUTES
    return day.toordinal() + whole


def _beyond_line(one: Beyond, said: DateWords) -> BeyondLine:
    due = "" if one.last is None else said[one.last.toordinal()]
    if isinstance(one.last, dt.datetime):
        due = f"{due} {one.last:%H:%M}"
    return BeyondLine(one.ref, one.title, one.run, one.run_id, one.of_key, one.waits, due)


def _drift_of(plan: Plan, positions: Iterable[int], spans: Mapping[str, tuple[int, int]]) -> str:
    """Worked slots by which the last of some tasks ends behind the last of those that a baseline knows."""
    there = [i for i in positions if not plan.is_parent(i) and plan.tasks[i].state != "dropped"]
    now = max((plan.schedule.finish[i] for i in there if plan.schedule.finish[i] != UNDATED), default=None)
    then = max((spans[plan.tasks[i].key][1] for i in there if plan.tasks[i].key in spans), default=None)
    if now is None or then is None:
        return ""
    calendar = plan.calendars[None]
    drift = calendar.count(then, now)
    return "as planned" if not drift else difference_words(drift, plan.grid, calendar.per_day)


def _drift(plan: Plan, i: int, stood: tuple[int, int]) -> str:
    """Worked slots behind where a task stood by a baseline."""
    finish = plan.schedule.finish[i]
    if finish == UNDATED:
        return "no date now"
    calendar = plan.calendars.of(plan.tasks[i])
    drift = calendar.count(stood[1], finish)
    return "as planned" if not drift else difference_words(drift, plan.grid, calendar.per_day)


def _drawn(plan: Plan, stood: tuple[int, int]) -> tuple[float, float]:
    """Where a baseline's hairline is drawn, in days."""
    if plan.grid.per_day == 1:
        return (stood[0], stood[1]) if stood[1] > stood[0] else (stood[0] - 0.5, stood[0] + 0.5)
    return middle(plan, stood[0]), middle(plan, stood[1])


def _long_dates(plan: Plan) -> bool:
    """Whether dates are so far off that they carry their year, or times lie on two days."""
    reach = plan.reach()
    if reach is None:
        return False
    return (plan.grid.per_day > 1 and reach[0] < reach[1]) or any(map(plan.dates_in_words().of_days.far, reach))


def _leaves(rows: Mapping[str, TrayRow], plan: Plan) -> int:
    return sum(not plan.is_parent(plan.position(key)) for key in rows if key in plan.positions)


def _compared(line: TaskLine, row: TrayRow | None, number: int, plan: Plan) -> TaskLine:
    """A row with where it is and where it would be."""
    if row is None:
        read = plan.read(plan.position(line.key))
        return replace(line, was=plan.dates_in_words().span(*read) if read else "undated", would="stays", number=number)
    return replace(line, was=row.old, would=row.new, delta=row.delta, why=row.why, number=number)


def _line(
    shown: Plan,
    i: int,
    state: State,
    who: Callable[[str], tuple[str, str]],
    moved: bool,
    edited: bool,
    *,
    nested: bool,
) -> TaskLine:
    task, days = shown.tasks[i], shown.read(i)
    name, role = who(task.key)
    return TaskLine(
        task.key,
        task.title,
        name,
        role,
        short_words(shown, days[0]) if days else "",
        due_words(shown, i),
        state,
        room_words(shown, i),
        late_words(shown, i),
        moved,
        edited,
        len(tuple(shown.above(i))) if nested else 1,
        shown.is_parent(i),
        task.fixed,
    )


def _mark(plan: Plan, shown: Plan, i: int, line: TaskLine, may_move: bool) -> Json | None:
    """What the row has in the field: its place in days and how it looks; without what says nothing."""
    task = shown.tasks[i]
    if shown.schedule.start[i] == UNDATED:
        return None
    mark: Json = {"s": interval(shown, i), "st": line.state.replace(" ", "-")}
    if not task.duration:
        mark |= {"ms": True, "t": line.title}
    until = room_until(shown, i) if task.state == "waiting" else None
    if until is not None:
        mark["to"] = shown.grid.day(until - 1) + 1 if shown.grid.per_day == 1 else middle(shown, until)
    if line.moved and plan.schedule.start[i] != UNDATED:
        mark["gh"] = interval(plan, i)
    flags = {
        "cr": shown.schedule.critical[i], "la": bool(line.late), "mv": line.moved,
        "g": may_move and line.state not in FINISHED, "fx": line.fixed and line.state not in FINISHED,
    }  # fmt: skip
    return mark | {name: True for name, on in flags.items() if on}


def progress_words(plan: Plan, states: Sequence[State]) -> str:
    """``9 of 23 tasks done``."""
    tasks = [states[i] for i in range(len(plan.tasks)) if not plan.is_parent(i)]
    return f"{sum(state in FINISHED for state in tasks)} of {count_words(len(tasks), 'task')} done"
