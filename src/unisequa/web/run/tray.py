"""The tray: the shift being considered, as a decision."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from unisequa.actions.runs.reaching import Elsewhere
from unisequa.actions.runs.shifts import Considered
from unisequa.actions.runs.telling import Moved, message
from unisequa.core.calendars.grid import span_text
from unisequa.core.calendars.words import count_words, difference_words, slot_words, slots_words
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.targets import anchor_limit
from unisequa.core.plan.telling import short
from unisequa.core.shift.changes import Conflict
from unisequa.core.shift.edits import Due, Edit, Move
from unisequa.core.shift.margins import MOST_MARGINS, Margin, margin_words, margins
from unisequa.core.shift.result import MODES, Cascade, Mode
from unisequa.web.run.edit_lines import EditLine, edit_lines


@dataclass(frozen=True, slots=True)
class TrayRow:
    """One change in the tray; ``number`` is that of the edit that asks for it, if one does."""

    key: str
    title: str
    who: str
    old: str
    new: str
    delta: str
    why: str
    number: int


@dataclass(frozen=True, slots=True)
class ModeChoice:
    """A mode and what the same edits would do in it; ``same`` where that is what *push* would."""

    mode: str
    title: str
    hint: str
    chosen: bool
    same: bool
    moved: int
    ends: str
    needs: int
    later: int
    drift: str


@dataclass(frozen=True, slots=True)
class MarginLine:
    """The room to a date before and after: the date, the room in words, and whether it is short. On a short axis
    ``none`` is where no room is left, ``was`` and ``would`` where the room is and would be; None where it is free."""

    label: str
    at: str
    room: str
    short: bool
    none: float = 0
    was: float | None = None
    would: float | None = None


@dataclass(frozen=True, slots=True)
class Need:
    """Something that needs a person; ``key`` is the task it is about, ``kind`` what it is.

    ``by`` is the date by which the task would have to be done, as it is typed, where another shift may get it there;
    ``whose`` the task is.
    """

    text: str
    key: str
    kind: str
    by: str = ""
    whose: int | None = None


@dataclass(frozen=True, slots=True)
class ReachLine:
    """What the shift does in another run: its name, where it is open to one, and what happens there in words."""

    run_id: int | None
    name: str
    words: str
    asks: str


@dataclass(frozen=True, slots=True)
class Tray:
    """The shift being considered. ``later`` counts the tasks that would end later than the template has them,
    ``more_margins`` the dates to which the room changes, too, beside those that are shown, ``outside`` the parties
    whose tasks move and whom nobody tells."""

    sentence: str
    rows: tuple[TrayRow, ...]
    needs: tuple[Need, ...]
    later: tuple[str, ...]
    told: tuple[tuple[str, str], ...]
    outside: tuple[str, ...]
    became: tuple[str, ...]
    ceased: tuple[str, ...]
    why: str
    modes: tuple[ModeChoice, ...]
    margins: tuple[MarginLine, ...]
    more_margins: int
    edits: tuple[EditLine, ...]
    applies: bool
    stale: str = ""
    reached: tuple[ReachLine, ...] = ()
    reached_words: str = ""
    only: str = ""
    onlies: tuple[tuple[str, str], ...] = ()


AXIS = 60
"""Pixels of the axis on which the room to a date stands."""


def tray(considered: Considered, why: str, stale: str, only: str = "") -> Tray | None:
    """What a shift would do; nothing without one."""
    result, shown = considered.result, considered.after
    if result is None:
        return None
    rows = tuple(change_rows(considered))
    became, ceased = result.criticality(shown)
    titles = {task.key: short(task.title) for task in shown.tasks}
    targets = [one for one in result.conflicts if one.kind == "target"]
    rolled = [_rolled(edit, result) for edit in considered.edits]
    told = _told(considered, rows, why)
    rooms = margins(result.plan, shown)
    return Tray(
        _sentence(result, shown, len({row.who for row in rows if row.who})),
        rows,
        tuple(_need(one, considered) for one in result.needs),
        tuple(one.text for one in targets),
        tuple(told),
        tuple(_outside(considered, rows)),
        tuple(titles[key] for key in became),
        tuple(titles[key] for key in ceased),
        why,
        tuple(_mode(considered, mode) for mode in MODES),
        tuple(_margin(one, shown) for one in rooms[:MOST_MARGINS]),
        sum(one.changes for one in rooms[MOST_MARGINS:]),
        tuple(edit_lines(considered.edits, result.plan, rolled)),
        not result.empty,
        stale,
        tuple(_reach(one, result.plan) for one in considered.elsewhere),
        _reached_words(considered.elsewhere),
        only,
        _onlies(considered, rows),
    )


def _onlies(considered: Considered, rows: Sequence[TrayRow]) -> tuple[tuple[str, str], ...]:
    """What the lines of the table can be narrowed to: what needs a person, one person's, one phase's."""
    phases = {phase.key: phase.label for phase in considered.run.template.phases}
    of_phase = dict.fromkeys(considered.run.tasks[row.key].phase for row in rows)
    found = [(f"who:{name}", f"of {name}") for name in sorted({row.who for row in rows if row.who})]
    found += [(f"phase:{key}", f"in {phases[key]}") for key in phases if key in of_phase]
    return ("", "all lines"), ("needs", "what needs a person"), *found


def _reach(one: Elsewhere, plan: Plan) -> ReachLine:
    """``3 tasks move by themselves, ends 2 d later; 1 thing there needs a person``."""
    parts = [one.words]
    if one.later:
        unit, way = "d" if plan.grid.per_day == 1 else "min", "later" if one.later > 0 else "earlier"
        parts.append(f"{'to end' if one.asks else 'ends'} {abs(one.later)} {unit} {way}")
    if one.needs and one.moved:
        parts.append(count_words(one.needs, "thing there needs a person", "things there need a person"))
    return ReachLine(one.run_id, one.name, ", ".join(parts), one.asks)


def _reached_words(found: Sequence[Elsewhere]) -> str:
    """``2 runs that wait for this would end later``."""
    later = sum(one.later > 0 for one in found)
    if later:
        return count_words(later, "run that waits for this would end later", "runs that wait for this would end later")
    return count_words(len(found), "run that waits for this is reached", "runs that wait for this are reached")


def _rolled(edit: Edit, result: Cascade) -> str:
    """``: Fri 25 Dec is closed, so Mon 4 Jan``, where a date that was asked for is a day off."""
    if not isinstance(edit, Move | Due) or edit.key not in result.plan.positions:
        return ""
    i, grid = result.plan.position(edit.key), result.plan.grid
    got = result.read_after(i)
    if got is None or result.plan.is_parent(i):
        return ""
    at, day = got[isinstance(edit, Due)], grid.day(edit.day)
    off = not result.prepared.calendars.by_day[result.prepared.task(i).calendar].is_working_day(day)
    said = result.plan.dates_in_words()
    return f": {said.of_days[day]} is a day off, so {said[at]}" if off and at != edit.day else ""


def _need(one: Conflict, considered: Considered) -> Need:
    shown = considered.after
    at = None if one.task is None else shown.position(one.task)
    limit = None
    if at is not None and one.kind in {"deadline", "window"}:
        limit = shown.tasks[at].due_by
    elif at is not None and one.kind == "anchor":
        found = anchor_limit(shown.tasks[at], shown.anchors, shown.calendars)
        limit = found[1] if found is not None and found[0] == "F" else None
    by = "" if limit is None else shown.grid.iso(shown.grid.inclusive(limit)).replace("T", " ")
    whose = considered.run.tasks[one.task].person_id if one.task is not None and one.kind == "leave" else None
    return Need(one.text, one.task or "", one.kind, by, whose)


def _told(considered: Considered, rows: Sequence[TrayRow], why: str) -> list[tuple[str, str]]:
    """Those of ours whose tasks move, but for whoever moves them, and what they would be told."""
    by_name: dict[str, list[Moved]] = {}
    for row in rows:
        task = considered.run.tasks[row.key]
        if task.person_id is not None and not task.mine and row.old != row.new:
            by_name.setdefault(row.who, []).append(Moved(row.title, row.old, row.new))
    run = considered.run.name
    return [(name, message(run, "", why, moved)[1].partition("\n\n")[2]) for name, moved in sorted(by_name.items())]


def _outside(considered: Considered, rows: Sequence[TrayRow]) -> list[str]:
    """Those outside whose tasks move: they get what the template writes to them, and no word of a shift."""
    plan, tasks = considered.after, considered.run.tasks
    moved = [row for row in rows if row.who and row.old != row.new and not plan.is_parent(plan.position(row.key))]
    return sorted({row.who for row in moved if tasks[row.key].person_id is None and not tasks[row.key].of_team})


def change_rows(considered: Considered) -> Iterator[TrayRow]:
    """What a shift changes, a row each."""
    result = considered.result
    if result is None:
        return
    said = result.plan.dates_in_words()
    named = {edit.task: n for n, edit in enumerate(considered.edits, 1)}
    for change in result.changes:
        task = result.plan.tasks[result.plan.position(change.key)]
        before, after = result.read(change)
        grid, day = result.plan.grid, result.plan.calendars.of(task).per_day
        yield TrayRow(
            task.key,
            task.title,
            considered.run.tasks[task.key].who,
            said.span(*before) if before else "undated",
            said.span(*after),
            difference_words(change.delta, grid, day),
            result.reason(change),
            named.get(change.key, 0),
        )


def _margin(one: Margin, plan: Plan) -> MarginLine:
    at, words = margin_words(one, plan)
    low, high = min(0, one.before or 0, one.after or 0), max(1, one.before or 0, one.after or 0)

    def place(slots: int | None) -> float | None:
        return None if slots is None else round(AXIS * (slots - low) / (high - low), 1)

    short = one.after is not None and one.after < 0
    return MarginLine(one.label, at, words, short, place(0) or 0, place(one.before), place(one.after))


_HINTS: dict[Mode, str] = {
    "push": "What follows keeps its date unless a link or a day off forces it later",
    "carry": "What follows moves along by as many working days, keeping its gaps",
    "tighten": "What follows goes to the earliest place that its target and links allow",
}


def _missed(result: Cascade) -> str:
    """The gravest that a shift misses, in words."""
    missed = Counter(conflict.kind for conflict in result.conflicts)
    many = missed["deadline"]
    words = {
        "deadline": "misses a deadline" if many == 1 else f"misses {many} deadlines",
        "anchor": "passes an anchor",
        "window": "overruns a phase",
    }
    return next((said for kind, said in words.items() if missed[kind]), "")


def _mode(considered: Considered, mode: Mode) -> ModeChoice:
    other, push = considered.others[mode], considered.others["push"]
    plan, calendar = other.plan, other.plan.calendars[None]
    read = plan.grid.inclusive(other.finish[1])
    drift = sum(abs(change.delta) for change in other.changes)
    return ModeChoice(
        mode,
        mode.capitalize(),
        _HINTS[mode],
        considered.result is not None and considered.result.mode == mode,
        mode != "push" and other.changes == push.changes,
        len(other.changes),
        slot_words(read, plan.grid, year=True) if other.finish[1] > plan.grid.first else "",
        len(other.needs),
        sum(one.kind == "target" for one in other.conflicts),
        f"{drift:,} d" if plan.grid.per_day == 1 else span_text(drift, calendar.per_day),
    )


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
    needs = len(result.needs)
    needing = "1 thing needs a person" if needs == 1 else f"{needs} things need a person"
    parts.append(needing if needs else "nothing needs a person")
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
