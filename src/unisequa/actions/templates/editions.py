"""Editions: releasing a draft, retiring, going back to one, and comparing two."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from unisequa.actions.access import Act, acts_of, check_may, may
from unisequa.actions.history import Happened, note, of_template
from unisequa.actions.people.people import Actor
from unisequa.actions.templates.drafts import edit_draft, edits_of
from unisequa.actions.templates.included import closed, included_by, included_now
from unisequa.actions.templates.seeing import edition_of, template_row
from unisequa.core.calendars.words import as_sentence, count_words
from unisequa.core.design.comparison import difference
from unisequa.core.design.difference_words import Told, told
from unisequa.core.design.fields.waits import waits_over
from unisequa.core.design.findings import Finding, findings
from unisequa.core.design.outline import Outline, outline
from unisequa.core.errors import Refused
from unisequa.store.documents import template_of
from unisequa.store.meanings import settle
from unisequa.store.queries.people import addresses
from unisequa.store.queries.runs import started_by
from unisequa.store.store import Session
from unisequa.store.tables import Edition, now


def checks(session: Session, edition: Edition, seen: Outline | None = None) -> list[Finding]:
    """What deserves mending before a release, what bars it first; ``seen`` is the outline where it is known."""
    people, template = addresses(session), template_of(edition)
    library = included_now(session, edition).library
    every = findings(template, seen or outline(template, library), people)
    every += waits_over(template, library)
    return sorted(every, key=lambda finding: not finding.bars)


def release(session: Session, actor: Actor, template_id: int, text: str = "") -> Edition:
    """Release the draft: from now on it never changes, and others can start it."""
    row = template_row(session, template_id)
    check_may(row, actor, "change a draft")
    draft = row.editions[-1]
    if draft.state != "draft":
        raise Refused({"": "There is no draft to release."})
    settle(session, draft, template_of(draft), actor.id)
    if lost := sorted(closed(session, actor, draft, waits=True)):
        raise Refused({"release": f"“{lost[0]}” is not there any more, or not open to you; take it out of this one."})
    bars = [finding for finding in checks(session, draft) if finding.bars]
    if bars:
        raise Refused({"release": as_sentence(bars[0].text)})
    draft.state, draft.released_at, draft.note = "released", now(), text.strip()[:2000]
    template = template_of(draft)
    draft.pins = included_by(session, draft).pins(template)
    steps = count_words(draft.steps, "step")
    said = f": {draft.note}" if draft.note else ""
    note(session, actor, "released", f"edition {draft.number} released with {steps}{said}", template_id=row.id)
    return draft


def retire(session: Session, actor: Actor, template_id: int, number: int, *, back: bool = False) -> Edition:
    """Retire a released edition, so that nobody starts it any more; ``back`` takes it into use again."""
    row = template_row(session, template_id)
    check_may(row, actor, "manage the template")
    edition = edition_of(session, actor, template_id, number)
    if edition.state != ("retired" if back else "released"):
        raise Refused({"": f"Edition {number} is {edition.state}; only a released one is retired."})
    edition.state = "released" if back else "retired"
    words = f"edition {number} {'taken into use again' if back else 'retired'}"
    note(session, actor, "retired" if not back else "released", words, template_id=row.id)
    return edition


def go_back(session: Session, actor: Actor, template_id: int, number: int) -> Edition:
    """Make the draft what an earlier edition says; an edit like any other, which can be undone."""
    wanted = template_of(edition_of(session, actor, template_id, number))
    return edit_draft(session, actor, template_id, lambda _: wanted)


def discard_draft(session: Session, actor: Actor, template_id: int) -> None:
    """Throw a draft away; the released edition before it stays."""
    row = template_row(session, template_id)
    check_may(row, actor, "change a draft")
    draft = row.editions[-1]
    if draft.state != "draft" or len(row.editions) == 1:
        raise Refused({"": "There is no draft beside a released edition to discard."})
    if started_by(session, None, editions=[draft.id]):
        raise Refused({"": "A run was started from this draft; release it or keep it."})
    note(session, actor, "draft discarded", f"edition {draft.number} discarded", template_id=row.id)
    row.editions.remove(draft)
    session.delete(draft)
    before = template_of(row.editions[-1])
    row.name, row.category = before.name, before.category


@dataclass(frozen=True, slots=True)
class EditionLine:
    """An edition in a list; ``at`` is when it was released or last changed."""

    number: int
    state: str
    at: dt.datetime
    by: str
    note: str
    steps: int
    runs: int


@dataclass(frozen=True, slots=True)
class EditionsSeen:
    """All editions of a template that somebody may see, two of them compared, who may do what, and what was done.

    ``changes`` are None where there are no two to compare.
    """

    name: str
    owner: str
    owner_id: int
    acts: frozenset[Act]
    lines: tuple[EditionLine, ...]
    old: int
    new: int
    changes: tuple[Told, ...] | None
    happened: tuple[Happened, ...]
    open_to: str
    rights: tuple[tuple[str, str, str], ...]


def see_editions(
    session: Session, actor: Actor, template_id: int, old: int | None = None, new: int | None = None
) -> EditionsSeen:
    """The editions, from ``old`` to ``new`` compared; the latest two without."""
    row = template_row(session, template_id)
    check_may(row, actor, "see the template")
    editor = may(row, actor, "change a draft")
    seen = [edition for edition in row.editions if edition.state != "draft" or editor]
    by_number = {edition.number: edition for edition in seen}
    numbers = list(by_number)
    new = new if new in by_number else numbers[-1] if numbers else 0
    old = old if old in by_number else numbers[-2] if len(numbers) > 1 else new
    started = started_by(session, actor.id, editions=[edition.id for edition in seen])
    happened = [*of_template(session, row.id), *(edits_of(session, row.id) if editor else ())]
    return EditionsSeen(
        row.name,
        row.owner.name,
        row.owner_id,
        acts_of(row, actor),
        tuple(
            EditionLine(
                one.number, one.state, one.released_at or one.changed_at, one.changed_by.name, one.note, one.steps,
                started.get(one.id, 0),
            )
            for one in reversed(seen)
        ),
        old,
        new,
        None if old == new else _changes(by_number[old], by_number[new]),
        tuple(sorted(happened, key=lambda one: (one.at, one.order), reverse=True)),
        row.open_to,
        (
            *((f"team:{given.team_id}", f"The team {given.team.name}", given.right) for given in row.team_rights),
            *((str(given.person_id), given.person.name, given.right) for given in row.rights),
        ),
    )  # fmt: skip


def _changes(old: Edition, new: Edition) -> tuple[Told, ...]:
    a, b = template_of(old), template_of(new)
    return tuple(told(difference(a.written(), b.written()), a, b))


@dataclass(frozen=True, slots=True)
class Releasable:
    """A draft as it would be released: what it changes since the edition before it, if there is one."""

    number: int
    before: int
    changes: tuple[Told, ...]
    steps: int


def releasable(session: Session, actor: Actor, template_id: int) -> Releasable:
    """What a release would change."""
    row = template_row(session, template_id)
    check_may(row, actor, "change a draft")
    draft = row.editions[-1]
    before = row.editions[-2] if len(row.editions) > 1 else None
    changes = _changes(before, draft) if before else ()
    return Releasable(draft.number, before.number if before else 0, changes, draft.steps)
