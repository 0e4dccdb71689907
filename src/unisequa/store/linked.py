"""A template's includes and waits followed by id, and handed to the core by names that are each one template's."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from unisequa.core.documents.includes import Library, name_key
from unisequa.core.documents.template import Template
from unisequa.store.documents import template_of
from unisequa.store.meanings import Meant, meanings, named_by
from unisequa.store.queries.templates import editions_by_id, newest_released, seen_among
from unisequa.store.tables import Edition

Choose = Callable[[Collection[int]], list[Edition]]
"""Template ids → the edition of each that counts; one that has none is not there."""


@dataclass(frozen=True, slots=True)
class Linked:
    """Templates as a library, by the names that they go by in one template.

    Parameters
    ----------
    ids : dict
        Name as it is compared → template's id, also of what is only waited for.
    editions : dict
        Template's id → the edition that counts.
    """

    library: Library = field(default_factory=Library)
    ids: Meant = field(default_factory=dict)
    editions: dict[int, Edition] = field(default_factory=dict)

    def id_of(self, name: str) -> int | None:
        """The template that goes by a name."""
        return self.ids.get(name_key(name))

    def pins(self, template: Template) -> dict[str, int] | None:
        """The editions of what a template includes, at any depth, by template; None where it includes nothing, or what
        is not there."""
        if not template.includes or any(self.library.find(include.template) is None for include in template.includes):
            return None
        ids = [self.ids[name_key(inner.name)] for inner in self.library.within(template)]
        return {str(number): self.editions[number].id for number in ids}


def linked(
    session: Session,
    names: Collection[str],
    meant: Mapping[str, int],
    choose: Choose,
    *,
    waits: bool = False,
    others: Collection[str] = (),
) -> Linked:
    """What names lead to, and what that includes, at any depth; with ``waits`` also what its steps wait for.

    The names given keep what they mean. What a template further in calls otherwise than it is called here is called
    so there too, in its document as it is handed on.

    Parameters
    ----------
    meant : mapping
        What the names mean; one that it does not have leads nowhere.
    others : collection of str
        More names that could be written, to propose.
    """
    goes_by: dict[int, str] = {}
    ids: Meant = {}
    taken = {name_key(name) for name in names}
    for name in names:
        number = meant.get(name_key(name))
        if number is not None:
            goes_by.setdefault(number, name)
            ids[name_key(name)] = number
    editions: dict[int, Edition] = {}
    found: dict[int, Template] = {}
    asked: set[int] = set()
    while level := goes_by.keys() - asked:
        asked |= level
        for edition in choose(level):
            number = edition.template_id
            editions[number] = edition
            inner, own = template_of(edition), meanings(session, edition)
            called: dict[str, str] = {}
            for name in sorted(named_by(inner, waits=waits)):
                target = own.get(name_key(name))
                if target is None:
                    here = f"{name} (not there)"[-200:] if name_key(name) in taken else name
                elif target in goes_by:
                    here = goes_by[target]
                else:
                    here = goes_by[target] = _free(name, target, taken)
                    ids[name_key(here)] = target
                taken.add(name_key(here))
                if here != name:
                    called[name] = here
            found[number] = _calling(inner, goes_by[number], called)
    every = [(name, found[number]) for name in names if (number := meant.get(name_key(name))) in found and number]
    every += [(goes_by[number], template) for number, template in found.items()]
    return Linked(Library(every, others), ids, editions)


def _free(name: str, number: int, taken: set[str]) -> str:
    while name_key(name) in taken:
        name = f"{name} {number}"[-200:]
    return name


def _calling(template: Template, name: str, called: Mapping[str, str]) -> Template:
    """A template under another name, calling others otherwise."""
    changes: dict[str, object] = {} if template.name == name else {"name": name}
    if called:
        changes["includes"] = tuple(
            include.model_copy(update={"template": called.get(include.template, include.template)})
            for include in template.includes
        )
        changes["steps"] = tuple(
            step.model_copy(
                update={
                    "waits_for": tuple(
                        wait.model_copy(update={"template": called.get(wait.template, wait.template)})
                        for wait in step.waits_for
                    )
                }
            )
            if step.waits_for
            else step
            for step in template.steps
        )
    return template.model_copy(update=changes) if changes else template


def newest(session: Session, person_id: int | None = None) -> Choose:
    """The newest released editions, of those open to somebody if one is named."""
    return lambda ids: newest_released(session, ids=ids, person_id=person_id)


def settled(session: Session, pins: Mapping[str, int]) -> Choose:
    """The editions that were settled."""
    editions = {edition.template_id: edition for edition in editions_by_id(session, set(pins.values())).values()}
    return lambda ids: [editions[number] for number in ids if number in editions]


def linked_from(
    session: Session,
    edition: Edition,
    choose: Choose | None = None,
    *,
    waits: bool = True,
    others: Collection[str] = (),
) -> Linked:
    """What an edition includes and waits for: in the editions that were settled, else in the newest of what is open to
    its template's owner or to who last wrote it."""
    if choose is None:
        choose = newest(session) if edition.pins is None else settled(session, edition.pins)
    names = named_by(template_of(edition), waits=waits)
    meant = meanings(session, edition)
    if edition.pins is None and meant:
        still_open = seen_among(session, set(meant.values()), {edition.template.owner_id, edition.changed_by_id})
        meant = {key: number for key, number in meant.items() if number in still_open}
    return linked(session, names, meant, choose, waits=waits, others=others)
