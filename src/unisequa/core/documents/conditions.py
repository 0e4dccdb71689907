"""Conditions as clauses that people put together, as the expression the document keeps, and as a sentence.

===========  ==========================  ==========================
clause       expression                  condition_words
===========  ==========================  ==========================
is           ``entity == 'Shop'``        entity is Shop
is not       ``entity != 'Shop'``        entity is not Shop
more than    ``objects > 50``            objects are over 50
...          ``>=``, ``<``, ``<=``       at least, under, at most
yes, no      ``remote``, ``not remote``  remote is yes, no
given        ``lender is not none``      lender is given
open         ``closing is none``         closing is not given
===========  ==========================  ==========================

Clauses are joined by ``and`` or by ``or``, not both; an expression of another shape is kept as text.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from jinja2 import Environment, TemplateError, nodes

from unisequa.core.calendars.words import count_words
from unisequa.core.documents.template import Fact, SignOff, Template

Operator = Literal["is", "is not", "over", "at least", "under", "at most", "yes", "no", "given", "open"]
Joiner = Literal["and", "or"]

_SIGNS: dict[str, str] = {"is": "==", "is not": "!=", "over": ">", "at least": ">=", "under": "<", "at most": "<="}
_COMPARED = {"eq": "is", "ne": "is not", "gt": "over", "gteq": "at least", "lt": "under", "lteq": "at most"}
BY_KIND: dict[str, tuple[str, ...]] = {
    "text": ("is", "is not", "given", "open"),
    "number": ("is", "is not", "over", "at least", "under", "at most", "given", "open"),
    "date": ("given", "open"),
    "choice": ("is", "is not", "given", "open"),
    "yes-no": ("yes", "no"),
    "anchor": ("given", "open"),
}
"""The operators that suit each kind of fact."""
_BARE = ("yes", "no", "given", "open")
_WORDS = {"yes": "is yes", "no": "is no", "given": "is given", "open": "is not given", "is": "is", "is not": "is not"}
_READER = Environment(autoescape=True)


@dataclass(frozen=True, slots=True)
class Clause:
    """One comparison: a fact's (or an anchor's) key, an operator, and the value as it is typed."""

    fact: str
    operator: str
    value: str = ""


@dataclass(frozen=True, slots=True)
class Condition:
    """Clauses that must all hold (``and``), or one of which must (``or``)."""

    clauses: tuple[Clause, ...]
    joiner: Joiner = "and"


def expression(condition: Condition, facts: Sequence[Fact]) -> str:
    """A condition as the document keeps it.

    Raises
    ------
    ValueError
        For a clause without a value, or a number that is none.
    """
    kinds = {fact.key: fact.kind for fact in facts}
    return f" {condition.joiner} ".join(
        _clause(clause, kinds.get(clause.fact, "anchor")) for clause in condition.clauses
    )


def _clause(clause: Clause, kind: str) -> str:
    if clause.operator not in BY_KIND[kind]:
        raise ValueError(f'"{clause.operator}" does not suit {clause.fact}; there is {", ".join(BY_KIND[kind])}')
    if clause.operator in _BARE:
        forms = {"yes": "{}", "no": "not {}", "given": "{} is not none", "open": "{} is none"}
        return forms[clause.operator].format(clause.fact)
    value = clause.value.strip()
    if not value:
        raise ValueError(f"say what {clause.fact} {clause.operator}")
    if kind != "number":
        quoted = value.replace("\\", "\\\\").replace("'", "\\'")
        return f"{clause.fact} {_SIGNS[clause.operator]} '{quoted}'"
    plain = value.replace(",", "").replace(" ", "")
    try:
        number = float(plain)
    except ValueError:
        raise ValueError(f'"{value}" is no number') from None
    if not abs(number) < 1e15:
        raise ValueError(f'"{value}" is no number that can be used here')
    return f"{clause.fact} {_SIGNS[clause.operator]} {int(number) if number == int(number) else number}"


def condition_of(text: str) -> Condition | None:
    """An expression as clauses, or None where it is of another shape.

    >>> condition_of("entity == 'Shop' and objects > 50").clauses[1]
    Clause(fact='objects', operator='over', value='50')
    """
    try:
        tree = _READER.parse("{{ (" + text + ") }}")
    except (TemplateError, RecursionError):
        return None
    output = tree.body[0] if len(tree.body) == 1 else None
    if not isinstance(output, nodes.Output) or len(output.nodes) != 1:
        return None
    top = output.nodes[0]
    kind: type[nodes.BinExpr] = nodes.Or if isinstance(top, nodes.Or) else nodes.And
    compared = [_read(node) for node in _parts(top, kind)]
    clauses = tuple(clause for clause in compared if clause is not None)
    return Condition(clauses, "or" if kind is nodes.Or else "and") if len(clauses) == len(compared) else None


def _parts(node: nodes.Node, kind: type[nodes.BinExpr]) -> list[nodes.Node]:
    if isinstance(node, kind):
        return [*_parts(node.left, kind), *_parts(node.right, kind)]
    return [node]


def _read(node: nodes.Node) -> Clause | None:
    if isinstance(node, nodes.Name):
        return Clause(node.name, "yes")
    if isinstance(node, nodes.Not):
        inner = _read(node.node)
        opposite = {"yes": "no", "open": "given"}
        return Clause(inner.fact, opposite[inner.operator]) if inner and inner.operator in opposite else None
    if isinstance(node, nodes.Test) and node.name == "none" and isinstance(node.node, nodes.Name):
        return Clause(node.node.name, "open")
    if isinstance(node, nodes.Compare) and len(node.ops) == 1 and isinstance(node.expr, nodes.Name):
        operand = node.ops[0]
        value, sign = operand.expr, _COMPARED.get(operand.op)
        if isinstance(value, nodes.Neg) and isinstance(value.node, nodes.Const):
            value = nodes.Const(-value.node.value)
        if sign and isinstance(value, nodes.Const) and isinstance(value.value, str | int | float):
            return Clause(node.expr.name, sign, str(value.value))
    return None


def sign_off_words(rule: SignOff, who: str, template: Template) -> str:
    """How something is signed off: ``Controller, by itself after 2 working days, held until Counted is yes``."""
    said = [who]
    if rule.by_itself is not None:
        said.append(f"by itself after {count_words(rule.by_itself, 'working day')}")
    if rule.until:
        said.append(f"held until {condition_words(rule.until, template)}")
    return ", ".join(said)


def condition_words(text: str, template: Template) -> str:
    """A condition as people say it: ``Entity is Shop and Objects is over 50``; the expression where it is of
    another shape."""
    condition = condition_of(text)
    if condition is None:
        return text
    labels = {fact.key: fact.label for fact in template.facts}
    labels |= {anchor.key: anchor.label for anchor in template.anchors}
    labels |= {role.key: role.label for role in template.roles}
    kinds = {fact.key: fact.kind for fact in template.facts}
    words = []
    for clause in condition.clauses:
        label = labels.get(clause.fact, clause.fact)
        value = clause.value
        if kinds.get(clause.fact) == "number" and value.isascii() and value.isdigit() and len(value) < 100:
            value = f"{int(value):,}"
        words.append(f"{label} {_WORDS.get(clause.operator, 'is ' + clause.operator)} {value}".strip())
    return f" {condition.joiner} ".join(words)
