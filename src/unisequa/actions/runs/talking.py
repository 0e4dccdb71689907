"""What people write on tasks, and the boxes of instructions that they tick."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable
from dataclasses import dataclass

from unisequa.actions import access
from unisequa.actions.history import Happened
from unisequa.actions.messages.posting import Word, tell
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.filing import FileSeen, files_seen
from unisequa.actions.runs.keeping import dates_words
from unisequa.actions.runs.no_time import told_of_run
from unisequa.actions.runs.proposing import Proposal, open_proposals
from unisequa.actions.runs.seeing import RunSeen, run_of, task_of
from unisequa.actions.runs.step_messages import MessageSeen, see_messages
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import BOX
from unisequa.store.queries import history as queries
from unisequa.store.queries.people import active_people, mates_of, people_by_id
from unisequa.store.queries.runs import run_and_task
from unisequa.store.store import Session
from unisequa.store.tables import CommentRow, Mention, Person, Run, ShiftRow

LONGEST = 4000
_BOX = re.compile(BOX, re.MULTILINE)


@dataclass(frozen=True, slots=True)
class Comment:
    """What somebody wrote."""

    at: dt.datetime
    who: str
    text: str


@dataclass(frozen=True, slots=True)
class TaskMore:
    """What is kept of a task beside its dates and its state.

    Parameters
    ----------
    history : tuple of Happened
        What was done with it and where it was moved, the latest first.
    near : tuple of (int, str)
        Those it may be handed to by whoever looks.
    takes, puts_back : bool
        Whether they may take it from a queue, or put it back.
    proposals : tuple of Proposal
        Those of the run that wait for an answer.
    short : str
        Until when there is no time for it, and whom that holds up.
    """

    comments: tuple[Comment, ...] = ()
    history: tuple[Happened, ...] = ()
    near: tuple[tuple[int, str], ...] = ()
    takes: bool = False
    puts_back: bool = False
    proposals: tuple[Proposal, ...] = ()
    files: tuple[FileSeen, ...] = ()
    short: str = ""
    messages: tuple[MessageSeen, ...] = ()


def see_more(session: Session, actor: Actor, run: RunSeen, key: str) -> TaskMore:
    """What is kept of a task of a run that somebody sees."""
    task = run.tasks.get(key)
    if task is None:
        raise NotThere("This task does not exist.")
    notes = [Happened(at, who, text, (0, n)) for at, who, text, n in queries.of_task(session, run.id, key)]
    moves = [_moved(shift, key, run.plan) for shift in queries.shifts_of(session, run.id) if _touches(shift, key)]
    return TaskMore(
        tuple(Comment(one.at, one.person.name, one.text) for one in queries.comments_of(session, run.id, key)),
        tuple(sorted((*notes, *moves), key=lambda one: (one.at, one.order), reverse=True)),
        _near(session, actor, run, key) if task.may_work and not run.over else (),
        task.in_team and not task.given,
        task.of_team and task.given and (task.in_team or run.may_change),
        open_proposals(session, actor, run.id),
        files_seen(session, actor, run, key),
        told_of_run(session, run.id).get(key, ""),
        _messages(session, run, key),
    )


def _messages(session: Session, run: RunSeen, key: str) -> tuple[MessageSeen, ...]:
    """What leaves by itself of a task, filled in."""
    step = next((one for one in run.template.steps if one.key == key), None)
    if step is None or not step.messages:
        return ()
    found = run_and_task(session, run.id, key)
    return see_messages(session, *found) if found is not None else ()


def _near(session: Session, actor: Actor, run: RunSeen, key: str) -> tuple[tuple[int, str], ...]:
    """Those whom somebody may hand a task to: anybody for the keeper, else who fills its role and the own teams."""
    task = run.tasks[key]
    if run.may_change:
        people = [(person.id, person.name) for person in active_people(session)]
    else:
        role = run.member(task.role).person_id
        near = people_by_id(session, {*mates_of(session, actor.id), *({role} if role else ())})
        people = sorted(((p.id, p.name) for p in near.values() if p.active), key=lambda one: one[1])
    return tuple(one for one in people if one[0] != task.person_id)


def _touches(shift: ShiftRow, key: str) -> bool:
    return any(change["key"] == key for change in shift.changes)


def _moved(shift: ShiftRow, key: str, plan: Plan) -> Happened:
    change = next(change for change in shift.changes if change["key"] == key)
    old, new = (dates_words(change[side], plan) for side in ("before", "after"))
    why = f": {shift.why}" if shift.why else ""
    text = f"Shift {shift.number}: {old} → {new}{why}"
    return Happened(shift.at, shift.person.name, text, (1, shift.number), shift.taken_back_at is not None)


def write_comment(session: Session, actor: Actor, run_id: int, key: str | None, text: str) -> None:
    """Write on a task, or on the whole run without a key; ``@Name`` brings it before whoever is meant.

    Raises
    ------
    Refused
        Field ``comment``.
    """
    run = run_of(session, run_id, actor)
    if not access.may_comment(run, actor):
        raise NotAllowed("You may look at this run, but not write in it.")
    text = text.strip()
    if not text:
        raise Refused({"comment": "Write something first."})
    if len(text) > LONGEST:
        raise Refused({"comment": f"A comment has at most {LONGEST:,} characters; this one has {len(text):,}."})
    if key is not None:
        task_of(run, key)
    row = CommentRow(run_id=run.id, task_key=key, person_id=actor.id, text=text)
    row.mentions = [Mention(person_id=number) for number in sorted(mentioned(text, active_people(session)))]
    session.add(row)
    session.flush()
    _tell(session, actor, run, row)


def _tell(session: Session, actor: Actor, run: Run, row: CommentRow) -> None:
    """Whoever is named in a comment, and whose the task is, or else the run, reads it."""
    task = next((one for one in run.tasks if one.key == row.task_key), None)
    whose = (task.person_id if task.person_id else None) if task is not None else run.keeper_id
    people = people_by_id(session, {mention.person_id for mention in row.mentions} | ({whose} if whose else set()))
    about = task.title if task is not None else run.name
    said = f"{actor.name} wrote on {about}: {' '.join(row.text.split())}"
    for person in people.values():
        if person.id != actor.id:
            word = Word(f"comment:{row.id}", "written", said[:300], "", run.id, row.task_key, run.name)
            tell(session, person, word)


def mentioned(text: str, people: Iterable[Person]) -> set[int]:
    """The ids of those whom a text names after an @: by their whole name, or by their first where only one has it."""
    everybody = list(people)
    found: set[int] = set()
    for start in (match.end() for match in re.finditer("@", text)):
        rest = text[start:].casefold()
        whole = [p for p in everybody if rest.startswith(p.name.casefold())]
        first = [p for p in everybody if re.match(re.escape(p.name.split()[0].casefold()) + r"(?!\w)", rest)]
        if whole:
            found.add(max(whole, key=lambda person: len(person.name)).id)
        elif len(first) == 1:
            found.add(first[0].id)
    return found


def tick(session: Session, actor: Actor, run_id: int, key: str, number: int, *, on: bool) -> None:
    """Tick a box of a task's instructions, or take the tick away: whoever works on it."""
    run = run_of(session, run_id, actor)
    row = task_of(run, key)
    if not access.may_work_on(run, row, actor):
        raise NotAllowed(f"Only who does {row.title}, and the run's keeper, tick its boxes.")
    if not 0 <= number < len(_BOX.findall(row.instructions)):
        raise Refused({"box": "These instructions have no such box any more; reload the page."})
    row.checked = sorted({*row.checked, number} if on else {*row.checked} - {number})
