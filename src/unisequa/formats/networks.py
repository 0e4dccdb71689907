"""A template's network as GraphML 1.0 (graphml.graphdrawing.org), for programs that draw and measure networks.

Nodes are steps, edges are links. Durations and lags are numbers: working days, or in a job of hours minutes; what a
step is a part of, who does it and when it is due stand with it, and what the template has beside its steps with the
graph. What is written is read back the same; a network of another program makes steps and links.
"""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
from collections.abc import Mapping
from typing import Any

from unisequa.core.calendars.grid import MINUTES, read_span, span_text
from unisequa.core.design.editing import slug
from unisequa.core.design.fields.entries import field_text
from unisequa.core.design.offsets import typed_when
from unisequa.core.design.rows import rows
from unisequa.core.documents.template import KEY, Anchor, Step, Template
from unisequa.core.errors import DocumentError, Fault, TypedError

SPACE = "http://graphml.graphdrawing.org/xmlns"
_GRAPH = (("template", "string"),)
_NODE = (
    ("title", "string"), ("phase", "string"), ("role", "string"), ("parent", "string"), ("duration", "int"),
    ("when", "string"),
)  # fmt: skip
_EDGE = (("type", "string"), ("lag", "int"), ("unit", "string"))


def network_graphml(template: Template) -> str:
    """The steps and links as GraphML."""
    root = ET.Element("graphml", {"xmlns": SPACE})
    for kind, fields in (("graph", _GRAPH), ("node", _NODE), ("edge", _EDGE)):
        for name, of in fields:
            ET.SubElement(root, "key", {"id": f"{kind}-{name}", "for": kind, "attr.name": name, "attr.type": of})
    graph = ET.SubElement(root, "graph", {"id": "template", "edgedefault": "directed"})
    written = template.written()
    beside = {name: value for name, value in written.items() if name not in {"steps", "links"}}
    ET.SubElement(graph, "data", {"key": "graph-template"}).text = json.dumps(beside, ensure_ascii=False)
    parents = {step.parent for step in template.steps}
    for row in rows(template):
        step = row.step
        node = ET.SubElement(graph, "node", {"id": step.key})
        said = {name: field_text(template, step, name) for name in ("title", "phase", "role", "when")}
        said |= {"parent": step.parent or "", "duration": "" if step.key in parents else str(_length(template, step))}
        for name, _ in _NODE:
            if said[name]:
                ET.SubElement(node, "data", {"key": f"node-{name}"}).text = said[name]
    known = {step.key for step in template.steps}
    for source in sorted({k.from_ for k in template.links} | {k.to for k in template.links}):
        if source not in known:
            ET.SubElement(graph, "node", {"id": source})
    for i, link in enumerate(template.links):
        edge = ET.SubElement(graph, "edge", {"id": f"link-{i}", "source": link.from_, "target": link.to})
        lag = read_span(link.lag, MINUTES) if isinstance(link.lag, str) else link.lag
        for name, value in (("type", link.type), ("lag", str(lag)), ("unit", link.unit)):
            ET.SubElement(edge, "data", {"key": f"edge-{name}"}).text = value
    ET.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="unicode") + "\n"


def _length(template: Template, step: Step) -> int:
    """Working days, or minutes of a job of hours."""
    if template.grid == "day":
        return step.days
    return read_span("1h" if step.duration is None else str(step.duration), MINUTES)


def read_graphml(content: bytes, name: str) -> dict[str, Any]:
    """A network as a template's document, not yet checked.

    Raises
    ------
    DocumentError
    """
    try:
        root = ET.fromstring(content)  # noqa: S314 - in a process of its own, which limits itself
    except ET.ParseError as error:
        raise DocumentError([Fault(name, f"is not XML: {error}")]) from error
    graph = next((one for one in root.iter() if _tag(one) == "graph"), None)
    if graph is None:
        raise DocumentError([Fault(name, "has no graph in it; bring a GraphML file")])
    told = [one for one in root if _tag(one) == "key"]
    named = {one.get("id", ""): (one.get("attr.name") or one.get("id") or "").casefold() for one in told}
    document = _beside(_data(graph, named).get("template", ""), name)
    hours = document.get("grid") == "minute"
    anchors = [Anchor.model_validate(anchor) for anchor in document.get("anchors", [])]
    included = {str(one.get("key")) for one in document.get("includes", [])}
    keys: dict[str, str] = {}
    steps: list[dict[str, Any]] = []
    for node in (one for one in graph.iter() if _tag(one) == "node"):
        given = node.get("id", "")
        keys[given] = given if re.match(KEY, given) else slug(given, keys.values(), fallback="step")
        if given.split(".", 1)[0] in included:
            keys[given] = given
            continue
        steps.append(_step(document, _data(node, named), given, keys[given], anchors, hours=hours))
    for step in steps:
        if "parent" in step:
            step["parent"] = keys.get(step["parent"], step["parent"])
    links = []
    for edge in (one for one in graph.iter() if _tag(one) == "edge"):
        said = _data(edge, named)
        lag = _number(said.get("lag", ""))
        links.append({
            "from": keys.get(edge.get("source", ""), edge.get("source", "")),
            "to": keys.get(edge.get("target", ""), edge.get("target", "")),
            "type": said.get("type", "").upper() or "FS", "unit": said.get("unit") or "working",
            "lag": span_text(lag, MINUTES) if hours and lag else lag,
        })  # fmt: skip
    return {**document, "steps": steps, "links": links}


def _tag(element: ET.Element) -> str:
    return element.tag.rpartition("}")[2]


def _data(element: ET.Element, named: Mapping[str, str]) -> dict[str, str]:
    """What an element says, by the names of its keys."""
    return {
        named.get(one.get("key", ""), one.get("key", "")): (one.text or "").strip()
        for one in element
        if _tag(one) == "data"
    }


def _beside(text: str, name: str) -> dict[str, Any]:
    title = name.rpartition(".")[0] or name
    try:
        said = json.loads(text) if text else {}
    except json.JSONDecodeError:
        said = {}
    return {"name": title[:200], **(said if isinstance(said, dict) else {})}


def _step(
    document: dict[str, Any], said: Mapping[str, str], given: str, key: str, anchors: list[Anchor], *, hours: bool
) -> dict[str, Any]:
    step: dict[str, Any] = {"key": key, "title": said.get("title") or said.get("label") or said.get("name") or given}
    for name, part in (("phase", "phases"), ("role", "roles")):
        if label := said.get(name):
            step[name] = _named(document.setdefault(part, []), label, name)
    if said.get("parent"):
        step["parent"] = said["parent"]
    if said.get("duration"):
        length = _number(said["duration"])
        step["duration"] = span_text(length, MINUTES) if hours else length
    if said.get("when"):
        try:
            when = typed_when(said["when"], anchors, hours=hours)
        except TypedError as error:
            raise DocumentError([Fault(f"{given}.when", str(error))]) from error
        step["when"] = when.model_dump(mode="json") if when else None
    return step


def _named(parts: list[dict[str, Any]], label: str, noun: str) -> str:
    """The key of a role or phase of that name, made where there is none."""
    for part in parts:
        if label.casefold() in {part["key"], part["label"].casefold()}:
            return str(part["key"])
    key = slug(label, [part["key"] for part in parts], fallback=noun).replace("-", "_" if noun == "role" else "-")
    parts.append({"key": key, "label": label})
    return key


def _number(text: str) -> int:
    try:
        return round(float(text or 0))
    except (ValueError, OverflowError):
        return 0
