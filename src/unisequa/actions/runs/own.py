"""Tasks of a run's own, which no template knows: typed, pasted, from a file, from another template; taken out again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

from unisequa.actions.access import check_may_change_run
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.seeing import run_of, task_of
from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import Grid, read_span, span_text
from unisequa.core.calendars.today import now_on
from unisequa.core.calendars.typed import typed_span
from unisequa.core.calendars.words import count_words, names_words
from unisequa.core.errors import Refused
from unisequa.core.terms import BEGUN, DAY_MINUTES, FINISHED, MOST_DAYS
from unisequa.store.documents import calendars_of
from unisequa.store.lists import bring_up
from unisequa.store.of_run import template_of_run
from unisequa.store.plans import plan_of, put_back, set_dates
from unisequa.store.queries.history import own_keys_taken_out
from unisequa.store.queries.people import active_people
from unisequa.store.store import Session, object_session
from unisequa.store.tables import LinkRow, Run, TaskRow

MOST_ADDED = 2000
MOST_IN_RUN = 100_000
NOBODY = ("", "-", "nobody")
_T = TypeVar("_T")


@dataclass(frozen=True, slots=True)
class NewTask:
    """A task as it was typed.

    Parameters
    ----------
    who : str
        The name of somebody, or of a role of the run; nobody without one.
    start : date, optional
        When it starts; without one behind what it follows, else today or the next working day.
    days : int or str
        How many working days it takes, in a job of hours how long, such as ``1h 30m``; 0 for a milestone. One day or
        half an hour where nothing is said.
    after : str
        Title or key of the task that it follows.
    effort : str
        How much work it is, such as ``4h`` or ``2h 30m``; what is not said counts for no load.
    unread : str
        What of it could not be read, in words: it is refused with them and with what else is wrong.
    """

    title: str
    who: str = ""
    start: dt.date | None = None
    days: int | str = ""
    after: str = ""
    effort: str = ""
    unread: str = ""


@dataclass(frozen=True, slots=True)
class Place:
    """Where new tasks go: in a phase, under a task, by keys."""

    phase: str = ""
    under: str = ""


def add_tasks(
    session: Session, actor: Actor, run_id: int, tasks: Sequence[NewTask], place: Place, today: dt.date
) -> list[str]:
    """Add tasks to a run, all of them or none; gives their keys. Nothing else moves: what the new ones follow holds
    them, what is planned stays where it is.

    Raises
    ------
    Refused
        Field ``lines.N`` for the N-th (from 0), ``phase``, ``under``.
    """
    run = changeable(session, actor, run_id, place)
    if not tasks or len(tasks) > MOST_ADDED or len(run.tasks) + len(tasks) > MOST_IN_RUN:
        raise Refused({"lines": f"Add between one and {MOST_ADDED:,} tasks at a time."})
    people: dict[str, list[int]] = {}
    for person in active_people(session):
        people.setdefault(person.name.casefold(), []).append(person.id)
    calendar = calendars_of(run)[None]
    known = {row.key: row for row in run.tasks}
    by_title: dict[str, list[TaskRow]] = {}
    for row in run.tasks:
        by_title.setdefault(row.title.casefold(), []).append(row)
    faults: dict[str, str] = {}
    made: list[tuple[TaskRow, TaskRow | None]] = []
    number, position = next_number(run), max((row.position for row in run.tasks), default=-1) + 1
    refused: set[str] = set()
    for n, one in enumerate(tasks):
        wrong = [one.unread] if one.unread else []
        key, after = f"own-{number + n}", "" if one.after.strip().casefold() in refused else one.after
        doer = _heard(wrong, partial(_doer, run, people, one.who))
        before = _heard(wrong, partial(_found, known, by_title, after))
        new = _heard(wrong, partial(_row, run, one, place, key, before, calendar, today))
        if wrong or doer is None or new is None:
            faults[f"lines.{n}"] = " ".join(words if words.endswith(".") else f"{words}." for words in wrong)
            refused.add(" ".join(one.title.split()).casefold())  # what follows it is not told that it is not there
            continue
        (new.role, new.assigned_id), new.position = doer, position + n
        known[new.key] = new
        by_title.setdefault(new.title.casefold(), []).append(new)
        made.append((new, before))
    if faults:
        raise Refused(faults)
    run.tasks += [row for row, _ in made]
    session.flush()
    run.links += [LinkRow(source_id=before.id, target_id=row.id) for row, before in made if before is not None]
    titles = names_words([row.title for row, _ in made[:3]])
    keep_changed(
        session, actor, run, today, f"Added {count_words(len(made), 'task')}: {titles}{' …' * (len(made) > 3)}"
    )
    return [row.key for row, _ in made]


def changeable(session: Session, actor: Actor, run_id: int, place: Place) -> Run:
    """A run that somebody may add tasks to, at a place that is there."""
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    if place.phase and place.phase not in {phase.key for phase in template_of_run(run).phases}:
        raise Refused({"phase": "This run has no such phase."})
    if place.under:
        row = next((row for row in run.tasks if row.key == place.under), None)
        if row is None:
            raise Refused({"under": "This run has no such task."})
        if row.state in FINISHED:
            raise Refused({"under": f"{row.title} is {row.state}; nothing is put under it any more."})
    return run


def next_number(run: Run) -> int:
    """The first number that no key of the run has or had: what is kept of one taken out is not another's."""
    session = object_session(run)
    gone = own_keys_taken_out(session, run.id) if session is not None else []
    keys = [row.key for row in run.tasks if row.own] + gone
    numbers = [key.removeprefix("own-").partition("-")[0] for key in keys]
    return max([int(number) for number in numbers if number.isdigit()], default=0) + 1


def _heard(wrong: list[str], what: Callable[[], _T]) -> _T | None:
    """What comes of it; where it is refused nothing, and the words with what else is ``wrong``."""
    try:
        return what()
    except Refused as error:
        wrong += error.faults.values()
        return None


def _doer(run: Run, people: Mapping[str, list[int]], who: str) -> tuple[str | None, int | None]:
    """Role and person that a name means: a role of the run by its name, else somebody's name."""
    name = " ".join(who.split()).casefold()
    if name in NOBODY:
        return None, None
    for member in run.crew:
        if name in {member.label.casefold(), member.role.casefold()}:
            return member.role, None
    for member in run.crew:
        if member.name and member.name.casefold() == name:
            return member.role, None
    found = people.get(name, [])
    if len(found) == 1:
        return None, found[0]
    said = "is nobody here and no role of this run" if not found else "is the name of several people"
    raise Refused({"who": f"“{who.strip()}” {said}."})


def _found(known: Mapping[str, TaskRow], by_title: Mapping[str, list[TaskRow]], after: str) -> TaskRow | None:
    """The task that a key or a title means."""
    text = after.strip()
    if not text:
        return None
    if text in known:
        return known[text]
    rows = by_title.get(text.casefold(), [])
    if len(rows) == 1:
        return rows[0]
    raise Refused({"after": f"“{text}” is {'no task of this run' if not rows else 'the title of several tasks'}."})


def _row(
    run: Run,
    one: NewTask,
    place: Place,
    key: str,
    before: TaskRow | None,
    calendar: WorkingCalendar,
    today: dt.date,
) -> TaskRow:
    title = " ".join(one.title.split())
    if not title:
        raise Refused({"title": "It needs a title."})
    if len(title) > 400:
        raise Refused({"title": f"“{title[:40]}…” has {len(title)} characters; 400 are the most."})
    grid, takes = calendar.grid, _slots(one.days, calendar)
    start = now_on(grid, today) if one.start is None else grid.of(one.start)
    if one.start is None and before is not None:
        start = _behind(before, grid) or start
    start = calendar.roll_forward(start)
    finish = calendar.advance(start, takes) if takes else start
    parent = next((row for row in run.tasks if row.key == place.under), None)
    row = TaskRow(
        key=key, title=title, phase=parent.phase if parent else place.phase or None,
        edge="finish" if takes else "start", parent=place.under or None, duration=takes, own=True,
        put=one.start is not None, limits=[], deadlines=[], links_out=[], state="waiting", effort=_effort(one.effort),
    )  # fmt: skip
    set_dates(row, (start, grid.inclusive(finish) if takes else start), grid)
    return row


def _effort(text: str) -> str | None:
    """How much work a task is, as it is kept."""
    word = " ".join(text.split())
    if not word:
        return None
    try:
        minutes = read_span(typed_span(f"{word}h" if word.isdigit() else word), DAY_MINUTES)
    except ValueError:
        minutes = -1
    if not 0 <= minutes <= MOST_DAYS * DAY_MINUTES:
        raise Refused({"effort": f"“{text}” is no effort; type it as 4h or 2h 30m."})
    return span_text(minutes)


def _slots(text: int | str, calendar: WorkingCalendar) -> int:
    """How long a task takes, in worked slots."""
    hours, word = calendar.grid.per_day > 1, str(text).strip().lower()
    if not hours:
        word = word.removesuffix("days").removesuffix("d").strip() or "1"
        if not word.isascii() or not word.isdigit() or int(word[:7]) > MOST_DAYS:
            raise Refused({"days": f"“{text}” is no number of working days; give between 0 and {MOST_DAYS:,}."})
        return int(word)
    try:
        slots = read_span(typed_span(word or "30m"), calendar.per_day)
    except ValueError:
        slots = -1
    if not 0 <= slots <= MOST_DAYS * calendar.per_day:
        raise Refused({"days": f"“{text}” is no length of time here; write it as 20m or 1h 30m."})
    return slots


def _behind(before: TaskRow, grid: Grid) -> int | None:
    """Where what follows a task may begin."""
    if before.finish_on is None:
        return None
    if before.minutes:
        return grid.read(before.minutes["finish"])
    return grid.day_start(before.finish_on.toordinal() + 1)


def keep_changed(
    session: Session, actor: Actor, run: Run, today: dt.date, words: str, task_key: str | None = None
) -> None:
    """Keep a run whose tasks and links are others now, and what was done in its history."""
    run.version += 1
    session.flush()
    session.expire(run, ["tasks", "links"])
    plan = plan_of(run, today, by_itself=False)
    put_back(run, plan)  # a task that has parts now spans them
    bring_up(run, today, plan)
    note(session, actor, "own tasks", words[:2000], run_id=run.id, task_key=task_key)
    session.flush()


def remove_task(session: Session, actor: Actor, run_id: int, key: str, today: dt.date) -> str:
    """Take a task of the run's own out again; gives its title. What followed it follows what it followed.

    Raises
    ------
    Refused
        Field ``state``: for a task of the template, which is dropped instead, and for one that was begun.
    """
    run = run_of(session, run_id, actor)
    check_may_change_run(run, actor)
    row = task_of(run, key)
    if not row.own:
        raise Refused({"state": f"{row.title} comes from the template; drop it, so that it is known that it was left."})
    if row.state in BEGUN or row.state in FINISHED:
        raise Refused({"state": f"{row.title} is {row.state}; what was begun stays."})
    inner = [one.title for one in run.tasks if one.parent == key]
    if inner:
        raise Refused({"state": f"{row.title} spans {names_words(inner[:3])}; take those out first."})
    before = [link.source_id for link in run.links if link.target_id == row.id]
    behind = [link.target_id for link in run.links if link.source_id == row.id]
    there = {(link.source_id, link.target_id) for link in run.links}
    run.links = [link for link in run.links if row.id not in (link.source_id, link.target_id)]
    run.links += [LinkRow(source_id=a, target_id=b) for a in before for b in behind if (a, b) not in there]
    run.tasks.remove(row)
    keep_changed(session, actor, run, today, f"{row.title}: taken out", key)
    return row.title


def in_lines(lines: Sequence[Sequence[str]], read_day: Callable[[str], dt.date | None]) -> list[NewTask]:
    """Tasks from rows of cells: title, who, start, days, follows, effort; in the order that a row of names above says.

    Empty rows are left out. A start that cannot be read is told with the task.
    """
    rows = [[cell.strip() for cell in row] for row in lines if any(cell.strip() for cell in row)]
    order = ["title", "who", "start", "days", "after", "effort"]
    if rows and (named := [_COLUMNS.get(cell.casefold(), "") for cell in rows[0]]) and "title" in named:
        order, rows = named, rows[1:]
    tasks = []
    for row in rows:
        given = {name: cell for name, cell in zip(order, row, strict=False) if name}
        wrong: list[str] = []
        day = given.pop("start", "")
        start = _heard(wrong, partial(read_day, day)) if day else None
        tasks.append(NewTask(given.pop("title", ""), start=start, unread=" ".join(wrong), **given))
    return tasks


_COLUMNS = {
    **dict.fromkeys(("title", "task", "what", "name", "step"), "title"),
    **dict.fromkeys(("effort", "work", "hours"), "effort"),
    **dict.fromkeys(("who", "role", "person", "owner"), "who"),
    **dict.fromkeys(("start", "starts", "from", "begins"), "start"),
    **dict.fromkeys(("days", "duration", "takes"), "days"),
    **dict.fromkeys(("after", "follows", "waits for"), "after"),
}
