"""Editions: releasing a draft, retiring, going back to one, and comparing two."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from unisequa.actions.access import check_may, may
from unisequa.actions.errors import NotThere, Refused, sentence
from unisequa.actions.history import note
from unisequa.actions.runs.runs import not_startable
from unisequa.actions.templates.drafts import edit_draft, template_row
from unisequa.actions.templates.shelf import newest
from unisequa.core.calendars.words import count_words
from unisequa.core.design.comparison import difference
from unisequa.core.design.difference_words import Told, told
from unisequa.core.design.findings import Finding, findings
from unisequa.core.design.outline import Outline, outline
from unisequa.core.design.waits import waits_over
from unisequa.core.documents.includes import Library
from unisequa.core.documents.template import Template
from unisequa.store.documents import template_of
from unisequa.store.tables import Edition, Person, Run, now


def edition_of(session: Session, actor: Person, template_id: int, number: int | None = None) -> Edition:
    """One edition; without a number the draft for who may edit it, or else the newest released."""
    row = template_row(session, template_id)
    check_may(row, actor, "look")
    editor = may(row, actor, "edit")
    seen = [edition for edition in row.editions if edition.state != "draft" or editor]
    if number is not None:
        chosen = next((edition for edition in seen if edition.number == number), None)
    elif editor:
        chosen = seen[-1] if seen else None
    else:
        released = [edition for edition in seen if edition.state == "released"]
        chosen = (released or seen)[-1] if seen else None
    if chosen is None:
        raise NotThere("This edition does not exist, or is a draft that only its editors see.")
    return chosen


def checks(session: Session, template: Template, seen: Outline | None = None) -> list[Finding]:
    """What deserves mending before a release, what bars it first; ``seen`` is the outline where it is known."""
    people = frozenset(session.scalars(select(Person.email).where(Person.active)))
    waits = any(step.waits_for for step in template.steps)
    library = newest(session).library if template.includes or waits else Library()
    found = findings(template, seen or outline(template, library), people)
    found += waits_over(template, library)
    found += [
        Finding("fault", sentence(fault.message), field=fault.path, bars=True) for fault in not_startable(template)
    ]
    return sorted(found, key=lambda finding: not finding.bars)


def release(session: Session, actor: Person, template_id: int, text: str = "") -> Edition:
    """Release the draft: from now on it never changes, and others can start it."""
    row = template_row(session, template_id)
    check_may(row, actor, "edit")
    draft = row.editions[-1]
    if draft.state != "draft":
        raise Refused({"": "There is no draft to release."})
    bars = [finding for finding in checks(session, template_of(draft)) if finding.bars]
    if bars:
        raise Refused({"release": sentence(bars[0].text)})
    draft.state, draft.released_at, draft.note = "released", now(), text.strip()[:2000]
    draft.pins = newest(session).pins(template_of(draft))
    steps = count_words(len(draft.document.get("steps", [])), "step")
    said = f": {draft.note}" if draft.note else ""
    note(session, actor, "released", f"edition {draft.number} released with {steps}{said}", template_id=row.id)
    return draft


def retire(session: Session, actor: Person, template_id: int, number: int, *, back: bool = False) -> Edition:
    """Retire a released edition, so that nobody starts it any more; ``back`` takes it into use again."""
    row = template_row(session, template_id)
    check_may(row, actor, "edit")
    edition = edition_of(session, actor, template_id, number)
    if edition.state != ("retired" if back else "released"):
        raise Refused({"": f"Edition {number} is {edition.state}; only a released one is retired."})
    edition.state = "released" if back else "retired"
    words = f"edition {number} {'taken into use again' if back else 'retired'}"
    note(session, actor, "retired" if not back else "released", words, template_id=row.id)
    return edition


def go_back(session: Session, actor: Person, template_id: int, number: int) -> Edition:
    """Make the draft what an earlier edition says; an edit like any other, which can be undone."""
    wanted = template_of(edition_of(session, actor, template_id, number))
    return edit_draft(session, actor, template_id, lambda _: wanted)


def discard_draft(session: Session, actor: Person, template_id: int) -> None:
    """Throw a draft away; the released edition before it stays."""
    row = template_row(session, template_id)
    check_may(row, actor, "edit")
    draft = row.editions[-1]
    if draft.state != "draft" or len(row.editions) == 1:
        raise Refused({"": "There is no draft beside a released edition to discard."})
    if session.scalar(select(func.count(Run.id)).where(Run.edition_id == draft.id)):
        raise Refused({"": "A run was started from this draft; release it or keep it."})
    note(session, actor, "draft discarded", f"edition {draft.number} discarded", template_id=row.id)
    row.editions.remove(draft)
    session.delete(draft)
    before = template_of(row.editions[-1])
    row.name, row.category = before.name, before.category


def compare(session: Session, actor: Person, template_id: int, old: int, new: int) -> list[Told]:
    """What was added, removed and changed from one edition to another."""
    a = template_of(edition_of(session, actor, template_id, old))
    b = template_of(edition_of(session, actor, template_id, new))
    return told(difference(a.written(), b.written()), a, b)


def runs_of(session: Session, edition_ids: list[int]) -> dict[int, int]:
    """How many runs were started from each of some editions."""
    query = select(Run.edition_id, func.count(Run.id)).where(Run.edition_id.in_(edition_ids)).group_by(Run.edition_id)
    return {row[0]: row[1] for row in session.execute(query).all()}
