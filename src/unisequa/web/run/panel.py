"""The panel of one task."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from unisequa.actions.runs.shifts import Considered
from unisequa.core.calendars.words import count_words, day_words, names_words, span_words
from unisequa.core.documents.conditions import sign_off_words
from unisequa.core.documents.measures import offset_words
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.reasons import reasons
from unisequa.core.plan.room import room_words
from unisequa.core.terms import FINISHED
from unisequa.core.work.task_states import acts, days_late, shown_state, unfinished_before


@dataclass(frozen=True, slots=True)
class LinkLine:
    """A task at the other end of a link."""

    key: str
    title: str
    words: str
    state: str


@dataclass(frozen=True, slots=True)
class TaskPanel:
    """The selected task."""

    key: str
    title: str
    phase: str
    who: str
    role: str
    state: str
    late: int
    kind: str
    start: str
    due: str
    start_iso: str
    due_iso: str
    duration: int
    milestone: bool
    moved: bool
    target: str
    drift: str
    slack: str
    critical: bool
    because: tuple[tuple[str, bool], ...]
    after: tuple[LinkLine, ...]
    before: tuple[LinkLine, ...]
    instructions: str
    links_out: tuple[Mapping[str, str], ...]
    acts: tuple[tuple[str, str], ...]
    may_work: bool
    may_move: bool
    sign_off: str
    gate: str
    effort: str
    faults: Mapping[str, str]
    typed: Mapping[str, str]


def task_panel(
    considered: Considered,
    key: str,
    faults: Mapping[str, str] | None = None,
    typed: Mapping[str, str] | None = None,
) -> TaskPanel:
    """Everything about one task."""
    run, plan, template = considered.run, considered.after, considered.run.template
    row, i = run.task(key), plan.position(key)
    task, days = plan.tasks[i], plan.days(i)
    doer, signer = run.member(row.role), run.member(row.sign_off_role)
    target, drift = plan.target_days(i), plan.drift(i)
    state = shown_state(plan, i)
    phase = next((phase.label for phase in template.phases if phase.key == row.phase), "")
    rule = row.sign_off
    waiting = unfinished_before(plan, i)
    abroad = [awaited.words for awaited in task.waits if not awaited.done]
    allowed = row.may_work and run.state == "live" and not plan.is_parent(i)
    result = considered.result
    moved = bool(result and any(change.key == key for change in result.changes))
    target_words = ""
    if task.when:
        known = f" ({span_words(*target)})" if target else ""
        target_words = f"{offset_words(task.when, plan.labels[task.when.anchor])}{known}"
    return TaskPanel(
        key=key,
        title=row.title,
        phase=phase,
        who=doer.name,
        role=doer.label,
        state=state,
        late=days_late(plan, i),
        kind=row.kind,
        start=day_words(days[0], year=True) if days else "",
        due=day_words(days[1], year=True) if days else "undated",
        start_iso=dt.date.fromordinal(days[0]).isoformat() if days else "",
        due_iso=dt.date.fromordinal(days[1]).isoformat() if days else "",
        duration=task.duration,
        milestone=task.duration == 0,
        moved=moved,
        target=target_words,
        drift=_drift(drift),
        slack=room_words(plan, i),
        critical=plan.schedule.critical[i],
        because=tuple((r.text.removesuffix(", binding"), r.binding) for r in reasons(plan, i)),
        after=tuple(_line(plan, k.source, k.lag, k.unit) for k in plan.network.incoming[i]),
        before=tuple(_line(plan, k.target, k.lag, k.unit) for k in plan.network.outgoing[i]),
        instructions=row.instructions,
        links_out=row.links_out,
        acts=tuple((act.act, act.button) for act in acts(state, may_skip=row.may_skip))
        if allowed and not plan.is_parent(i)
        else (),
        may_work=allowed,
        may_move=run.may_change and row.state not in FINISHED,
        sign_off=sign_off_words(rule, signer.name or signer.label, template) if rule else "",
        gate=_gate(len(waiting), abroad),
        effort=row.effort or "",
        faults=faults or {},
        typed=typed or {},
    )


def _gate(waiting: int, elsewhere: list[str]) -> str:
    """What keeps a task from being finished."""
    what = ([count_words(waiting, "task")] if waiting else []) + elsewhere
    return f"waits for {names_words(what)}" if what else ""


def _drift(drift: int | None) -> str:
    if not drift:
        return ""
    side = "behind" if drift > 0 else "ahead of"
    return f"{count_words(abs(drift), 'working day')} {side} the template"


def _line(plan: Plan, i: int, lag: int, unit: str) -> LinkLine:
    days = plan.days(i)
    words = span_words(*days) if days else "undated"
    if lag:
        words += f", {lag:+d} {'working ' if unit == 'working' else ''}d".replace("-", "−")
    return LinkLine(plan.tasks[i].key, plan.tasks[i].title, words, shown_state(plan, i))
