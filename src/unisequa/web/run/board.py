"""The tasks of a run by state, and laid into the weeks of a calendar: the same tasks, looked at the same way."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.runs.shifts import Considered
from unisequa.core.calendars.words import day_words
from unisequa.core.terms import FINISHED
from unisequa.core.work.task_states import late_by, late_words
from unisequa.web.drawing.marks import due_words
from unisequa.web.run.looking import STATES, Look, groups

WIDE, NARROW = 174, 74
"""Pixels of a weekday and of a day of the weekend."""
LANE, HEAD, LEAST = 20, 22, 24
MOST_WEEKS = 110


@dataclass(frozen=True, slots=True)
class Card:
    """A task in a column."""

    key: str
    title: str
    who: str
    due: str
    late: str


@dataclass(frozen=True, slots=True)
class Column:
    """A state and the tasks that are in it."""

    state: str
    cards: tuple[Card, ...]


@dataclass(frozen=True, slots=True)
class DayCell:
    """A day of a week: where it begins, what it is called, whether it is off, and whether it is today."""

    x: int
    width: int
    words: str
    off: bool
    today: bool
    anchor: str


@dataclass(frozen=True, slots=True)
class Span:
    """A task's part of a week; ``begun`` is how much of it is solid. Milestones have no width.

    ``first`` and ``last`` are the task's own days, ``ends`` says whether the last lies in this week, ``movable``
    whether it may be put elsewhere, ``moved`` whether the shift does.
    """

    key: str
    title: str
    state: str
    x: int
    y: int
    width: int
    begun: int
    late: bool
    first: int
    last: int
    ends: bool
    movable: bool
    moved: bool


@dataclass(frozen=True, slots=True)
class Week:
    """A week of the calendar from its ``monday`` on, as high as the lanes it needs."""

    monday: int
    height: int
    days: tuple[DayCell, ...]
    spans: tuple[Span, ...]
    now: bool


@dataclass(frozen=True, slots=True)
class Month:
    """The weeks from a run's first day to its last, and the tasks by state beside them."""

    weeks: tuple[Week, ...]
    states: tuple[Column, ...]
    width: int = 5 * WIDE + 2 * NARROW


def board(considered: Considered, look: Look) -> tuple[Column, ...]:
    """The tasks that are looked at, by state."""
    run, plan, states = considered.run, considered.after, considered.ready.states
    moved = _moved(considered)
    by_state: dict[str, list[int]] = {state: [] for state in STATES}
    for group in groups(run, plan, states, Look(look.show, look.text, "none", look.sort or "due"), moved):
        for i in group.positions:
            by_state[states[i]].append(i)
    columns = []
    for state, positions in by_state.items():
        cards = []
        for i in positions:
            task = run.tasks[plan.tasks[i].key]
            due = due_words(plan, i)
            cards.append(Card(task.key, task.title, task.who, due, late_words(plan, i)))
        columns.append(Column(state, tuple(cards)))
    return tuple(columns)


def _moved(considered: Considered) -> frozenset[str]:
    return frozenset(change.key for change in considered.result.changes) if considered.result else frozenset()


def month(considered: Considered, look: Look) -> Month:
    """The tasks that are looked at, in the weeks they lie in."""
    plan, states = considered.after, considered.ready.states
    columns = board(considered, look)
    spans = [
        (days[0], days[1], plan.position(card.key))
        for column in columns
        if column.state != "dropped"
        for card in column.cards
        if (days := plan.days(plan.position(card.key))) is not None
    ]
    if not spans:
        return Month((), columns)
    monday = min(first for first, _, _ in spans)
    monday -= (monday + 6) % 7
    last = max(last for _, last, _ in spans)
    spans.sort(key=lambda span: (span[0], -span[1]))
    weeks: list[Week] = []
    while monday <= last and len(weeks) < MOST_WEEKS:
        weeks.append(_week(considered, spans, monday, states))
        monday += 7
    return Month(tuple(weeks), columns)


def _x(weekday: int) -> int:
    return weekday * WIDE if weekday < 5 else 5 * WIDE + (weekday - 5) * NARROW


def _week(considered: Considered, spans: list[tuple[int, int, int]], monday: int, states: tuple[str, ...]) -> Week:
    plan = considered.after
    calendar, today = plan.calendars[None], None if plan.today is None else plan.grid.day(plan.today)
    moved = _moved(considered)
    lanes: list[int] = []
    drawn: list[Span] = []
    for first, last, i in spans:
        if last < monday or first > monday + 6:
            continue
        a, b = max(first, monday) - monday, min(last, monday + 6) - monday
        lane = next((n for n, end in enumerate(lanes) if end < a), len(lanes))
        lanes[lane : lane + 1] = [b]
        task = plan.tasks[i]
        left = _x(a) + (6 if first >= monday else 0)
        right = _x(b) + (WIDE if b < 5 else NARROW) - (6 if last <= monday + 6 else 0)
        begun = 0
        if states[i] == "under way" and today is not None:
            begun = max(0, min(right, _x(min(6, max(0, today - monday))) if today <= monday + 6 else right) - left)
        y = HEAD + lane * LANE
        movable = considered.run.may_consider and task.state not in FINISHED and not plan.is_parent(i)
        drawn.append(
            Span(task.key, task.title, states[i].replace(" ", "-"), left, y, right - left if task.duration else 0,
                 begun, late_by(plan, i) > 0, first, last, last <= monday + 6, movable, task.key in moved)
        )  # fmt: skip
    days = tuple(_day(considered, monday + n, n, first=n == 0) for n in range(7))
    off = all(not calendar.is_working_day(monday + n) for n in range(7))
    height = LEAST if off and not lanes else max(HEAD + len(lanes) * LANE + 6, 44)
    return Week(monday, height, days, tuple(drawn), today is not None and monday <= today <= monday + 6)


def _day(considered: Considered, day: int, weekday: int, *, first: bool) -> DayCell:
    plan = considered.after
    calendar, today = plan.calendars[None], None if plan.today is None else plan.grid.day(plan.today)
    words = day_words(day).split()
    number = f"{words[1]} {words[2]}" if first or words[1] == "1" else words[1]
    if name := calendar.name_of(day):
        number += f"  {name}"
    anchor = next(
        (plan.labels[key] for key, at in plan.anchors.items() if at is not None and plan.grid.day(at) == day), ""
    )
    width = WIDE if weekday < 5 else NARROW
    return DayCell(
        _x(weekday),
        width,
        number,
        not calendar.is_working_day(day),
        day == today,
        anchor,
    )
