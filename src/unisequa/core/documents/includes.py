"""A template with everything it includes, laid out as one list of steps.

The steps of a template included under the key ``m`` appear as ``m.till``. Its anchors, roles and facts become
ours: by the mapping that the include gives, else ours of the same key, else, where we have none, they are added
under ``m.`` and asked for like our own.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from itertools import groupby
from operator import itemgetter
from typing import NamedTuple, TypeVar

from unisequa.core.documents.retired import without_retired
from unisequa.core.documents.template import Anchor, DayLabel, Fact, Include, Link, Measure, Phase, Role, Step, Template
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.terms import MOST_STEPS

M = TypeVar("M", bound=Measure)
K = TypeVar("K", Anchor, Role, Fact, Phase)


class Library:
    """Templates that others may include, found by their names, however they are written.

    Parameters
    ----------
    others : iterable of str
        The names of more that there are, to propose where one is not found.
    remedy : str
        What to do where there is none at all.
    """

    def __init__(
        self, templates: Iterable[tuple[str, Template]] = (), others: Iterable[str] = (), *, remedy: str = ""
    ) -> None:
        self.remedy = remedy
        self._found: dict[str, Template] = {}
        self._others = frozenset(name_key(name) for name in others)
        for name, template in templates:
            for key in (name_key(name), name_key(template.name)):
                self._found.setdefault(key, template)

    def find(self, name: str) -> Template | None:
        """The template of that name, if there is one."""
        return self._found.get(name_key(name))

    def map(self, change: Callable[[Template], Template]) -> Library:
        """The same library with every template changed."""
        made = Library(others=self._others, remedy=self.remedy)
        made._found = {name: change(template) for name, template in self._found.items()}
        return made

    def reachable(self, template: Template, include: Include) -> bool:
        """Whether a template's include can be laid out: it is here, on the same grid, and ends somewhere."""
        inner = self.find(include.template)
        return inner is not None and inner.grid == template.grid and template.name not in self._below(inner)

    def within(self, template: Template) -> list[Template]:
        """The templates that one includes, at any depth."""
        inside = {name: inner for name in self._below(template) if (inner := self.find(name))}
        return [inner for name, inner in inside.items() if name != template.name]

    def _below(self, template: Template) -> set[str]:
        names, queue = {template.name}, [template]
        for here in queue:
            for include in here.includes:
                inner = self.find(include.template)
                if inner is not None and inner.name not in names:
                    names.add(inner.name)
                    queue.append(inner)
        return names

    def all(self) -> list[Template]:
        """The templates there are, each once."""
        return list({template.name: template for template in self._found.values()}.values())

    def names(self) -> list[str]:
        """The names there are."""
        return sorted(self._found.keys() | self._others)


def same_name(a: str, b: str) -> bool:
    """Whether two names mean the same template, however they are written.

    >>> same_name("Month-end close", "month-end-close")
    True
    """
    return name_key(a) == name_key(b)


def name_key(name: str) -> str:
    """A name as it is compared: small letters and figures only, all else between them one dash."""
    return re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or name


@dataclass(frozen=True, slots=True)
class Scope:
    """Where a step comes from: its template's own names for anchors, roles and facts, and ours for them."""

    prefix: str = ""
    anchors: Mapping[str, str] = field(default_factory=dict)
    roles: Mapping[str, str] = field(default_factory=dict)
    facts: Mapping[str, str] = field(default_factory=dict)
    first_anchor: str | None = None

    def named(self, values: Mapping[str, object]) -> dict[str, object]:
        """Values by the names that this scope has for them, from those by ours."""
        pairs = [*self.anchors.items(), *self.roles.items(), *self.facts.items()]
        return {theirs: values.get(ours) for theirs, ours in pairs}

    def measure(self, theirs: M) -> M:
        """A measure from the anchor as we name it."""
        name = self.anchors.get(theirs.anchor, theirs.anchor)
        return theirs if name == theirs.anchor else theirs.model_copy(update={"anchor": name})


class Placed(NamedTuple):
    """A step with its full key, the scope it is read in, and where it stands in the document: the path of its template
    within that, and its number there."""

    key: str
    step: Step
    scope: Scope
    within: str
    number: int

    @property
    def path(self) -> str:
        """Its path in the document, for faults."""
        return f"{self.within}steps[{self.number}]"


@dataclass(frozen=True, slots=True)
class Whole:
    """A template and all it includes, by full keys, in order."""

    anchors: dict[str, tuple[Anchor, Scope]] = field(default_factory=dict)
    roles: dict[str, Role] = field(default_factory=dict)
    facts: dict[str, Fact] = field(default_factory=dict)
    phases: dict[str, Phase] = field(default_factory=dict)
    steps: list[Placed] = field(default_factory=list)
    links: list[tuple[str, str, Link, str]] = field(default_factory=list)
    """Full keys, the link, and the path of its template in the document."""
    groups: dict[str, list[str]] = field(default_factory=dict)
    day_labels: list[tuple[DayLabel, Scope]] = field(default_factory=list)
    jobs: dict[str, tuple[Scope, str | None]] = field(default_factory=dict)
    """Phase → the scope of its template, and the anchor that ends that."""


def whole(template: Template, library: Library | None = None) -> Whole:
    """The template with its includes laid out.

    Raises
    ------
    DocumentError
        For an included template that is not there, one that includes itself, a name mapped that it does not
        have, another grid, or links that lead nowhere.
    """
    laid = Whole()
    faults: list[Fault] = []
    _add(laid, template, Scope(first_anchor=_first(template, {})), library or Library(), (template.name,), "", faults)
    if not faults:
        faults = list(_loose_links(laid))
    if faults:
        raise DocumentError(faults)
    return laid


def titles_inside(template: Template, library: Library | None = None) -> dict[str, str]:
    """The titles of what a template includes, by full keys; by an include's own key the name of that template.

    Nothing where it cannot be laid out.
    """
    if not template.includes:
        return {}
    shelf = library or Library()
    names = {one.key: inner.name for one in template.includes if (inner := shelf.find(one.template)) is not None}
    try:
        placed = whole(template, shelf).steps
    except DocumentError:
        return names
    return names | {one.key: one.step.title for one in placed if "." in one.key}


def laid_open(template: Template, library: Library | None = None) -> Template:
    """The template with what it includes as its own parts, under their full keys; for reading, not for keeping.

    Raises
    ------
    DocumentError
        As :func:`whole`.
    """
    if not template.includes:
        return template
    parts = whole(template, library)

    def ours(placed: Placed) -> Step:
        step, scope = placed.step, placed.scope
        role = step.role and scope.roles.get(step.role, scope.prefix + step.role)
        signer = step.sign_off and scope.roles.get(step.sign_off.role, scope.prefix + step.sign_off.role)
        return step.model_copy(
            update={
                "key": placed.key,
                "phase": step.phase and scope.prefix + step.phase,
                "parent": step.parent and scope.prefix + step.parent,
                "role": role,
                "sign_off": step.sign_off and step.sign_off.model_copy(update={"role": signer}),
                "when": step.when and scope.measure(step.when),
                "waits_for": tuple(w.by(scope.anchors.get(w.anchor, w.anchor)) for w in step.waits_for),
            }
        )

    def named(key: str, item: K) -> K:
        return item if item.key == key else item.model_copy(update={"key": key})

    return template.model_copy(
        update={
            "anchors": tuple(
                named(key, anchor).model_copy(update={"from_": anchor.from_ and scope.measure(anchor.from_)})
                for key, (anchor, scope) in parts.anchors.items()
            ),
            "roles": tuple(named(key, role) for key, role in parts.roles.items()),
            "facts": tuple(named(key, fact) for key, fact in parts.facts.items()),
            "phases": tuple(named(key, phase) for key, phase in parts.phases.items()),
            "steps": tuple(ours(placed) for placed in parts.steps),
            "links": tuple(
                link.model_copy(update={"from_": source, "to": target}) for source, target, link, _ in parts.links
            ),
            "day_labels": tuple(
                label.model_copy(update={"anchor": scope.anchors.get(label.anchor, label.anchor)})
                for label, scope in parts.day_labels
            ),
            "includes": (),
        }
    )


def _first(template: Template, anchors: Mapping[str, str]) -> str | None:
    key = template.anchors[0].key if template.anchors else None
    return None if key is None else anchors.get(key, key)


def _add(
    laid: Whole,
    template: Template,
    scope: Scope,
    library: Library,
    within: tuple[str, ...],
    path: str,
    faults: list[Fault],
) -> None:
    """Put a template's parts under the names that its scope gives them, then what it includes."""
    template = without_retired(template)
    prefix = scope.prefix
    for anchor in template.anchors:
        laid.anchors.setdefault(scope.anchors.get(anchor.key, prefix + anchor.key), (anchor, scope))
    for role in template.roles:
        laid.roles.setdefault(scope.roles.get(role.key, prefix + role.key), role)
    for fact in template.facts:
        laid.facts.setdefault(scope.facts.get(fact.key, prefix + fact.key), fact)
    ends = None if template.ends is None else scope.anchors.get(template.ends, prefix + template.ends)
    for phase in template.phases:
        laid.phases[prefix + phase.key] = phase
        laid.jobs[prefix + phase.key] = scope, ends
    for i, step in enumerate(template.steps):
        laid.steps.append(Placed(prefix + step.key, step, scope, path, i))
    laid.links.extend((prefix + link.from_, prefix + link.to, link, path) for link in template.links)
    laid.day_labels.extend((label, scope) for label in template.day_labels)
    if prefix:
        laid.groups[prefix[:-1]] = [prefix + step.key for step in template.steps if step.parent is None]
    for i, include in enumerate(template.includes):
        place = f"{path}includes[{i}]"
        inner = library.find(include.template)
        if inner is None:
            faults.append(Fault(f"{place}.template", _not_there(include, library)))
        elif inner.name in within:
            circle = " → ".join((*within[within.index(inner.name) :], inner.name))
            faults.append(Fault(f"{place}.template", f"includes itself: {circle}"))
        elif inner.grid != template.grid:
            faults.append(Fault(f"{place}.template", f'"{inner.name}" is on the {inner.grid} grid, this one is not'))
        elif len(laid.steps) + len(inner.steps) > MOST_STEPS:
            faults.append(Fault(place, f"brings the whole to more than {MOST_STEPS:,} steps"))
            return
        else:
            mapped = list(_mapping_faults(template, inner, include, place))
            faults.extend(mapped)
            if not mapped:
                inside = _scope(template, inner, include, scope)
                _add(laid, inner, inside, library, (*within, inner.name), f"{place}.", faults)
        if len(faults) > 50:
            return


def _not_there(include: Include, library: Library) -> str:
    names = library.names()
    if not names and library.remedy:
        return f'"{include.template}" is needed to plan this template; {library.remedy}'
    return f'no template "{include.template}" is there{did_you_mean(include.template, names)}'


def _mapping_faults(template: Template, inner: Template, include: Include, path: str) -> Iterator[Fault]:
    for name, given, theirs, ours in (
        ("anchors", include.anchors, inner.anchors, template.anchors),
        ("roles", include.roles, inner.roles, template.roles),
    ):
        noun = name[:-1]
        their_keys, our_keys = [item.key for item in theirs], [item.key for item in ours]
        for their, our in given.items():
            if their not in their_keys:
                message = f'"{inner.name}" has no {noun} "{their}"{did_you_mean(their, their_keys)}'
                yield Fault(f"{path}.{name}.{their}", message)
            if our not in our_keys:
                yield Fault(f"{path}.{name}.{their}", f'no {noun} "{our}" here{did_you_mean(our, our_keys)}')


def _scope(template: Template, inner: Template, include: Include, scope: Scope) -> Scope:
    prefix = f"{scope.prefix}{include.key}."

    def names(
        theirs: Iterable[Anchor | Role | Fact],
        given: Mapping[str, str],
        ours: Iterable[Anchor | Role | Fact],
        outer: Mapping[str, str],
    ) -> dict[str, str]:
        known = {item.key for item in ours}
        mapped = {}
        for item in theirs:
            key = given.get(item.key, item.key)
            mapped[item.key] = outer.get(key, scope.prefix + key) if key in known else prefix + item.key
        return mapped

    anchors = names(inner.anchors, include.anchors, template.anchors, scope.anchors)
    made = Scope(
        prefix,
        anchors,
        names(inner.roles, include.roles, template.roles, scope.roles),
        names(inner.facts, {}, template.facts, scope.facts),
    )
    return replace(made, first_anchor=_first(inner, anchors))


def _loose_links(laid: Whole) -> Iterator[Fault]:
    known = {placed.key for placed in laid.steps}
    for path, links in groupby(laid.links, itemgetter(3)):
        for i, (source, target, link, _) in enumerate(links):
            if not laid.groups and source in known and target in known:
                continue  # as most do
            for name, key in (("from", source), ("to", target)):
                if key not in laid.groups:
                    if key not in known:
                        yield Fault(f"{path}links[{i}].{name}", f'no step "{key}"{did_you_mean(key, known)}')
                elif name == "from" and link.type[0] == "S":
                    text = f'"{key}" is a whole template; name the step of it that is to start'
                    yield Fault(f"{path}links[{i}].from", text)
