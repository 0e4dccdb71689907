"""Taking a shift back: what to remember of it, and how everything it changed is restored.

A record holds, for each task, link, anchor and calendar that the shift changed, how it was and how the shift
left it, as plain JSON values; dates are boundaries. It can be taken back as long as all of that is still as
the shift left it, and what was not touched still fits.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

from unisequa.core.documents.calendar import CalendarDocument
from unisequa.core.errors import ShiftError
from unisequa.core.network.activities import Dependency
from unisequa.core.network.places import UNDATED, number_asked, number_from
from unisequa.core.plan.calendars import Calendars
from unisequa.core.plan.phases import PhaseOf, with_windows
from unisequa.core.plan.plan import Plan, replanned
from unisequa.core.plan.task import LinkOf
from unisequa.core.shift.result import Cascade
from unisequa.core.terms import FINISHED

Record = dict[str, Any]

_PLACE = frozenset({"start", "finish", "duration", "state"})
"""Where a task stands: of these a shift remembers all or none. One that it left there may be moved, and moved back,
without the shift."""


def record_of(result: Cascade, after: Plan | None = None) -> Record:
    """What must be remembered of a shift to take it back; empty parts are left out."""
    plan, after = result.plan, after or result.after()
    tasks = {}
    for i, task in enumerate(plan.tasks):
        if plan.is_parent(i):
            continue  # spans its sub-steps, and is what they make it
        was, now = _state(plan, i), _state(after, i)
        if was != now:
            changed = {name for name in was if was[name] != now[name]}
            names = changed | _PLACE if changed & _PLACE else changed
            tasks[task.key] = {
                "before": {name: was[name] for name in was if name in names},
                "after": {name: now[name] for name in was if name in names},
            }
    old, new = dict.fromkeys(plan.links), dict.fromkeys(after.links)
    record: Record = {
        "tasks": tasks,
        "added": [_link(link) for link in new if link not in old],
        "removed": [_link(link) for link in old if link not in new],
        "anchors": {k: [d, after.anchors[k]] for k, d in plan.anchors.items() if d != after.anchors[k]},
    }
    if after.calendars is not plan.calendars:
        record["calendars"] = [[d.written() for d in p.calendars.documents] for p in (plan, after)]
    if after.phases != plan.phases:
        record["phases"] = [[_phase(phase) for phase in p.phases if phase.window] for p in (plan, after)]
    broken = [
        [plan.tasks[k.source].key, plan.tasks[k.target].key, k.type]
        for k in plan.network.links
        if (plan.tasks[k.source].key in tasks) != (plan.tasks[k.target].key in tasks) and _broken(plan, k)
    ]
    if broken:  # what did not hold before need not hold again
        record["broken"] = broken
    if after.end != plan.end:
        record["end"] = [plan.end, after.end]
    return {name: part for name, part in record.items() if part}


def taken_back(plan: Plan, record: Record, later: Iterable[Record] = ()) -> Plan:
    """The plan with everything that a shift changed as it was before.

    later
        The records of the shifts after it that stand, oldest first. Each of them can still be taken back after it,
        newest first, if it could before.

    Raises
    ------
    ShiftError
        When something later depends on it: a task, link, anchor or calendar has changed again, also where it came
        back to what the shift left; a link to a task that the shift did not touch would no longer hold, now or
        once later shifts are taken back as well.
    """
    newer = list(later)
    _check_nothing_rests(plan, record, newer)
    _check_unchanged(plan, record)
    restored = _without(plan, record)
    if bad := _loosened(plan, restored, record):
        source, target = bad[0]
        raise ShiftError(f"{target.title} would stand earlier than {source.title} allows", task=target.key)
    _check_others_can_follow(plan, restored, newer, _linked_with(plan, restored, record))
    return restored


def _without(plan: Plan, record: Record) -> Plan:
    """The plan with what a record holds as it was before, whatever has become of it since."""
    tasks = list(plan.tasks)
    dates = {
        task.key: (plan.schedule.start[i], plan.schedule.finish[i])
        for i, task in enumerate(tasks)
        if plan.schedule.start[i] != UNDATED
    }
    for key, change in record.get("tasks", {}).items():
        i, before = plan.positions[key], change["before"]
        tasks[i] = replace(tasks[i], **_fields(before))
        if "start" not in before:
            continue  # it stood where it stands
        if before["start"] == UNDATED:
            dates.pop(key, None)
        else:
            dates[key] = before["start"], before["finish"]
    added = {LinkOf(*link) for link in record.get("added", [])}
    links = [link for link in plan.links if link not in added]
    links += [LinkOf(*link) for link in record.get("removed", [])]
    calendars = plan.calendars
    if "calendars" in record:
        documents = [CalendarDocument.model_validate(written) for written in record["calendars"][0]]
        calendars = Calendars(documents, plan.grid)
    anchors = {**plan.anchors, **{key: days[0] for key, days in record.get("anchors", {}).items()}}
    phases = plan.phases
    if "phases" in record:
        windows = {key: ((first, last), put) for key, first, last, put in record["phases"][0]}
        phases = tuple(
            replace(p, window=windows.get(p.key, (None, False))[0], put=windows.get(p.key, (None, False))[1])
            for p in phases
        )
    return replanned(
        plan,
        dates,
        tasks=with_windows(tasks, phases, plan.grid),
        links=tuple(links),
        calendars=calendars,
        anchors=anchors,
        phases=phases,
        end=record["end"][0] if "end" in record else plan.end,
    )


def _check_nothing_rests(plan: Plan, record: Record, later: Iterable[Record]) -> None:
    """Refuse to take a shift back that later ones have gone on from: also where they came back to what it left, since
    they could not be taken back after it."""
    for other in later:
        changed: dict[str, Any] = other.get("tasks", {})
        for key, change in record.get("tasks", {}).items():
            if key in changed and change["after"].keys() & changed[key]["after"].keys():
                at = plan.positions.get(key)
                title = key if at is None else plan.tasks[at].title
                raise ShiftError(f"{title} has moved again since", task=key)
        if links := sorted(_links_in(record) & _links_in(other)):
            source, target, _ = links[0]
            raise ShiftError(f"the link from {source} to {target} has changed since", task=target)
        if anchors := sorted(record.get("anchors", {}).keys() & other.get("anchors", {}).keys()):
            raise ShiftError(f"{plan.labels.get(anchors[0], anchors[0])} has moved again since")
        for part, said in (("calendars", "the calendars"), ("phases", "the windows of its phases")):
            if part in record and part in other:
                raise ShiftError(f"{said} have changed since")


def _check_others_can_follow(plan: Plan, restored: Plan, later: Iterable[Record], near: frozenset[str]) -> None:
    """Refuse what would bar later shifts from being taken back in their turn: a task that one of them moved has its
    earlier place only as long as what it follows stays where this shift brought it."""
    newest_first = [record for record in reversed(list(later)) if _can_be_worked_out(plan, record)]
    if all(near.isdisjoint(record.get("tasks", ())) and not _links_in(record) for record in newest_first):
        return
    with_it, without = plan, restored
    for record in newest_first:
        next_with, next_without = _without(with_it, record), _without(without, record)
        stood = set(_loosened(with_it, next_with, record))
        if bad := [pair for pair in _loosened(without, next_without, record) if pair not in stood]:
            source, target = bad[0]
            raise ShiftError(f"{target.title} was moved since, by where {source.title} stands now", task=target.key)
        with_it, without = next_with, next_without


def _links_in(record: Record) -> set[tuple[str, str, str]]:
    """The links that a shift added or took out, whatever their lag."""
    return {(one[0], one[1], one[2]) for name in ("added", "removed") for one in record.get(name, [])}


def _state(plan: Plan, i: int) -> dict[str, Any]:
    """All of a task that a shift can change."""
    task = plan.tasks[i]
    return {
        "start": plan.schedule.start[i],
        "finish": plan.schedule.finish[i],
        "duration": task.duration,
        "state": task.state,
        "fixed": task.fixed,
        "put": task.put,
        "edge": task.edge,
        "calendar": task.calendar,
        "target": list(task.target) if task.target else None,
        "not_before": task.not_before,
        "deadline": task.deadline,
        "who": task.who,
        "left": task.left,
    }


def _fields(state: Mapping[str, Any]) -> dict[str, Any]:
    changed = {name: value for name, value in state.items() if name not in {"start", "finish"}}
    if changed.get("target"):
        changed["target"] = tuple(changed["target"])
    return changed


def _link(link: LinkOf) -> list[Any]:
    return [link.source, link.target, link.type, link.lag, link.unit]


def _phase(phase: PhaseOf) -> list[Any]:
    first, last = phase.window or (None, None)
    return [phase.key, first, last, phase.put]


def _check_unchanged(plan: Plan, record: Record) -> None:
    for key, change in record.get("tasks", {}).items():
        if key not in plan.positions:
            raise ShiftError("a task that it moved is no longer there", task=key)
        i = plan.positions[key]
        state, task = _state(plan, i), plan.tasks[i]
        if state["state"] != change["after"].get("state", state["state"]):
            now = f"is {task.state}" if task.state in FINISHED or task.stands else "was reopened"
            raise ShiftError(f"{task.title} {now} since", task=key)
        if any(state[name] != value for name, value in change["after"].items()):
            raise ShiftError(f"{task.title} has moved again since", task=key)
    links = set(plan.links)
    for written, there in ((record.get("added", []), True), (record.get("removed", []), False)):
        for one in written:
            if gone := [key for key in one[:2] if key not in plan.positions and key not in plan.ties]:
                raise ShiftError("a task that it linked is no longer there", task=gone[0])
            if (LinkOf(*one) in links) != there:
                raise ShiftError(f"the link from {one[0]} to {one[1]} has changed since", task=one[1])
    for key, (_, day) in record.get("anchors", {}).items():
        if plan.anchors.get(key) != day:
            raise ShiftError(f"{plan.labels.get(key, key)} has moved again since")
    if "phases" in record and [_phase(p) for p in plan.phases if p.window] != record["phases"][1]:
        raise ShiftError("the windows of its phases have changed since")
    if "calendars" in record and [d.written() for d in plan.calendars.documents] != record["calendars"][1]:
        raise ShiftError("the calendars have changed since")


class _End(NamedTuple):
    """One end of a link, for words about it."""

    key: str
    title: str


def _loosened(plan: Plan, restored: Plan, record: Record) -> list[tuple[_End, _End]]:
    """The links, by their ends, that hold in a plan and no longer do without a shift, though they did before it."""
    touched = set(record.get("tasks", {}))
    broken = {(a, b, c) for a, b, c in record.get("broken", [])}
    found = []
    for link in restored.network.links:
        source, target = restored.tasks[link.source], restored.tasks[link.target]
        known = (source.key, target.key, link.type) in broken
        if known or (source.key in touched) == (target.key in touched) or target.stands:
            continue
        if _broken(restored, link) and not (link in plan.network.links and _broken(plan, link)):
            found.append((_End(source.key, source.title), _End(target.key, target.title)))
    return found


def _linked_with(plan: Plan, restored: Plan, record: Record) -> frozenset[str]:
    """The tasks that a shift changed, and those with a link to or from them: whose places may rest on it. All of them
    when it changed working days."""
    if "calendars" in record:
        return frozenset(plan.positions)
    near = set(record.get("tasks", {})) | {key for link in _links_in(record) for key in link[:2]}
    ends = {(link.source, link.target) for one in (plan, restored) for link in one.links}
    return frozenset(near | {other for a, b in ends for this, other in ((a, b), (b, a)) if this in near})


def _can_be_worked_out(plan: Plan, record: Record) -> bool:
    """Whether all that a record speaks of is still there."""
    return all(key in plan.positions for key in record.get("tasks", {}))


def _broken(plan: Plan, link: Dependency) -> bool:
    start, finish = plan.schedule.start, plan.schedule.finish
    if UNDATED in (start[link.source], start[link.target]):
        return False
    activity = plan.network.activities[link.target]
    source = plan.network.activities[link.source].leaving((start[link.source], finish[link.source]))
    asked = number_asked(link, source, activity)
    return asked > number_from(activity, "S", start[link.target])
