"""The tray: the shift being considered, as a decision."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from unisequa.actions.runs.shifts import Considered
from unisequa.core.calendars.words import count_words, difference_words, read_words, slots_words
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.cascade import MODES, Cascade, Mode
from unisequa.core.shift.changes import Conflict


@dataclass(frozen=True, slots=True)
class TrayRow:
    """One change in the tray."""

    key: str
    title: str
    who: str
    old: str
    new: str
    delta: str
    why: str
    edited: bool


@dataclass(frozen=True, slots=True)
class ModeChoice:
    """A mode and what the same edits would do in it."""

    mode: str
    title: str
    outcome: str
    hint: str
    chosen: bool


@dataclass(frozen=True, slots=True)
class Tray:
    """The shift being considered."""

    sentence: str
    rows: tuple[TrayRow, ...]
    conflicts: tuple[str, ...]
    people: int
    became: tuple[str, ...]
    ceased: tuple[str, ...]
    why: str
    modes: tuple[ModeChoice, ...]
    stale: str = ""


def tray(considered: Considered, why: str, stale: str) -> Tray | None:
    """What a shift would do; nothing without one."""
    result, shown = considered.result, considered.after
    if result is None:
        return None
    rows = []
    people: set[str] = set()
    named = {edit.task for edit in result.edits}
    for change in result.changes:
        task = result.plan.tasks[result.plan.position(change.key)]
        name = considered.run.tasks[task.key].who
        if name:
            people.add(name)
        before, after = result.read(change)
        grid, day = result.plan.grid, result.plan.calendars.of(task).per_day
        rows.append(
            TrayRow(
                task.key,
                task.title,
                name,
                read_words(*before, grid) if before else "undated",
                read_words(*after, grid),
                difference_words(change.delta, grid, day),
                result.reason(change),
                change.key in named,
            )
        )
    became, ceased = result.criticality(shown)
    titles = {task.key: task.title for task in shown.tasks}
    return Tray(
        _sentence(result, shown, len(people)),
        tuple(rows),
        tuple(_told(result.conflicts)),
        len(people),
        tuple(titles[key] for key in became),
        tuple(titles[key] for key in ceased),
        why,
        tuple(_mode(considered.others[mode], mode == result.mode) for mode in MODES),
        stale,
    )


def _told(conflicts: Sequence[Conflict]) -> Iterator[str]:
    """What a person should know; several targets of the template that are missed are one line."""
    targets = [conflict for conflict in conflicts if conflict.kind == "target"]
    yield from (conflict.text for conflict in conflicts if conflict.kind != "target" or len(targets) < 3)
    if len(targets) > 2:
        yield f"{len(targets)} tasks would be later than the template has them"


_HINTS: dict[Mode, str] = {
    "push": "What follows keeps its date unless a link or a day off forces it later",
    "carry": "What follows moves along by as many working days, keeping its gaps",
    "tighten": "What follows goes to the earliest place that its target and links allow",
}


def _missed(result: Cascade) -> str:
    """The gravest that a shift misses, in words."""
    kinds = {conflict.kind for conflict in result.conflicts}
    words = {"deadline": "misses a deadline", "anchor": "passes an anchor", "window": "overruns a phase"}
    return next((said for kind, said in words.items() if kind in kinds), "")


def _mode(other: Cascade, chosen: bool) -> ModeChoice:
    mode = other.mode
    later = other.plan.calendars[None].count(*other.finish)
    calendar = other.plan.calendars[None]
    end = difference_words(later, other.plan.grid, calendar.per_day) if later else "end holds"
    if missed := _missed(other):
        end = missed
    return ModeChoice(mode, mode.capitalize(), f"{len(other.changes)} move, {end}", _HINTS[mode], chosen)


def _sentence(result: Cascade, shown: Plan, people: int) -> str:
    if not result.changes:
        return "This changes no date."
    parts = [f"Moves {count_words(len(result.changes), 'task')}, leaves {result.unchanged}"]
    old, new = result.finish
    later = shown.calendars[None].count(old, new)
    if missed := _missed(result):
        parts.append(missed)
    elif later:
        parts.append(f"ends {_slots(abs(later), shown)} {'later' if later > 0 else 'earlier'}")
    else:
        parts.append("the end holds" + _slack_left(result, shown))
    parts.append("1 person affected" if people == 1 else f"{people} people affected")
    parts.append(count_words(len(result.conflicts), "conflict") if result.conflicts else "no conflict")
    return ", ".join(parts) + "."


def _slack_left(result: Cascade, shown: Plan) -> str:
    """The least slack among the tasks that move, before and after."""
    moved = [result.plan.position(change.key) for change in result.changes]
    before = [slack for i in moved if (slack := result.plan.schedule.total_slack[i]) is not None]
    after = [slack for i in moved if (slack := shown.schedule.total_slack[i]) is not None]
    if not before or not after or min(before) == min(after) or min(after) < 0:
        return ""
    was = str(min(before)) if shown.grid.per_day == 1 else _slots(min(before), shown)
    return f" with {_slots(min(after), shown)} of slack instead of {was}"


def _slots(n: int, plan: Plan) -> str:
    return slots_words(n, plan.grid, plan.calendars[None].per_day)
