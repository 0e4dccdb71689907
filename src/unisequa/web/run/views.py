"""What the pages of a run show, built from the run and the shift being considered."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from unisequa.actions.runs.runs import may_change, may_work_on, run_of, task_of
from unisequa.core.calendars.words import count_words, day_words, difference_words, names_words, span_words
from unisequa.core.documents.conditions import sign_off_words
from unisequa.core.documents.measures import measured, offset_words
from unisequa.core.documents.template import Measure, Template
from unisequa.core.errors import ShiftError
from unisequa.core.plan.plan import Plan
from unisequa.core.plan.reasons import reasons
from unisequa.core.shift.cascade import MODES, Cascade, Mode, cascade
from unisequa.core.shift.edits import Edit
from unisequa.core.shift.edits.codec import written
from unisequa.core.terms import FINISHED
from unisequa.core.work.task_states import acts, days_late, shown_state, unfinished_before
from unisequa.store.documents import template_of_run
from unisequa.store.plans import plan_of
from unisequa.store.rules import rule_of
from unisequa.store.tables import Person, Run, ShiftRow
from unisequa.web.drawing.scale import PX
from unisequa.web.run.asked import Asked, read_edits
from unisequa.web.run.sheet import RunSheet, progress_words, run_sheet

VIEWS = (("sheet", "Sheet"), ("list", "List"), ("crew", "Crew"), ("facts", "Facts"), ("history", "History"))
STATE_WORDS = {
    "begin": "Begin", "finish": "Done", "sign off": "Sign off", "send back": "Send back", "drop": "Drop",
    "reopen": "Reopen",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class RunHead:
    """What stands above every view of a run."""

    id: int
    name: str
    state: str
    keeper: str
    edition: int
    template_id: int
    template: str
    subject: str
    anchors: tuple[tuple[str, str], ...]
    progress: str
    ends: str
    outlook: str
    late: int
    may_change: bool


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


@dataclass(frozen=True, slots=True)
class LinkLine:
    """A task at the other end of a link."""

    key: str
    title: str
    words: str
    state: str


@dataclass(frozen=True, slots=True)
class Panel:
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


@dataclass(frozen=True, slots=True)
class LastShift:
    """The last shift that was applied and can be taken back."""

    number: int
    words: str


@dataclass(frozen=True, slots=True)
class Work:
    """The part of the page that a script swaps: sheet, panel, tray, foot."""

    head: RunHead
    sheet: RunSheet
    tray: Tray | None
    panel: Panel | None
    selected: str
    version: int
    zoom: str
    edits: str
    mode: str
    last: LastShift | None
    view: str = "sheet"
    toast: str = ""


def who_in(run: Run) -> dict[str, tuple[str, str]]:
    """Role → the person's name and the role's label."""
    return {member.role: (member.name, member.label) for member in run.crew}


def work(session: Session, me: Person, run_id: int, asked: Asked, today: dt.date) -> Work:
    """The run as it stands, with the shift being considered worked out on it."""
    run = run_of(session, run_id, me)
    plan, template = plan_of(run, today), template_of_run(run)
    faults = dict(asked.faults)
    result, edits = None, read_edits(asked.documents, plan)
    if edits:
        try:
            result = cascade(plan, edits, asked.mode)
        except ShiftError as error:
            faults.setdefault("shift", f"{error}.")
            result = _without_last(plan, edits, asked.mode)
            edits = result.edits if result else ()
    crew = who_in(run)
    people = {key: (name, label) for key, (name, label) in crew.items()}
    sheet = run_sheet(
        plan,
        result,
        phases=template.phases,
        who=lambda role: people.get(role or "", ("", "")),
        zoom=asked.zoom if asked.zoom in PX else "day",
        labels=template.day_labels,
        label_days=label_days(template, plan),
    )
    shown = result.after() if result else plan
    selected = asked.selected if asked.selected in plan.positions else ""
    panel = task_panel(run, me, shown, template, selected, faults, dict(asked.typed), result) if selected else None
    tray = _tray(result, shown, crew, asked.why, asked.stale) if result else None
    head = run_head(run, me, plan)
    toast = asked.toast or ("" if panel else faults.get("shift", ""))
    last = last_shift(run) if head.may_change else None
    return Work(
        head,
        sheet,
        tray,
        panel,
        selected,
        run.version,
        asked.zoom,
        json.dumps([written(edit, plan.grid) for edit in edits]),
        asked.mode,
        last,
        asked.view,
        toast,
    )


def _without_last(plan: Plan, edits: tuple[Edit, ...], mode: Mode) -> Cascade | None:
    """What the edits before the one that cannot be carried out do."""
    for n in range(len(edits) - 1, 0, -1):
        try:
            return cascade(plan, edits[:n], mode)
        except ShiftError:
            continue
    return None


def run_head(run: Run, me: Person, plan: Plan) -> RunHead:
    """Name, dates and outlook of a run."""
    anchors = tuple(
        (plan.labels[key], day_words(day, year=True) if day is not None else "date open")
        for key, day in plan.anchors.items()
    )
    reach = plan.reach()
    late = sum(days_late(plan, i) > 0 for i in range(len(plan.tasks)))
    return RunHead(
        run.id,
        run.name,
        run.state,
        run.keeper.name,
        run.edition.number,
        run.edition.template_id,
        run.edition.template.name,
        run.subject,
        anchors,
        progress_words(plan),
        day_words(reach[1], year=True) if reach else "",
        outlook(plan),
        late,
        may_change(run, me) and run.state not in {"finished", "called off"},
    )


def outlook(plan: Plan) -> str:
    """How much slack there is before the first anchor that is still ahead, or how many tasks are late."""
    late = sum(days_late(plan, i) > 0 for i in range(len(plan.tasks)))
    slacks = [
        slack
        for i, task in enumerate(plan.tasks)
        if task.deadline is not None
        and task.state not in FINISHED
        and (slack := plan.schedule.total_slack[i]) is not None
    ]
    if late:
        return f"{count_words(late, 'task')} late"
    if any(slack < 0 for slack in slacks):
        return f"a deadline is missed by {count_words(-min(slacks), 'working day')}"
    return ""


def label_days(template: Template, plan: Plan) -> dict[int, int]:
    """Position of a day label → its day, where its anchor is known."""
    days = {}
    for n, label in enumerate(template.day_labels):
        anchor = plan.anchors.get(label.anchor)
        if anchor is not None:
            measure = Measure(anchor=label.anchor, offset=label.offset, unit=label.unit)
            days[n] = plan.grid.day(measured(anchor, measure, plan.calendars[None]))
    return days


def last_shift(run: Run) -> LastShift | None:
    """The newest shift that has not been taken back."""
    standing: list[ShiftRow] = [shift for shift in run.shifts if not shift.taken_back_at]
    if not standing:
        return None
    shift = standing[-1]
    words = f"Shift {shift.number} by {shift.person.name} moved {count_words(len(shift.changes), 'task')}"
    return LastShift(shift.number, words + (f": “{shift.why}”" if shift.why else ""))


def _tray(result: Cascade, shown: Plan, crew: Mapping[str, tuple[str, str]], why: str, stale: str) -> Tray:
    rows = []
    people: set[str] = set()
    named = {edit.task for edit in result.edits}
    for change in result.changes:
        task = result.plan.tasks[result.plan.position(change.key)]
        name = crew.get(task.role or "", ("", ""))[0]
        if name:
            people.add(name)
        before, after = result.days(change)
        rows.append(
            TrayRow(
                task.key,
                task.title,
                name,
                span_words(*before) if before else "undated",
                span_words(*after),
                difference_words(change.delta),
                result.reason(change),
                change.key in named,
            )
        )
    became, ceased = result.criticality(shown)
    titles = {task.key: task.title for task in shown.tasks}
    return Tray(
        _sentence(result, shown, len(people)),
        tuple(rows),
        tuple(conflict.text for conflict in result.conflicts),
        len(people),
        tuple(titles[key] for key in became),
        tuple(titles[key] for key in ceased),
        why,
        tuple(_mode(result, mode) for mode in MODES),
        stale,
    )


_HINTS: dict[Mode, str] = {
    "push": "What follows keeps its date unless a link or a day off forces it later",
    "carry": "What follows moves along by as many working days, keeping its gaps",
    "tighten": "What follows goes to the earliest place that its target and links allow",
}


def _mode(result: Cascade, mode: Mode) -> ModeChoice:
    chosen = mode == result.mode
    other = result if chosen else cascade(result.plan, result.edits, mode)
    later = other.plan.calendars[None].count(*other.finish)
    end = difference_words(later) if later else "end holds"
    if any(conflict.kind == "deadline" for conflict in other.conflicts):
        end = "misses a deadline"
    return ModeChoice(mode, mode.capitalize(), f"{len(other.changes)} move, {end}", _HINTS[mode], chosen)


def _sentence(result: Cascade, shown: Plan, people: int) -> str:
    if not result.changes:
        return "This changes no date."
    parts = [f"Moves {count_words(len(result.changes), 'task')}, leaves {result.unchanged}"]
    old, new = result.finish
    later = shown.calendars[None].count(old, new)
    if any(conflict.kind == "deadline" for conflict in result.conflicts):
        parts.append("misses a deadline")
    elif later:
        parts.append(f"ends {count_words(abs(later), 'working day')} {'later' if later > 0 else 'earlier'}")
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
    return f" with {count_words(min(after), 'working day')} of slack instead of {min(before)}"


def task_panel(
    run: Run,
    me: Person,
    plan: Plan,
    template: Template,
    key: str,
    faults: Mapping[str, str] | None = None,
    typed: Mapping[str, str] | None = None,
    result: Cascade | None = None,
) -> Panel:
    """Everything about one task."""
    row, i = task_of(run, key), plan.position(key)
    task, days, slack = plan.tasks[i], plan.days(i), plan.schedule.total_slack[i]
    name, label = who_in(run).get(row.role or "", ("", ""))
    target, drift = plan.target_days(i), plan.drift(i)
    state = shown_state(plan, i)
    phase = next((phase.label for phase in template.phases if phase.key == row.phase), "")
    signer = who_in(run).get(row.sign_off_role or "", ("", ""))
    rule = rule_of(run, row)
    waiting = unfinished_before(plan, i)
    abroad = [awaited.words for awaited in task.waits if not awaited.done]
    allowed = may_work_on(run, row, me) and run.state == "live" and not plan.is_parent(i)
    moved = bool(result and any(change.key == key for change in result.changes))
    target_words = ""
    if task.when:
        known = f" ({span_words(*target)})" if target else ""
        target_words = f"{offset_words(task.when, plan.labels[task.when.anchor])}{known}"
    return Panel(
        key=key,
        title=row.title,
        phase=phase,
        who=name,
        role=label,
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
        slack="" if slack is None else count_words(slack, "working day"),
        critical=plan.schedule.critical[i],
        because=tuple((r.text.removesuffix(", binding"), r.binding) for r in reasons(plan, i)),
        after=tuple(_line(plan, k.source, k.lag, k.unit) for k in plan.network.incoming[i]),
        before=tuple(_line(plan, k.target, k.lag, k.unit) for k in plan.network.outgoing[i]),
        instructions=row.instructions,
        links_out=tuple(row.links_out),
        acts=tuple((act, STATE_WORDS[act]) for act in acts(state, may_skip=row.may_skip))
        if allowed and not plan.is_parent(i)
        else (),
        may_work=allowed,
        may_move=may_change(run, me) and run.state not in {"finished", "called off"} and row.state not in FINISHED,
        sign_off=sign_off_words(rule, signer[0] or signer[1], template) if rule else "",
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
