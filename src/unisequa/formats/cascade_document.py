"""The cascade document: what ``unisequa cascade`` prints."""

from __future__ import annotations

from typing import Any

from unisequa.core.shift.result import Cascade
from unisequa.formats.plan_document import day_text, plan_document, plan_finish


def cascade_document(result: Cascade) -> dict[str, Any]:
    """A cascade as plain JSON values, the plan afterwards included."""
    grid = result.plan.grid
    changes = []
    for change in result.changes:
        before, after = result.read(change)
        changes.append(
            {
                "key": change.key,
                "start": [day_text(grid, before and before[0]), day_text(grid, after[0])],
                "finish": [day_text(grid, before and before[1]), day_text(grid, after[1])],
                "delta": change.delta,
                "cause": change.cause,
                "via": change.via,
                "text": result.reason(change),
            }
        )
    after_plan = result.after()
    plan = plan_document(after_plan)
    old = plan_finish(result.plan)
    became, ceased = result.criticality(after_plan)
    crew = result.plan.crew
    return {
        "format": "unisequa-cascade/1",
        "mode": result.mode,
        "changes": changes,
        "unchanged": result.unchanged,
        "conflicts": [{"kind": c.kind, "task": c.task, "text": c.text} for c in result.conflicts],
        "states": [{"key": key, "state": [was, now]} for key, was, now in result.states],
        "finish": [old, plan["finish"]],
        "affected": [{"role": role, "person": crew.get(role)} for role in result.affected],
        "became_critical": became,
        "ceased_critical": ceased,
        "plan": plan,
    }
