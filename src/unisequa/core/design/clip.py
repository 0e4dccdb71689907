"""Steps taken out of one template, or copied, and put into it again or into another."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Literal, TypeVar

from unisequa.core.design.editing import changed, slug
from unisequa.core.design.rows import Place, block, put
from unisequa.core.documents.checks import conditions_of
from unisequa.core.documents.placeholders import names_in
from unisequa.core.documents.template import Anchor, Fact, Link, Model, Role, Step, Template

N = TypeVar("N", Anchor, Role, Fact)


class Clip(Model):
    """Steps with the links that touch them, and the anchors, roles and facts they name."""

    format: Literal["unisequa-steps/1"] = "unisequa-steps/1"
    steps: tuple[Step, ...]
    links: tuple[Link, ...] = ()
    anchors: tuple[Anchor, ...] = ()
    roles: tuple[Role, ...] = ()
    facts: tuple[Fact, ...] = ()


def copied(template: Template, keys: Iterable[str]) -> Clip:
    """Steps with their sub-steps and all they name."""
    steps = block(template, keys)
    own = {step.key for step in steps}
    named: set[str] = set()
    for step in steps:
        named |= {step.role or "", step.sign_off.role if step.sign_off else ""} | {m.to for m in step.messages}
        named |= {m.anchor for m in (step.when, step.not_before, step.deadline, *step.waits_for) if m is not None}
        named |= names_in(step.title) | names_in(step.instructions) | conditions_of(step)
    for anchor in reversed(template.anchors):
        if anchor.key in named and anchor.from_:
            named.add(anchor.from_.anchor)
    return Clip(
        steps=tuple(steps),
        links=tuple(link for link in template.links if link.from_ in own or link.to in own),
        anchors=tuple(anchor for anchor in template.anchors if anchor.key in named),
        roles=tuple(role for role in template.roles if role.key in named),
        facts=tuple(fact for fact in template.facts if fact.key in named),
    )


def pasted(template: Template, clip: Clip, place: Place) -> tuple[Template, list[str]]:
    """The steps of a clip put in; gives their keys.

    A step keeps its key where that is free, and then its links to steps that are not of the clip. Of a copy,
    what it follows is kept and what follows it is not. Anchors, roles and facts are known by key, or else by
    label; those that are not here are added.
    """
    anchors, more_anchors = _known(template.anchors, clip.anchors)
    roles, more_roles = _known(template.roles, clip.roles)
    _, more_facts = _known(template.facts, clip.facts, by_label=False)
    taken = {step.key for step in template.steps}
    names: dict[str, str] = {}
    for step in clip.steps:
        names[step.key] = slug(step.key, taken, fallback="step") if step.key in taken else step.key
        taken.add(names[step.key])
    steps = [_renamed(step, names, anchors, roles) for step in clip.steps]
    with_parts = template.model_copy(
        update={
            "anchors": (*template.anchors, *(_measured(anchor, anchors) for anchor in more_anchors)),
            "roles": (*template.roles, *more_roles),
            "facts": (*template.facts, *more_facts),
        }
    )
    edited = put(with_parts, steps, place)
    there = {step.key for step in template.steps}
    links = []
    for link in clip.links:
        inner = link.from_ in names and link.to in names
        kept = link.from_ in there and link.to in names
        back = link.to in there and names.get(link.from_) == link.from_
        if inner or kept or back:
            source, target = names.get(link.from_, link.from_), names.get(link.to, link.to)
            links.append(link.model_copy(update={"from_": source, "to": target}))
    return changed(edited, links=(*edited.links, *links)), [step.key for step in steps]


def _known(
    ours: tuple[N, ...], theirs: tuple[N, ...], *, by_label: bool = True
) -> tuple[dict[str, str], tuple[N, ...]]:
    """Their keys as ours, and those of theirs that we do not have."""
    keys = {item.key for item in ours}
    labels = {item.label.casefold(): item.key for item in ours} if by_label else {}
    names = {item.key: item.key if item.key in keys else labels.get(item.label.casefold(), "") for item in theirs}
    new = tuple(item for item in theirs if not names[item.key])
    return {key: name or key for key, name in names.items()}, new


def _measured(anchor: Anchor, names: Mapping[str, str]) -> Anchor:
    if anchor.from_ is None:
        return anchor
    base = names.get(anchor.from_.anchor, anchor.from_.anchor)
    return anchor.model_copy(update={"from_": anchor.from_.model_copy(update={"anchor": base})})


def _renamed(step: Step, names: Mapping[str, str], anchors: Mapping[str, str], roles: Mapping[str, str]) -> Step:
    changes: dict[str, Any] = {"key": names[step.key], "parent": names.get(step.parent or "")}
    if step.role:
        changes["role"] = roles.get(step.role, step.role)
    if step.sign_off:
        signer = roles.get(step.sign_off.role, step.sign_off.role)
        changes["sign_off"] = step.sign_off.model_copy(update={"role": signer})
    changes["waits_for"] = tuple(wait.by(anchors.get(wait.anchor, wait.anchor)) for wait in step.waits_for)
    changes["messages"] = tuple(m.model_copy(update={"to": roles.get(m.to, m.to)}) for m in step.messages)
    for name in ("when", "not_before", "deadline"):
        measure = getattr(step, name)
        if measure is not None:
            changes[name] = measure.model_copy(update={"anchor": anchors.get(measure.anchor, measure.anchor)})
    return step.model_copy(update=changes)
