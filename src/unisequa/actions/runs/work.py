"""Working on tasks: begun, finished, signed off, sent back, dropped, reopened; one or many in one act."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field

from unisequa.actions import access
from unisequa.actions.history import note
from unisequa.actions.people.people import Actor
from unisequa.actions.runs.changes import as_it_stands, tell_changes
from unisequa.actions.runs.following import Offer, let_follow
from unisequa.actions.runs.reaching import Around, let_reach, take_all
from unisequa.actions.runs.seeing import open_rows, run_of, task_of
from unisequa.actions.runs.undoing import keep_act, snapshot
from unisequa.core.calendars.today import now_on
from unisequa.core.calendars.words import count_words, day_words, names_words, some_names
from unisequa.core.documents.conditions import condition_words
from unisequa.core.errors import ActionError, NotAllowed, Refused
from unisequa.core.plan.plan import Plan
from unisequa.core.shift.edits import Begun, Done
from unisequa.core.work.readiness import Hold, Holding
from unisequa.core.work.sign_off import held_until
from unisequa.core.work.task_states import ACT, Act, acts, state_after
from unisequa.store.documents import grid_of_run, template_of
from unisequa.store.lists import bring_up, bring_up_waiting, dates_kept, keep, rule_of, settle, values_in
from unisequa.store.of_run import template_of_run
from unisequa.store.plans import plan_of, set_actual
from unisequa.store.store import Session
from unisequa.store.tables import Run, TaskRow, now

MOST_AT_ONCE = 1000


@dataclass(frozen=True, slots=True)
class Deed:
    """Something to be done with tasks, all of them or none.

    Parameters
    ----------
    keys : sequence of str
        The tasks.
    day : date, optional
        The day on which it was done, in a job of hours the time by its clock; now without one.
    why : str
        A word on it; sending back, and dropping what may not be skipped, ask for one.
    confirmed : bool
        Whether what only warns has been confirmed.
    """

    act: Act
    keys: Sequence[str]
    day: dt.date | None = None
    why: str = ""
    confirmed: bool = False


@dataclass(frozen=True, slots=True)
class Acted:
    """What was done: its words, the number by which it can be undone, how many other tasks moved with it, the shift
    that it offers, and how many other runs moved."""

    words: str
    number: int
    moved: int = 0
    offer: Offer | None = None
    elsewhere: int = 0


@dataclass(slots=True)
class _Work:
    """A run with its plan, on which something is being done; ``day`` is when, on the run's grid."""

    session: Session
    actor: Actor
    run: Run
    plan: Plan
    holding: Holding
    day: int
    deed: Deed
    today: dt.date
    let_through: dict[str, str] = field(default_factory=dict)


def act_on_task(
    session: Session, actor: Actor, run_id: int, key: str, act: Act, today: dt.date, *, confirmed: bool = False
) -> Acted:
    """Begin, finish, sign off, send back, drop or reopen one task today."""
    return act_on_tasks(session, actor, run_id, Deed(act, [key], confirmed=confirmed), today)


def act_on_tasks(session: Session, actor: Actor, run_id: int, deed: Deed, today: dt.date) -> Acted:
    """Do something with tasks of a run: with all of them, or with none.

    Beginning or finishing what is held back is barred or, where the step says so, needs ``confirmed``; so does
    reopening what others have built on. What follows then moves as the run's ``follow`` says.

    Raises
    ------
    Refused
        Field ``state`` with each refusal named, or ``gate`` where confirming would let it through; ``day``, ``why``.
    """
    take_all(session, run_id)
    run = run_of(session, run_id, actor)
    if not deed.keys or len(deed.keys) > MOST_AT_ONCE:
        raise Refused({"state": f"Choose between one task and {MOST_AT_ONCE:,}."})
    if run.state != "live":
        raise Refused({"state": f"The run is {run.state}; open it before its tasks are worked on."})
    at = now_on(grid_of_run(run), today) if deed.day is None else _given(run, deed.day, today)
    settle(run, today)
    rows = [task_of(run, key) for key in dict.fromkeys(deed.keys)]
    plan = plan_of(run, today, viewer=actor.id)
    work = _Work(session, actor, run, plan, Holding(plan), at, deed, today)
    _check(work, rows)
    before, stood = snapshot(run, [row.key for row in rows]), as_it_stands(run, today)
    around = Around(session, actor, run.id, today, writes=True)
    for row in rows:
        _DO[deed.act](work, row)
    run.version += 1
    after = plan_of(run, today, viewer=actor.id)
    early = any(_is_early(plan, row, work.day) for row in rows)
    followed = let_follow(session, actor, run, after, [row.key for row in rows], deed.act, early=early)
    reached = around.reached(plan, followed.after)
    keep(run, today, followed.after)
    words = _write_down(work, rows)
    number = keep_act(session, actor, run, words, before, followed.shift)
    bring_up_waiting(run, today)
    if _finishes_by_itself(run):
        run.state = "finished"
        bring_up(run, today, anew=True)
        note(session, actor, "run state", f"{run.name} is finished by itself, its tasks being over", run_id=run.id)
    tell_changes(session, actor, run, stood, today, f"{words}, {actor.name}", deed.why)
    elsewhere = let_reach(session, actor, around, reached, today, f"act:{number}", run)
    return Acted(words, number, followed.moved, followed.offer, len(elsewhere))


def _finishes_by_itself(run: Run) -> bool:
    """Whether its tasks are over, and its template says that this finishes it."""
    return not open_rows(run) and template_of(run.edition).finishes == "by itself"


def _given(run: Run, day: dt.date, today: dt.date) -> int:
    """When something was done, on the run's grid."""
    grid = grid_of_run(run)
    if grid.per_day > 1 and not isinstance(day, dt.datetime):
        raise Refused({"day": "This job goes by the hour; give a time as well, such as 19:40."})
    if isinstance(day, dt.datetime) and grid.per_day == 1:
        day = day.date()
    at = grid.of(day)
    if at > now_on(grid, today):
        what = "time" if grid.per_day > 1 else "day"
        raise Refused({"day": f"That {what} has not come yet; give {'now' if what == 'time' else 'today'} or earlier."})
    return at


def _is_early(plan: Plan, row: TaskRow, day: int) -> bool:
    """Whether a task is over before it was planned to be."""
    read = plan.read(plan.position(row.key))
    return row.state == "done" and read is not None and day < read[1]


def _write_down(work: _Work, rows: Sequence[TaskRow]) -> str:
    past, deed = ACT[work.deed.act].past, work.deed
    at = f" at {deed.day:%H:%M}" if isinstance(deed.day, dt.datetime) else ""
    on = f" on {day_words(deed.day, year=True)}{at}" if deed.day is not None else ""
    for row in rows:
        said = f": {deed.why.strip()}" if deed.why.strip() else ""
        through = f" ({work.let_through[row.key]})" if row.key in work.let_through else ""
        text = f"{row.title}: {past}{on}{through}{said}"
        note(work.session, work.actor, f"task {past}", text, run_id=work.run.id, task_key=row.key)
    many = f"{rows[0].title}: {past}" if len(rows) == 1 else f"{count_words(len(rows), 'task')} {past}"
    return many + _then(rows)


def _then(rows: Sequence[TaskRow]) -> str:
    """What is still to come of tasks that somebody signs off."""
    waiting = sum(row.state == "in review" for row in rows)
    if not waiting:
        return ""
    return ", now to be signed off" if waiting == len(rows) else f", {waiting} of them to be signed off"


# What may be done.


def _check(work: _Work, rows: Sequence[TaskRow]) -> None:
    """Refuse with every reason there is, each with its task's name."""
    barred: list[ActionError] = []
    warned: list[str] = []
    for row in rows:
        try:
            _check_one(work, row, warned)
        except ActionError as error:
            barred.append(error)
    if len(barred) == 1 and len(rows) == 1:
        raise barred[0]
    if barred:
        told = list(dict.fromkeys(str(error) for error in barred))
        more = f" And {len(told) - 8} more." if len(told) > 8 else ""
        raise Refused({"state": "Nothing was done. " + " ".join(told[:8]) + more})
    if warned and not work.deed.confirmed:
        raise Refused({"gate": " ".join(dict.fromkeys(warned))})


def _check_one(work: _Work, row: TaskRow, warned: list[str]) -> None:
    run, plan, actor, deed = work.run, work.plan, work.actor, work.deed
    position = plan.position(row.key)
    state = work.holding.ready.states[position]
    if deed.act in {"sign off", "send back"}:
        _check_second_person(run, row, actor)
    elif not access.may_work_on(run, row, actor):
        raise NotAllowed(f"Only who does {row.title}, and the run's keeper, change its state.")
    if plan.is_parent(position):
        raise Refused({"state": f"{row.title} spans its sub-steps; work on those."})
    keeper = access.may_change_run(run, actor)
    if deed.act not in {may.act for may in acts(state, may_skip=row.may_skip or keeper)}:
        raise Refused({"state": f"{row.title} is {state}; that cannot be done with it now."})
    if deed.act == "send back" and not deed.why.strip():
        raise Refused({"why": f"Say what is missing in {row.title}, so that it can be mended."})
    if deed.act == "drop" and not row.may_skip and not deed.why.strip():
        raise Refused({"why": f"{row.title} is not meant to be skipped; say why it is dropped."})
    if deed.act in {"begin", "finish"}:
        _check_gate(work, position, row, warned)
    if deed.act == "sign off" and (until := held_until(rule_of(run, row.key), values_in(run, row.key))):
        words = condition_words(until, template_of_run(run))
        raise Refused({"state": f"{row.title} is held in review until {words}."})
    if deed.act == "reopen" and (built := _built_on(work, position)):
        names = some_names(built)
        have, stay = ("has", "stays as it is") if len(built) == 1 else ("have", "stay as they are")
        warned.append(f"{names} {have} been begun after {row.title}, and {stay}.")


def _check_gate(work: _Work, position: int, row: TaskRow, warned: list[str]) -> None:
    beginning = work.deed.act == "begin"
    free = (work.holding.ready.begins if beginning else work.holding.ready.finishes)[position]
    if free is not None and free <= work.day:
        return
    others = {task_key for task_key in work.deed.keys if task_key != row.key}
    held = [
        hold
        for hold in work.holding.of(position)
        if (hold.beginning or not beginning) and not _goes_with(work, hold, others)
    ]
    if not held and others:
        return
    text = f"{row.title} waits {_held_words(work.plan, held)}"
    if row.gate == "bar":
        raise Refused({"state": f"{text}. Finish that first."})
    warned.append(f"{text}.")
    work.let_through[row.key] = f"although it waited {_held_words(work.plan, held)}"


def _goes_with(work: _Work, hold: Hold, others: Collection[str]) -> bool:
    """Whether what holds a task is finished in the same act."""
    return hold.position is not None and work.deed.act == "finish" and work.plan.tasks[hold.position].key in others


def _held_words(plan: Plan, held: Sequence[Hold]) -> str:
    open_ = [hold for hold in held if hold.since is None]
    if not open_:
        return "until a lag is over"
    done = "done" if any(hold.over for hold in open_) else "begun"
    return f"for {some_names([hold.words for hold in open_])}, which {'is' if len(open_) == 1 else 'are'} not {done}"


def _built_on(work: _Work, position: int) -> list[str]:
    """The titles of what follows a task that is over, and is begun or over itself."""
    plan = work.plan
    if plan.tasks[position].state not in {"done", "in review"}:
        return []
    after = dict.fromkeys(leaf for j in plan.network.targets(position) for leaf in plan.leaves(j))
    return [plan.tasks[j].title for j in after if plan.tasks[j].state in {"under way", "in review", "done"}]


def _check_second_person(run: Run, row: TaskRow, actor: Actor) -> None:
    if row.state == "in review" and actor.id in {row.done_by_id, row.recorded_by_id}:
        raise Refused({"state": f"A second person signs {row.title} off: not the one who did it."})
    if not access.may_sign_off(run, row, actor):
        signers = names_words([m.name or m.label for m in run.crew if m.role == row.sign_off_role])
        raise NotAllowed(f"{signers or 'Nobody yet'} signs {row.title} off.")


# What is done.


def _begin(work: _Work, row: TaskRow) -> None:
    row.before = row.before or dates_kept(row)
    row.state = state_after("begin", sign_off=row.sign_off_role is not None)
    row.begun_at = _moment(work)
    set_actual(row, work.plan, Begun(row.key, work.day))


def _finish(work: _Work, row: TaskRow) -> None:
    row.before = row.before or dates_kept(row)
    row.state = state_after("finish", sign_off=row.sign_off_role is not None)
    roles = access.roles_of(work.run, work.actor)
    doer = work.actor.id if access.is_doer(row, roles, work.actor) else row.person_id or work.actor.id
    row.done_at, row.done_by_id, row.recorded_by_id = _moment(work), doer, work.actor.id
    set_actual(row, work.plan, Done(row.key, work.day))


def _sign_off(work: _Work, row: TaskRow) -> None:
    grid = work.plan.grid
    row.state, row.signed_on = "done", dt.date.fromordinal(grid.day(work.day))
    if row.minutes is not None:
        row.minutes = {**row.minutes, "signed": grid.iso(work.day)}


def _send_back(work: _Work, row: TaskRow) -> None:
    row.state, row.done_at, row.done_by_id, row.recorded_by_id = "under way", None, None, None
    if row.before is not None and row.start_on is not None:
        row.duration = row.before["duration"]
        standing = _standing(work)
        begun = standing.read(standing.position(row.key))
        assert begun is not None
        set_actual(row, standing, Begun(row.key, begun[0]))


def _drop(work: _Work, row: TaskRow) -> None:
    row.state = "dropped"


def _reopen(work: _Work, row: TaskRow) -> None:
    """Back to where it was before it was begun or done."""
    row.state, row.begun_at = "waiting", None
    row.done_at = row.done_by_id = row.recorded_by_id = row.signed_on = None
    if row.before is not None:
        start, finish = (dt.date.fromisoformat(day) if day else None for day in row.before["days"])
        row.start_on, row.finish_on, row.duration = start, finish, row.before["duration"]
        row.minutes = row.before.get("minutes")
        row.put, row.fixed, row.before = row.before["put"], row.before["fixed"], None


def _standing(work: _Work) -> Plan:
    """The plan as the rows now say."""
    return plan_of(work.run, work.today, viewer=work.actor.id)


def _moment(work: _Work) -> dt.datetime:
    """When it was done, in UTC: now, or on another day at its end."""
    if work.plan.grid.per_day > 1:
        return work.plan.grid.utc(work.day)
    day = dt.date.fromordinal(work.day)
    at = now()
    return at if day == at.date() else dt.datetime.combine(day, at.time())


_DO: dict[Act, Callable[[_Work, TaskRow], None]] = {
    "begin": _begin,
    "finish": _finish,
    "sign off": _sign_off,
    "send back": _send_back,
    "drop": _drop,
    "reopen": _reopen,
}
