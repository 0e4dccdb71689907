"""Runs as parts of calendars: what is told of each task, under names that are unique in the world."""

from __future__ import annotations

import datetime as dt
import hmac
from collections.abc import Mapping
from dataclasses import replace

from unisequa.actions.runs.seeing import RunSeen
from unisequa.core.plan.plan import Plan
from unisequa.formats.icalendar import Part, Told
from unisequa.settings import Settings


def installation(settings: Settings) -> str:
    """What tells this installation from every other, and says nothing of its secret."""
    return hmac.new(settings.secret().encode(), b"calendars", "sha256").hexdigest()[:32]


def part_of(
    run: RunSeen,
    settings: Settings,
    addresses: Mapping[int, str],
    changed: dt.datetime | None,
    only: frozenset[str] | None = None,
) -> Part:
    """A run as a part of a calendar; ``only`` some of its tasks."""
    phases = {phase.key: phase.label for phase in run.template.phases}

    def told(key: str) -> Told:
        task = run.task(key)
        url = f"{settings.address.rstrip('/')}/runs/{run.id}?task={key}" if settings.address else ""
        names = [name for name in (run.template_name, phases.get(task.phase or "", "")) if name]
        return Told(
            task.instructions, task.who, addresses.get(task.person_id or 0, ""), url, tuple(names), task.kind,
            task.done_at if task.state == "done" else None, changed,
        )  # fmt: skip

    return Part(with_states(run), f"{installation(settings)}/run-{run.id}", told, run.version, only)


def with_states(run: RunSeen) -> Plan:
    """The plan with every task in the state that people see."""
    plan = run.plan
    return replace(plan, tasks=tuple(map(lambda t, s: replace(t, state=s), plan.tasks, run.ready.states)))
