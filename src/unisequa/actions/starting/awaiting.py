"""What tasks of a run that is to be started would wait for in runs of other templates, and what they could."""

from __future__ import annotations

from dataclasses import dataclass

from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.rehearsing import Startable
from unisequa.core.calendars.words import names_words
from unisequa.core.documents.includes import name_key


@dataclass(frozen=True, slots=True)
class Awaits:
    """Tasks that wait for runs of one template: which tasks, for which run, and the runs it could be."""

    template_id: int
    other: int
    name: str
    tasks: str
    run_id: int | None
    run: str
    runs: tuple[tuple[int, str], ...]
    chosen: bool


def awaiting(on: Startable, choices: Choices) -> list[Awaits]:
    """What would be waited for elsewhere, a line for each template."""
    waits = [(step, wait) for step in on.template.steps for wait in step.waits_for]
    if not waits:
        return []
    find = on.elsewhere(choices)
    lines: dict[int, list[tuple[str, int | None, str]]] = {}
    for step, wait in waits:
        other = on.included.ids.get(name_key(wait.template))
        if other is None or step.key in choices.without:
            continue
        run = find.run_for(wait, choices.anchors.get(wait.anchor))
        shown = run is not None and run.id in find.seen
        lines.setdefault(other, []).append(
            (step.title, run.id if run and shown else None, run.name if run and shown else "elsewhere" if run else "")
        )
    found = []
    for other, said in lines.items():
        runs = tuple((run.id, run.name) for run in find.runs.get(other, []) if run.id in find.seen)[:60]
        _, run_id, name = said[0]
        titles = names_words(list(dict.fromkeys(title for title, _, _ in said))[:4])
        found.append(
            Awaits(
                on.template_id, other, find.names.get(other, "a template"), titles, run_id, name, runs,
                other in choices.awaits,
            )
        )  # fmt: skip
    return found
