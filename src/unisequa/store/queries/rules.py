"""Rules by the templates that they start."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.store.tables import RuleRow


def rules_that_start(session: Session, template_ids: Collection[int]) -> dict[int, int]:
    """How many rules that are on start each of some templates."""
    if not template_ids:
        return {}
    query = select(RuleRow.template_id, func.count()).where(
        RuleRow.state == "on", RuleRow.template_id.in_(template_ids)
    )
    return {number: count for number, count in session.execute(query.group_by(RuleRow.template_id)).all() if number}
