"""The panel of one task."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from urllib.parse import quote

from unisequa.actions.runs.proposing import Proposal
from unisequa.actions.runs.seeing import RunSeen, TaskSeen
from unisequa.actions.runs.shifts import Considered
from unisequa.actions.runs.step_messages import MessageSeen
from unisequa.actions.runs.talking import TaskMore
from unisequa.core.calendars.grid import span_text
from unisequa.core.calendars.today import zone_of
from unisequa.core.calendars.words import names_words, slot_words, slots_words, some_names
from unisequa.core.design.following import lag_text
from unisequa.core.documents.conditions import sign_off_words
from unisequa.core.documents.measures import offset_words
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.reasons import driving_chain, reasons
from unisequa.core.plan.room import room_words
from unisequa.core.plan.task import Awaited
from unisequa.core.terms import FINISHED, LagUnit
from unisequa.core.work.readiness import Hold, holds
from unisequa.core.work.task_states import ACT, Act, acts, late_words
from unisequa.web.drawing.marks import short_words
from unisequa.web.moments import moment_words


@dataclass(frozen=True, slots=True)
class LinkLine:
    """A task at the other end of a link."""

    key: str
    title: str
    words: str
    state: str
    lag: str = ""


@dataclass(frozen=True, slots=True)
class AwaitedLine:
    """A task of another run that is waited for; ``path`` is where it is seen, ``out`` where the link is taken out, each
    empty where that may not be."""

    title: str
    run: str
    words: str
    path: str
    out: str


@dataclass(frozen=True, slots=True)
class MessageLine:
    """A message of the task as its addressee gets it; ``when`` says what became of it, and when it leaves or left."""

    words: str
    when: str
    to: str
    subject: str
    text: str
    files: tuple[str, ...]
    told: str
    fault: str


@dataclass(frozen=True, slots=True)
class TaskPanel:
    """The selected task. ``acts`` are what may be done with it and will be accepted, ``barred`` what may not, and why;
    ``tried`` what was tried last, ``all_the_same`` the words of a button that does it all the same."""

    key: str
    title: str
    phase: str
    who: str
    role: str
    state: str
    late: str
    kind: str
    start: str
    due: str
    duration: str
    hours: bool
    milestone: bool
    moved: bool
    target: str
    drift: str
    slack: str
    critical: bool
    because: tuple[tuple[str, bool], ...]
    after: tuple[LinkLine, ...]
    before: tuple[LinkLine, ...]
    awaited: tuple[AwaitedLine, ...]
    instructions: str
    links_out: tuple[Mapping[str, str], ...]
    acts: tuple[tuple[str, str], ...]
    barred: tuple[str, ...]
    tried: str
    all_the_same: str
    may_work: bool
    may_move: bool
    sign_off: str
    gate: str
    effort: str
    more: TaskMore
    messages: tuple[MessageLine, ...]
    checked: frozenset[int]
    may_tick: bool
    may_comment: bool
    on_desk: bool
    may_propose: bool
    proposals: tuple[Proposal, ...]
    may_answer: bool
    own: bool
    parent: bool
    phase_key: str
    fixed: bool
    calendar: str
    calendars: tuple[str, ...]
    chain: str
    faults: Mapping[str, str]
    typed: Mapping[str, str]


def task_panel(
    considered: Considered,
    key: str,
    more: TaskMore,
    faults: Mapping[str, str] | None = None,
    typed: Mapping[str, str] | None = None,
    *,
    on_desk: bool = False,
) -> TaskPanel:
    """Everything about one task."""
    run, plan, template = considered.run, considered.after, considered.run.template
    row, i = run.task(key), plan.position(key)
    task, read, grid = plan.tasks[i], plan.read(i), plan.grid
    doer, signer = run.member(row.role), run.member(row.sign_off_role)
    target, drift = plan.target_read(i), plan.drift(i)
    state = considered.ready.states[i]
    phase = next((phase.label for phase in template.phases if phase.key == row.phase), "")
    rule = row.sign_off
    held = holds(plan, i) if state not in FINISHED else []
    live = run.state == "live" and not plan.is_parent(i)
    reviewed = state == "in review"
    allowed = live and (row.may_sign_off if reviewed else row.may_work)
    offered = acts(state, may_skip=row.may_skip or run.may_change) if allowed else ()
    barred = [act for act in offered if row.gate == "bar" and _held_back(considered, i, act.act)]
    tried = (typed or {}).get("act", "")
    result = considered.result
    moved = bool(result and any(change.key == key for change in result.changes))
    target_words = ""
    if task.when:
        known = f" ({plan.dates_in_words().span(*target)})" if target else ""
        target_words = f"{offset_words(task.when, plan.labels[task.when.anchor])}{known}"
    return TaskPanel(
        key=key,
        title=row.title,
        phase=phase,
        who=row.who,
        role=doer.label,
        state=state,
        late=late_words(plan, i),
        kind=row.kind,
        start=_written(plan, read[0]) if read else "",
        due=_written(plan, read[1]) if read else "undated",
        duration=str(task.duration) if grid.per_day == 1 else span_text(task.duration, plan.calendars.of(task).per_day),
        hours=grid.per_day > 1,
        milestone=task.duration == 0,
        moved=moved,
        target=target_words,
        drift=_drift(plan, drift),
        slack=room_words(plan, i),
        critical=plan.schedule.critical[i],
        because=tuple((r.text.removesuffix(", binding"), r.binding) for r in reasons(plan, i)),
        after=tuple(_line(considered, k.source, k.lag, k.unit) for k in plan.network.incoming[i]),
        before=tuple(_line(considered, k.target, k.lag, k.unit) for k in plan.network.outgoing[i]),
        awaited=tuple(_awaited(run, key, one, plan) for one in task.waits),
        instructions=row.instructions,
        links_out=row.links_out,
        acts=tuple((act.act, act.button) for act in offered if act not in barred),
        barred=_barred(run, plan, row, state, [act.button for act in barred], held),
        tried=tried,
        all_the_same=f"{ACT[tried].button} all the same" if tried in ACT else "",
        may_work=allowed,
        may_move=run.may_consider and row.state not in FINISHED and not on_desk,
        sign_off=sign_off_words(rule, row.signs or signer.name or signer.label, template) if rule else "",
        gate=_gate(held, plan),
        effort=row.effort or "",
        more=more,
        messages=tuple(_message(one, run.today) for one in more.messages),
        checked=row.checked,
        may_tick=row.may_work and not run.over,
        may_comment=run.may_comment,
        on_desk=on_desk,
        may_propose=run.may_propose and not run.may_change and state in {"waiting", "ready", "under way"},
        proposals=tuple(one for one in more.proposals if one.task_key == key),
        may_answer=run.may_change,
        own=row.own,
        parent=plan.is_parent(i),
        phase_key=row.phase or "",
        fixed=task.fixed,
        calendar=task.calendar or plan.calendars.default,
        calendars=tuple(document.name for document in plan.calendars.documents),
        chain=_chain(plan, i),
        faults=faults or {},
        typed=typed or {},
    )


def _message(one: MessageSeen, today: dt.date) -> MessageLine:
    when = moment_words(one.at, zone_of(today), today)
    return MessageLine(
        one.words, f"{one.state} {when}".strip() if one.state else when, one.to, one.subject, one.text, one.files,
        one.told, one.fault,
    )  # fmt: skip


def _written(plan: Plan, at: int) -> str:
    """A date as it stands in its field; a time of the first day of a job of hours alone."""
    return slot_words(at, plan.grid, year=True) if plan.grid.per_day == 1 else short_words(plan, at)


def _chain(plan: Plan, i: int) -> str:
    """What drives a task back to its anchors, for the script that draws it."""
    pairs, anchors = driving_chain(plan, i)
    keys = [[plan.tasks[a].key, plan.tasks[b].key] for a, b in pairs]
    first = {key for key, _ in keys} - {key for _, key in keys} or {plan.tasks[i].key}
    held = [key for key in first if (when := plan.tasks[plan.position(key)].when) and when.anchor in anchors]
    return json.dumps({"links": keys, "anchors": [[a, key] for key in sorted(held) for a in anchors]})


def _held_back(considered: Considered, i: int, act: Act) -> bool:
    """Whether what holds a task is not over yet for this act."""
    ready, today = considered.ready, considered.after.today
    free = {"begin": ready.begins[i], "finish": ready.finishes[i]}.get(act, 0)
    return free is None or (today is not None and free > today)


def _barred(
    run: RunSeen, plan: Plan, row: TaskSeen, state: str, barred: Sequence[str], held: Sequence[Hold]
) -> tuple[str, ...]:
    """What cannot be done with a task now, and why."""
    told = []
    if run.state != "live":
        told.append(f"The run is {run.state}, so nothing is done with its tasks.")
    elif plan.is_parent(plan.position(row.key)):
        told.append("It spans its sub-steps; work on those.")
    elif state == "in review" and not row.may_sign_off:
        told.append(f"It waits for {row.signs} to sign it off.")
    elif not row.may_work and state not in FINISHED:
        told.append("Who does it, and the run's keeper, change its state.")
    if barred:
        told.append(f"{names_words(list(barred))}: it {_gate(held, plan)}.")
    return tuple(told)


def _gate(held: Sequence[Hold], plan: Plan) -> str:
    """What keeps a task from being begun or finished."""
    names = list(dict.fromkeys(hold.words for hold in held if hold.since is None))
    until = max((hold.since for hold in held if hold.since is not None), default=None)
    if names:
        return f"waits for {some_names(names)}"
    return f"is free from {plan.dates_in_words()[until]}" if until is not None else ""


def _drift(plan: Plan, drift: int | None) -> str:
    if not drift:
        return ""
    side = "behind" if drift > 0 else "ahead of"
    return f"{slots_words(abs(drift), plan.grid, plan.calendars[None].per_day)} {side} the template"


def _awaited(run: RunSeen, key: str, one: Awaited, plan: Plan) -> AwaitedLine:
    path = out = ""
    if one.of is not None and one.run:
        number, of_key = one.of
        path = f"/runs/{number}?task={quote(of_key)}"
        if one.drawn and run.may_change:
            out = f"/runs/{run.id}/tasks/{quote(key)}/waits/{number}/remove?of={quote(of_key)}"
    last = None if one.finish is None else plan.grid.inclusive(one.finish)
    ends = "over" if one.done else "no date" if last is None else plan.dates_in_words()[last]
    return AwaitedLine(one.title, one.run or "another run", ends if one.found else "no run of that date yet", path, out)


def _line(considered: Considered, i: int, lag: int, unit: LagUnit) -> LinkLine:
    plan = considered.after
    read = plan.read(i)
    words = plan.dates_in_words().span(*read) if read else "undated"
    sign, minutes = ("-" if lag < 0 else ""), plan.grid.per_day > 1
    typed = lag_text(f"{sign}{span_text(abs(lag))}" if minutes else lag, unit) if lag else ""
    if lag:
        words += f", {typed}".replace("-", "−")
    return LinkLine(plan.tasks[i].key, plan.tasks[i].title, words, considered.ready.states[i], typed)
