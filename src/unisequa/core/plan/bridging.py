"""Links past what is not there: steps left out, tasks dropped, and links that tie many to many.

What is left out is transparent: what followed it is held by what it followed, lags added up; of two units, the one that
asks for later. Where that makes few links they are drawn; where it would make many, what is left out stays in the
middle as a *tie* (:mod:`unisequa.core.network.knots`), so 900 before and 900 behind one come to 1,800 links.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Set
from typing import NamedTuple

from unisequa.core.errors import DocumentError, Fault
from unisequa.core.plan.task import LinkOf
from unisequa.core.terms import MOST_LINKS, LinkType

_FEW = 16
"""How many more links there may be than were drawn before a tie is kept."""

_TYPES: dict[str, LinkType] = {"FS": "FS", "SS": "SS", "FF": "FF", "SF": "SF"}


class _Path(NamedTuple):
    """A link or several in a row, with the lags of both units added up."""

    source: str
    target: str
    type: str
    working: int
    elapsed: int


def bridged(links: Iterable[LinkOf], left_out: Set[str]) -> tuple[LinkOf, ...]:
    """Links without those of what is left out, all that this makes drawn.

    Raises
    ------
    DocumentError
        When that makes more links than can be computed.
    """
    made, _ = _past(links, left_out, keep=False)
    return made


def tied(links: Iterable[LinkOf], left_out: Set[str]) -> tuple[tuple[LinkOf, ...], tuple[str, ...]]:
    """The same, and the keys of what is left out that stays as a tie; links to and from it are among the links."""
    return _past(links, left_out, keep=True)


def without_loose(links: Iterable[LinkOf], ties: Iterable[str]) -> tuple[tuple[LinkOf, ...], tuple[str, ...]]:
    """Links and ties without the ties that follow nothing, or that nothing follows, and the links of those."""
    links, ties = tuple(links), dict.fromkeys(ties)
    while ties:
        sources, targets = {link.source for link in links}, {link.target for link in links}
        loose = {key for key in ties if key not in sources or key not in targets}
        if not loose:
            break
        ties = {key: None for key in ties if key not in loose}
        links = tuple(link for link in links if link.source not in loose and link.target not in loose)
    return links, tuple(ties)


def spread(
    links: Iterable[LinkOf], inner: Mapping[str, Sequence[str]], *, of: str = "target"
) -> tuple[list[LinkOf], list[str]]:
    """Links to (or ``of`` "source" from) a group as links to each of its members.

    Parameters
    ----------
    inner : mapping
        Group → the keys of its members.

    Returns
    -------
    list of LinkOf, list of str
        The links, and the keys of ties made where many would meet many.
    """
    if not inner:
        return list(links), []
    made: list[LinkOf] = []
    ties: list[str] = []
    groups: dict[tuple[str, str], list[LinkOf]] = {}
    side = 1 if of == "target" else 0
    for link in links:
        key = getattr(link, of)
        if key in inner:
            groups.setdefault((key, link.type[side]), []).append(link)
        else:
            made.append(link)
    for (key, end), there in groups.items():
        members = inner[key]
        if len(there) * len(members) <= len(there) + len(members) + _FEW:
            made += [_at(link, of, member) for link in there for member in members]
            continue
        tie = f"{key}.{'each' if of == 'target' else 'all'}-{end.lower()}"
        ties.append(tie)
        made += [_at(link, of, tie) for link in there]
        kind = _TYPES["F" + end] if of == "target" else _TYPES[end + "S"]
        made += [LinkOf(tie, member, kind) if of == "target" else LinkOf(member, tie, kind) for member in members]
    return made, ties


def _at(link: LinkOf, end: str, key: str) -> LinkOf:
    source, target = (key, link.target) if end == "source" else (link.source, key)
    return LinkOf(source, target, link.type, link.lag, link.unit)


def _past(links: Iterable[LinkOf], left_out: Set[str], *, keep: bool) -> tuple[tuple[LinkOf, ...], tuple[str, ...]]:
    links = tuple(links)
    if not left_out or not any(link.source in left_out or link.target in left_out for link in links):
        return links, ()
    into: dict[str, dict[_Path, None]] = {key: {} for key in left_out}
    out: dict[str, dict[_Path, None]] = {key: {} for key in left_out}
    paths = dict.fromkeys(_path(link) for link in links)
    for path in paths:
        if path.target in left_out:
            into[path.target][path] = None
        if path.source in left_out:
            out[path.source][path] = None
    kept: list[str] = []
    for key in sorted(left_out):
        before, after = tuple(into[key]), tuple(out[key])
        if keep and len(before) * len(after) > len(before) + len(after) + _FEW:
            kept.append(key)
            continue
        if len(before) * len(after) > MOST_LINKS:
            raise DocumentError([Fault("links", f"past {key} come to more than {MOST_LINKS:,}")])
        for path in (*before, *after):
            paths.pop(path, None)
            into.get(path.target, {}).pop(path, None)
            out.get(path.source, {}).pop(path, None)
        for a in before:
            for b in after:
                path = _joined(a, b)
                paths[path] = None
                if path.target in into:
                    into[path.target][path] = None
                if path.source in out:
                    out[path.source][path] = None
        if len(paths) > MOST_LINKS:
            raise DocumentError([Fault("links", f"past what is left out come to more than {MOST_LINKS:,}")])
    return tuple(dict.fromkeys(link for path in paths for link in _links(path))), tuple(kept)


def _path(link: LinkOf) -> _Path:
    working = link.unit == "working"
    return _Path(link.source, link.target, link.type, link.lag if working else 0, 0 if working else link.lag)


def _joined(a: _Path, b: _Path) -> _Path:
    return _Path(a.source, b.target, a.type[0] + b.type[1], a.working + b.working, a.elapsed + b.elapsed)


def _links(path: _Path) -> Iterable[LinkOf]:
    """A path as a link; of two units as two, so that the one that asks for later holds."""
    kind = _TYPES[path.type]
    if path.working or not path.elapsed:
        yield LinkOf(path.source, path.target, kind, path.working, "working")
    if path.elapsed:
        yield LinkOf(path.source, path.target, kind, path.elapsed, "elapsed")
