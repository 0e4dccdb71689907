"""What only a whole template can show: do references lead somewhere, do links run in a circle."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from unisequa.core.documents.placeholders import condition_fault, names_in, text_fault
from unisequa.core.documents.reading import read_document
from unisequa.core.documents.template import DayLabel, Measure, Step, Template, usual_roll
from unisequa.core.errors import DocumentError, Fault, did_you_mean
from unisequa.core.network.order import find_circle
from unisequa.core.terms import DAY_UNITS, MOST_DAYS

DEEPEST = 3
MESSAGE_NAMES = frozenset({"task", "run", "start", "due", "person"})
"""What a message's text may name besides facts, anchors and roles: of the task it goes with."""
MOST_OFFSETS = {
    "weeks": MOST_DAYS // 7,
    "months": 1200,
    "hours": MOST_DAYS * 24,
    "working hours": MOST_DAYS * 24,
    "minutes": MOST_DAYS * 1440,
    "working minutes": MOST_DAYS * 1440,
}
"""How far an offset reaches: a hundred years, and as many days otherwise."""


def read_template(content: object, *, spent: bool = False) -> Template:
    """A template from plain JSON values, checked whole; ``spent`` as in
    :func:`~unisequa.core.documents.reading.read_document`.

    Raises
    ------
    DocumentError
        With every fault and its path.
    """
    template = read_document(Template, content, spent=spent)
    if faults := list(faults_in(template)):
        raise DocumentError(faults)
    return template


def rolled_anew(content: object) -> Iterator[tuple[str, str]]:
    """Where a template's file leaves the roll of a negative offset out that may fall on a day off: path, and what to
    do.

    It used to mean ``following`` there and now means ``preceding``; the n-th working day is never a day off.
    """
    document = content if isinstance(content, dict) else {}
    hours = document.get("grid") == "minute"
    places = [(f"steps[{i}].{name}", step.get(name)) for i, step in enumerate(document.get("steps", ()))
              for name in ("when", "not_before", "deadline")]  # fmt: skip
    places += [(f"anchors[{i}].from", anchor.get("from")) for i, anchor in enumerate(document.get("anchors", ()))]
    for path, measure in places:
        if not isinstance(measure, dict) or measure.get("roll") is not None:
            continue
        unit = measure.get("unit", "working days")
        worked = unit.startswith("working") and (unit != "working days" or isinstance(measure.get("offset"), str))
        rolls = not worked and (hours or unit != "working days")
        if rolls and usual_roll(measure.get("offset", 0)) == "preceding":
            yield (
                path,
                'falls back to the working day before a day off; for the one behind it write "roll": "following"',
            )


def faults_in(template: Template) -> Iterator[Fault]:
    """Every fault that a template's parts have with each other."""
    anchors = [anchor.key for anchor in template.anchors]
    roles = [role.key for role in template.roles]
    phases = [phase.key for phase in template.phases]
    steps = [step.key for step in template.steps]
    facts = [fact.key for fact in template.facts]
    includes = [include.key for include in template.includes]
    for name, keys in (
        ("anchors", anchors), ("roles", roles), ("phases", phases),
        ("steps", steps), ("facts", facts), ("includes", includes),
    ):  # fmt: skip
        yield from _twice(name, keys)
    yield from _shared_names(anchors, roles, facts)
    names = frozenset([*anchors, *roles, *facts, "subject"])
    known_anchors, known_roles, known_phases = set(anchors), set(roles), set(phases)
    known_steps = set(steps)
    message_names = names | MESSAGE_NAMES

    def measured(path: str, measure: Measure | None) -> Iterator[Fault]:
        if measure is None:
            return
        if measure.anchor not in known_anchors:
            yield _unknown(f"{path}.anchor", "anchor", measure.anchor, anchors)
        yield from _units(template, path, measure)

    for i, anchor in enumerate(template.anchors):
        yield from measured(f"anchors[{i}].from", anchor.from_)
    for i, role in enumerate(template.roles):
        if role.fill.by == "person" and not role.fill.person:
            yield Fault(f"roles[{i}].fill.person", "is missing; give the person's address")
    for i, fact in enumerate(template.facts):
        if (fact.kind == "choice") != bool(fact.choices):
            yield Fault(f"facts[{i}].choices", "belong to a fact of kind choice, which needs at least one")
    if fault := text_fault(template.naming, names):
        yield Fault("naming", fault)
    for i, step in enumerate(template.steps):
        if step.phase is not None and step.phase not in known_phases:
            yield _unknown(f"steps[{i}].phase", "phase", step.phase, phases)
        if _is_plain(step) and (step.role is None or step.role in known_roles):
            continue
        path = f"steps[{i}]"
        signer = step.sign_off.role if step.sign_off else None
        for role_path, role_key in (("role", step.role), ("sign_off.role", signer)):
            if role_key is not None and role_key not in known_roles:
                yield _unknown(f"{path}.{role_path}", "role", role_key, roles)
        if step.parent is not None and step.parent not in known_steps:
            yield _unknown(f"{path}.parent", "step", step.parent, steps)
        if template.grid == "day" and isinstance(step.duration, str):
            yield Fault(f"{path}.duration", "on the day grid is a whole number of working days")
        if step.parent is not None and step.parent == step.key:
            yield Fault(f"{path}.parent", "is the step itself; name another or take it out")
        for name, measure in (("when", step.when), ("not_before", step.not_before), ("deadline", step.deadline)):
            if measure is not None:
                yield from measured(f"{path}.{name}", measure)
        for name in ("title", "instructions"):
            if fault := text_fault(getattr(step, name), names):
                yield Fault(f"{path}.{name}", fault)
        for m, message in enumerate(step.messages):
            if message.to not in known_roles:
                yield _unknown(f"{path}.messages[{m}].to", "role", message.to, roles)
            for name in ("subject", "text"):
                if fault := text_fault(getattr(message, name), message_names):
                    yield Fault(f"{path}.messages[{m}].{name}", fault)
            kept = {file.name for file in step.attachments}
            for f, name in enumerate(message.files):
                if name not in kept:
                    yield Fault(f"{path}.messages[{m}].files[{f}]", f'no file "{name}" is kept with the step')
        until = step.sign_off.until if step.sign_off else None
        for name, condition in (("only_if", step.only_if), ("sign_off.until", until)):
            if condition is not None and (fault := condition_fault(condition, names)):
                yield Fault(f"{path}.{name}", fault)
        for w, wait in enumerate(step.waits_for):
            if wait.anchor not in known_anchors:
                yield _unknown(f"{path}.waits_for[{w}].anchor", "anchor", wait.anchor, anchors)
    for i, include in enumerate(template.includes):
        if include.phase is not None and include.phase not in known_phases:
            yield _unknown(f"includes[{i}].phase", "phase", include.phase, phases)
        for name, given, ours in (("anchors", include.anchors, anchors), ("roles", include.roles, roles)):
            for theirs, our in given.items():
                if our not in ours:
                    yield _unknown(f"includes[{i}].{name}.{theirs}", name[:-1], our, ours)
    if template.ends is not None and template.ends not in known_anchors:
        yield _unknown("ends", "anchor", template.ends, anchors)
    for i, label in enumerate(template.day_labels):
        if label.anchor not in known_anchors:
            yield _unknown(f"day_labels[{i}].anchor", "anchor", label.anchor, anchors)
        yield from _units(template, f"day_labels[{i}]", label)
    seen: dict[tuple[str, str, str], int] = {}
    for i, link in enumerate(template.links):
        first = seen.setdefault((link.from_, link.to, link.type), i)
        loose = link.from_ not in known_steps or link.to not in known_steps or link.from_ == link.to
        if not loose and first == i and not isinstance(link.lag, str):
            continue  # as most do
        path = f"links[{i}]"
        for name, key in (("from", link.from_), ("to", link.to)):
            if key not in known_steps and key.split(".")[0] not in includes:
                yield _unknown(f"{path}.{name}", "step", key, steps)
        if link.from_ == link.to:
            yield Fault(path, f'"{link.to}" cannot follow itself; take the link out')
        if first != i:
            yield Fault(path, f"says the same as links[{first}]; take one of them out")
        if template.grid == "day" and isinstance(link.lag, str):
            yield Fault(f"{path}.lag", "on the day grid is a whole number of days")
    yield from _circles(template)


def _is_plain(step: Step) -> bool:
    """Whether a step has nothing but a title, a role, a phase and whole days, as most of a large job have."""
    if step.parent is not None or isinstance(step.duration, str) or step.only_if is not None:
        return False
    if step.when or step.not_before or step.deadline or step.sign_off or step.waits_for or step.messages:
        return False
    return not ("{" in step.title or "}" in step.title or step.instructions)


def _circles(template: Template) -> Iterator[Fault]:
    at = {step.key: i for i, step in enumerate(template.steps)}
    parents = [at[s.parent] if s.parent in at and s.parent != s.key else None for s in template.steps]
    nested = True
    family = any(above is not None for above in parents)
    if family and (circle := find_circle([[] if above is None else [above] for above in parents])):
        nested = False
        keys = " → ".join(template.steps[i].key for i in circle)
        yield Fault("steps", f"lie within each other in a circle: {keys}")
    for i in too_deep(parents) if nested and family else ():
        yield Fault(f"steps[{i}].parent", f"makes level {DEEPEST + 1}; steps go {DEEPEST} levels deep")
    if nested and (circle_of_links := circle_in(template)):
        keys = " → ".join((*circle_of_links, circle_of_links[0]))
        yield Fault("links", f"run in a circle: {keys}; take one of these links out")
    where = {anchor.key: i for i, anchor in enumerate(template.anchors)}
    derived = [[where[a.from_.anchor]] if a.from_ and a.from_.anchor in where else [] for a in template.anchors]
    if circle := find_circle(derived):
        keys = " → ".join(template.anchors[i].key for i in circle)
        yield Fault("anchors", f"are measured from each other in a circle: {keys}")


def circle_in(template: Template) -> list[str]:
    """The keys of the steps along a circle of links, through parents and their parts too, each once; empty without one.

    The steps must not lie within each other in a circle.
    """
    at = {step.key: i for i, step in enumerate(template.steps)}
    parents = [at[s.parent] if s.parent in at and s.parent != s.key else None for s in template.steps]
    follows: list[list[int]] = [[] for _ in template.steps]
    for link in template.links:
        if link.from_ in at and link.to in at and link.from_ != link.to:
            follows[at[link.from_]].append(at[link.to])
    if any(above is not None for above in parents):
        follows = _with_parts(follows, parents)
    n = len(template.steps)
    return list(dict.fromkeys(template.steps[i % n].key for i in find_circle(follows)))


_TEXTS = (".title", ".instructions", ".subject", ".text")


def may_wait(fault: Fault) -> bool:
    """Whether a draft may hold this until it is released: a placeholder in a text that leads nowhere yet."""
    return fault.path == "naming" or fault.path.endswith(_TEXTS)


def with_readable_titles(template: Template) -> Template:
    """A draft's template with titles that cannot be filled in as they are written, in ‹ › for braces."""
    keys = {item.key for part in (template.anchors, template.roles, template.facts) for item in part} | {"subject"}
    names = frozenset(keys)
    steps = tuple(
        step.model_copy(update={"title": step.title.replace("{{", "‹").replace("}}", "›").replace("{", "‹")})
        if text_fault(step.title, names)
        else step
        for step in template.steps
    )
    return template.model_copy(update={"steps": steps})


def circle_with(template: Template, source: str, target: str) -> list[str]:
    """The keys of the circle that one more link would make, from its source round to it; empty without one."""
    at = {step.key: i for i, step in enumerate(template.steps)}
    if source not in at or target not in at:
        return []
    n = len(template.steps)
    follows: list[list[int]] = [[] for _ in template.steps]
    for link in template.links:
        if link.from_ in at and link.to in at:
            follows[at[link.from_]].append(at[link.to])
    after = _with_parts(follows, [at.get(step.parent or "") for step in template.steps])
    goals = {at[source], n + at[source]}
    came: dict[int, int | None] = {at[target]: None}
    queue = [at[target]]
    for here in queue:
        if here in goals:
            way: list[int] = []
            step: int | None = here
            while step is not None:
                way.append(step)
                step = came[step]
            return [source, *dict.fromkeys(template.steps[i % n].key for i in reversed(way))]
        for there in after[here]:
            if there not in came:
                came[there] = here
                queue.append(there)
    return []


def too_deep(parents: list[int | None]) -> Iterator[int]:
    """The positions that lie deeper than steps may, by each one's parent; there must be no circle."""
    for i, above in enumerate(parents):
        depth = 1
        while above is not None and depth <= DEEPEST:
            depth, above = depth + 1, parents[above]
        if depth > DEEPEST:
            yield i


def _with_parts(follows: list[list[int]], parents: list[int | None]) -> list[list[int]]:
    """Links between steps as they bind parents and their sub-steps.

    Each step has a place where it begins, ``i``, and one where it has ended, ``n + i``; a parent begins before
    its sub-steps and ends behind them.
    """
    n = len(follows)
    successors: list[list[int]] = [[n + i] for i in range(n)] + [list(after) for after in follows]
    for child, parent in enumerate(parents):
        if parent is not None:
            successors[parent].append(child)
            successors[n + child].append(n + parent)
    return successors


def _units(template: Template, path: str, measure: Measure | DayLabel) -> Iterator[Fault]:
    unit, offset = measure.unit, measure.offset
    if template.grid == "day" and unit not in DAY_UNITS:
        yield Fault(f"{path}.unit", f'"{unit}" belongs to the minute grid; this template is on the day grid')
    elif isinstance(offset, str) and (template.grid == "day" or unit in {"weeks", "months"}):
        yield Fault(f"{path}.offset", f"in {unit} is a whole number")
    elif isinstance(offset, int) and abs(offset) > MOST_OFFSETS.get(unit, MOST_DAYS):
        yield Fault(
            f"{path}.offset", f"is more than a hundred years; at most {MOST_OFFSETS.get(unit, MOST_DAYS)} {unit}"
        )


def _unknown(path: str, noun: str, key: str, known: Iterable[str]) -> Fault:
    return Fault(path, f'no {noun} "{key}"{did_you_mean(key, known)}')


def _twice(name: str, keys: list[str]) -> Iterator[Fault]:
    seen: dict[str, int] = {}
    for i, key in enumerate(keys):
        if seen.setdefault(key, i) != i:
            yield Fault(f"{name}[{i}].key", f'"{key}" is the key of {name}[{seen[key]}] already; keys are unique')


def _shared_names(anchors: list[str], roles: list[str], facts: list[str]) -> Iterator[Fault]:
    taken = {"subject": "the subject"}
    for name, keys in (("anchors", anchors), ("roles", roles), ("facts", facts)):
        for i, key in enumerate(keys):
            if taken.get(key, name) != name:
                yield Fault(
                    f"{name}[{i}].key", f'"{key}" names {taken[key]} too; placeholders could not tell them apart'
                )
            taken[key] = name


def conditions_of(step: Step) -> frozenset[str]:
    """What the conditions of a step name: when it is there, and what its sign-off is held for."""
    until = step.sign_off.until if step.sign_off else None
    return names_in(step.only_if or "''", condition=True) | names_in(until or "''", condition=True)
