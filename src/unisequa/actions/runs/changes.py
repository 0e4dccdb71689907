"""What a change of a run means to people, told once: who may begin now, what was given or taken away, what waits for a
sign-off, which phase closed. Worked out from how the run stood before and stands after, whatever was done."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from unisequa.actions.happening import Happening, happened
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.hooking import hook
from unisequa.core.calendars.words import count_words
from unisequa.core.terms import FINISHED
from unisequa.store.documents import grid_of_run
from unisequa.store.minutes import has_come
from unisequa.store.new_tasks import AnyTask, NewTask
from unisequa.store.queries.people import people_by_id, teams_by_id
from unisequa.store.store import Session
from unisequa.store.tables import Person, Run

MOST_LINES = 40
Whose = Callable[["TaskStood"], int | None]
Said = tuple[str, str]
"""What is said of one task, and of several."""


@dataclass(frozen=True, slots=True)
class TaskStood:
    """How a task stood: its state, ready shown as such, and whose it is."""

    title: str
    state: str
    person: int | None
    team: int | None
    signer: int | None
    did: int | None
    phase: str | None
    due: dt.date | None


@dataclass(frozen=True, slots=True)
class Stood:
    """How a run stood: its state, its tasks without those that only span others, the phases that are closed."""

    state: str
    tasks: Mapping[str, TaskStood]
    closed: frozenset[str]

    @property
    def opened(self) -> frozenset[str]:
        """The phases of which a task is ready, begun or over."""
        return frozenset(one.phase for one in self.tasks.values() if one.phase and one.state in _OPENS)

    @property
    def all_over(self) -> bool:
        """Whether no task is open."""
        return all(task.state in FINISHED for task in self.tasks.values())


def as_it_stands(run: Run, today: dt.date, new: Sequence[NewTask] | None = None) -> Stood:
    """How a run stands by its rows; ``new`` are its tasks where they have only now become rows."""
    rows: Sequence[AnyTask] = run.tasks if new is None else new
    parents = {row.parent for row in rows}
    tasks = {row.key: _stands(row, today) for row in rows if row.key not in parents}
    return Stood(run.state, tasks, frozenset(phase.key for phase in run.phases if phase.over == phase.tasks))


def _stands(row: AnyTask, today: dt.date) -> TaskStood:
    ready = row.state == "waiting" and has_come(row.ready_on, row.minutes, "ready", today)
    state = "ready" if ready else row.state
    return TaskStood(
        row.title, state, row.person_id, row.team_id, row.signer_id, row.done_by_id, row.phase, row.finish_on
    )  # fmt: skip


def tell_changes(
    session: Session,
    actor: Actor,
    run: Run,
    before: Stood,
    today: dt.date,
    cause: str = "",
    why: str = "",
    after: Stood | None = None,
) -> Stood:
    """Tell everybody but whoever did it what a change means to them; gives how the run stands now.

    Parameters
    ----------
    cause : str
        What was done, in words.
    why : str
        The reason that was given.
    after : Stood, optional
        How it stands now, where that is known.
    """
    after = after or as_it_stands(run, today)
    events = list(_events(before, after, today))
    happened(session, run, events, today)
    hook(session, run, events)
    told = _Told(session, actor, run, cause, why)
    if run.state == "live":
        told.begin(before, after)
        if before.state == "live":
            told.given(before, after)
        told.reviewed(before, after)
        told.to_keeper(before, after)
    elif before.state == "live" and run.state == "called off":
        told.called_off(before)
    elif before.state == "live" and run.state == "finished":
        told.finished()
    return after


_OPENS = frozenset({"ready", "under way", "in review", "done"})
_BECAME = {"ready": "task ready", "under way": "task begun", "done": "task done", "dropped": "task dropped"}


def _events(before: Stood, after: Stood, today: dt.date) -> Iterator[Happening]:
    """What a change is to hand-offs: of the run, its phases, its tasks."""
    if before.state != after.state:
        name = {"live": "run opened", "finished": "run finished", "called off": "run called off"}.get(after.state)
        if name is not None and not (name == "run opened" and before.state in {"on hold", "finished"}):
            yield Happening(name, "", today)
    if after.state not in {"live", "finished"}:
        return
    was = before if before.state in {"live", "finished"} else Stood("", {}, frozenset())
    for phase in sorted(after.opened - was.opened):
        yield Happening("phase opens", phase, today)
    for phase in sorted(after.closed - was.closed) if was.state else ():
        yield Happening("phase closes", phase, today)
    for key, task in after.tasks.items():
        old = was.tasks[key].state if key in was.tasks else ""
        due = was.tasks[key].due if key in was.tasks else task.due  # once it is done it stands where it was done
        if old == task.state:
            continue
        if old == "in review" and task.state in {"under way", "ready"}:
            yield Happening("task sent back", key, today, due)
        elif task.state in _BECAME and (was.state or task.state == "ready"):
            yield Happening(_BECAME[task.state], key, today, due)


class _Told:
    """Whom what is told; all words of one change share the beginning of their keys, by which they are taken back."""

    def __init__(self, session: Session, actor: Actor, run: Run, cause: str, why: str) -> None:
        self.session, self.actor, self.run, self.cause, self.why = session, actor, run, cause, why
        self.now = grid_of_run(run).per_day > 1

    def begin(self, before: Stood, after: Stood) -> None:
        """Who can begin what now, and what lies in a queue."""
        fresh = {
            key: task
            for key, task in after.tasks.items()
            if task.state == "ready" and (before.state != "live" or self._was(before, key) != "ready")
        }
        self._told_each("ready", fresh, lambda task: task.person, ("can begin", "can begin"))
        teams = teams_by_id(self.session, {task.team for task in fresh.values() if task.team})
        for number, team in teams.items():
            own = {key: task for key, task in fresh.items() if task.team == number and not task.person}
            for person in team.members:
                queue = f"in the queue of {team.name}"
                self._tell(person, "queue", own, (f"lies {queue}", f"lie {queue}"))

    def given(self, before: Stood, after: Stood) -> None:
        """Whose it has become, and whose it is no longer."""
        moved = {
            key: (old, task)
            for key, task in after.tasks.items()
            if task.state not in FINISHED and (old := before.tasks.get(key)) is not None and old.person != task.person
        }
        new = {
            key: task
            for key, (_, task) in moved.items()
            if task.state != "ready" or before.tasks[key].state == "ready"  # else they are told that it can begin
        }
        self._told_each("given", new, lambda task: task.person, ("is yours now", "are yours now"))
        lost = {key: task for key, (task, _) in moved.items()}
        self._told_each("given", lost, lambda task: task.person, ("is no longer yours", "are no longer yours"), "off")

    def reviewed(self, before: Stood, after: Stood) -> None:
        """What waits for a sign-off, and what was sent back."""
        fresh = {k: t for k, t in after.tasks.items() if t.state == "in review" and self._was(before, k) != "in review"}
        waits = ("waits for your sign-off", "wait for your sign-off")
        self._told_each("review", fresh, lambda task: task.signer, waits)
        back = {
            key: before.tasks[key]
            for key, task in after.tasks.items()
            if task.state in {"under way", "ready"} and self._was(before, key) == "in review"
        }
        self._told_each("sent back", back, lambda task: task.did or task.person, ("was sent back", "were sent back"))

    def to_keeper(self, before: Stood, after: Stood) -> None:
        """A phase that closed, and a run that could finish."""
        keeper, labels = self.run.keeper, {phase.key: phase.label for phase in self.run.phases}
        for key in sorted(after.closed - before.closed) if before.state == "live" else ():
            self._say(keeper, "keeper", f"phase:{key}", f"The phase {labels[key]} is closed", self.cause)
        if after.all_over and not before.all_over:
            self._say(keeper, "keeper", "over", "All tasks are over, so it can be finished", self.cause)

    def called_off(self, before: Stood) -> None:
        """Whose open tasks are dropped."""
        open_ = {key: task for key, task in before.tasks.items() if task.state not in FINISHED}
        off = "dropped, the run being called off"
        self._told_each("given", open_, lambda task: task.person, (f"is {off}", f"are {off}"))

    def finished(self) -> None:
        """The template's owner, of a run that was finished."""
        owner = self.run.edition.template.owner
        self._say(owner, "owner", "finished", f"{self.run.name} is finished", self.cause)

    def _was(self, before: Stood, key: str) -> str:
        task = before.tasks.get(key)
        return task.state if task is not None else ""

    def _told_each(self, line: str, tasks: Mapping[str, TaskStood], whose: Whose, words: Said, part: str = "") -> None:
        by_person: dict[int, dict[str, TaskStood]] = {}
        for key, task in tasks.items():
            if number := whose(task):
                by_person.setdefault(number, {})[key] = task
        for number, person in people_by_id(self.session, by_person.keys()).items():
            self._tell(person, line, by_person[number], words, part)

    def _tell(self, person: Person, line: str, tasks: Mapping[str, TaskStood], words: Said, part: str = "") -> None:
        """One word of one task, and one of many."""
        titles = [task.title for task in tasks.values()]
        if len(titles) == 1:
            key = next(iter(tasks))
            self._say(person, line, f"{line}{part}:{key}", f"{titles[0]} {words[0]}", self.cause, key)
        elif titles:
            said = f"{count_words(len(titles), 'task')} {words[1]}"
            self._say(person, line, f"{line}{part}:many", said, "\n".join([self.cause, *_cut(titles)]).strip())

    def _say(self, person: Person, line: str, part: str, said: str, more: str, task: str | None = None) -> None:
        if person.id == self.actor.id:
            return
        key = f"{changes_key(self.run.id, self.run.version)}{part}"
        more = "\n".join(text for text in (more, self.why.strip()) if text)
        tell(self.session, person, Word(key, line, said, more, self.run.id, task, self.run.name, at_once=self.now))


def changes_key(run_id: int, version: int) -> str:
    """How the keys begin of what people are told of the change that made a version of a run."""
    return f"run:{run_id}:{version}:"


def _cut(titles: Iterable[str]) -> list[str]:
    every = list(titles)
    more = len(every) - MOST_LINES
    return [*every[:MOST_LINES], *([f"and {more} more"] if more > 0 else [])]
