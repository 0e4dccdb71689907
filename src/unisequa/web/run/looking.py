"""Which tasks of a run are looked at, in which groups and order: one way for sheet, list, board and month, in the
address."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from urllib.parse import urlencode

from unisequa.actions.runs.seeing import RunSeen
from unisequa.core.calendars.words import day_words
from unisequa.core.plan.plan import Plan
from unisequa.core.terms import FINISHED, State, number_in
from unisequa.core.work.task_states import late_by

SHOWS = {
    "": "all tasks", "open": "open ones", "mine": "mine", "ready": "ready or begun", "late": "late ones",
    "fortnight": "this fortnight", "review": "in review", "unfilled": "nobody's yet",
}  # fmt: skip
GROUPS = {"": "phase", "who": "person", "role": "role", "due": "week due", "state": "state", "none": "nothing"}
SORTS = {"": "the template's order", "due": "due day", "start": "start", "title": "title", "who": "person"}
COLUMNS = {"who": "who", "state": "state", "start": "start", "due": "due", "slack": "slack"}
LOOKED = ("show", "text", "group", "sort", "without", "against")
"""What of an address says how a run is looked at."""
LAST = "\uffff"
"""Stands before the name of a group that comes last."""
STATES: tuple[State, ...] = ("waiting", "ready", "under way", "in review", "done", "dropped")


@dataclass(frozen=True, slots=True)
class Look:
    """What of a run's tasks is looked at, and how.

    Parameters
    ----------
    show : str
        One of :data:`SHOWS`.
    text : str
        What their titles, or the names of who does them, hold.
    group, sort : str
        One of :data:`GROUPS`, of :data:`SORTS`.
    without : tuple of str
        The columns that the list does without, of :data:`COLUMNS`.
    against : int
        The number of the baseline beside which it is looked at; 0 for none.
    """

    show: str = ""
    text: str = ""
    group: str = ""
    sort: str = ""
    without: tuple[str, ...] = ()
    against: int = 0

    @property
    def plain(self) -> bool:
        """Whether it is all tasks, as the template has them."""
        return not (self.show or self.text or self.group or self.sort or self.without or self.against)

    def query(self, **more: str) -> str:
        """As it stands in an address, with other values."""
        values = {"show": self.show, "text": self.text, "group": self.group, "sort": self.sort}
        values |= {"without": ",".join(self.without), "against": str(self.against or ""), **more}
        return urlencode({name: value for name, value in values.items() if value})


WHOLE = Look()
"""All tasks, as the template has them."""


def look_in(values: Mapping[str, str]) -> Look:
    """What an address or a form asks for; what it does not know is as if it were not there."""
    show, group, sort = values.get("show", ""), values.get("group", ""), values.get("sort", "")
    return Look(
        show if show in SHOWS else "", values.get("text", "").strip()[:100],
        group if group in GROUPS else "", sort if sort in SORTS else "",
        tuple(name for name in COLUMNS if name in values.get("without", "").split(",")),
        number_in(values.get("against", "")),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Group:
    """Tasks under one head; without a label they stand under none."""

    label: str
    positions: tuple[int, ...]


def groups(run: RunSeen, plan: Plan, states: Sequence[State], look: Look, also: frozenset[str]) -> tuple[Group, ...]:
    """The tasks that are looked at, in their groups.

    Parameters
    ----------
    also : frozenset of str
        The keys of tasks that a shift moves, which are looked at whatever is asked for.
    """
    wanted = [i for i, task in enumerate(plan.tasks) if task.key in also or _is_wanted(run, plan, states, look, i)]
    if look.group:
        wanted = [i for i in wanted if not plan.is_parent(i)]
    if look.sort:
        wanted.sort(key=_sorted_by(run, plan, look.sort))
    heads = _heads(run, look.group)
    of = _group_of(run, plan, states, look.group, set(heads))
    found: dict[str, list[int]] = {head: [] for head in heads}
    for i in wanted:
        found.setdefault(of(i), []).append(i)
    labels = {**heads}
    order = list(found) if heads else sorted(found)
    return tuple(Group(labels.get(key, key), tuple(found[key])) for key in order if found[key])


def _is_wanted(run: RunSeen, plan: Plan, states: Sequence[State], look: Look, i: int) -> bool:
    leaves = plan.leaves(i)
    return any(_shows(run, plan, states, look.show, leaf) for leaf in leaves) and _says(run, plan, look.text, i)


def _shows(run: RunSeen, plan: Plan, states: Sequence[State], show: str, i: int) -> bool:
    if show == "":
        return True
    task, state = run.tasks[plan.tasks[i].key], states[i]
    if show in {"review", "ready"}:
        return state in ({"in review"} if show == "review" else {"ready", "under way"})
    if state in FINISHED:
        return show == "mine" and task.mine
    if show == "fortnight":
        days, today = plan.days(i), None if plan.today is None else plan.grid.day(plan.today)
        return days is not None and today is not None and days[0] <= today + 13 and days[1] >= today
    tests: dict[str, Callable[[], bool]] = {
        "open": lambda: True, "mine": lambda: task.mine, "late": lambda: late_by(plan, i) > 0,
        "unfilled": lambda: not task.who,
    }  # fmt: skip
    return tests[show]()


def _says(run: RunSeen, plan: Plan, text: str, i: int) -> bool:
    if not text:
        return True
    task = run.tasks[plan.tasks[i].key]
    return text.casefold() in f"{task.title}\n{task.who}\n{run.member(task.role).label}".casefold()


def _sorted_by(run: RunSeen, plan: Plan, sort: str) -> Callable[[int], tuple[object, ...]]:
    far = (10**9, 10**9)

    def key(i: int) -> tuple[object, ...]:
        days = plan.read(i) or far
        task = run.tasks[plan.tasks[i].key]
        by: dict[str, object] = {
            "due": days[1], "start": days[0], "title": task.title.casefold(),
            "who": (not task.who, task.who.casefold()),
        }  # fmt: skip
        return (by[sort], days[1])

    return key


def _heads(run: RunSeen, group: str) -> dict[str, str]:
    """The groups that have an order of their own, with their labels; others stand by their name."""
    if group == "":
        return {"": "", **{phase.key: phase.label for phase in run.template.phases}}
    if group == "role":
        return {**{member.role: member.label for member in run.crew}, "": "No role"}
    if group == "state":
        return {state: state for state in STATES}
    return {"": ""} if group == "none" else {}


def _group_of(run: RunSeen, plan: Plan, states: Sequence[State], group: str, known: set[str]) -> Callable[[int], str]:
    def of(i: int) -> str:
        if group == "":
            phase = plan.tasks[i].phase
            return phase if phase is not None and phase in known else ""
        task = run.tasks[plan.tasks[i].key]
        if group == "who":
            return task.who or LAST + "Nobody yet"
        if group == "role":
            return task.role if task.role in known else ""
        if group == "state":
            return states[i]
        return ""

    def by_week(i: int) -> str:
        days = plan.days(i)
        return LAST + "No date yet" if days is None else f"{days[1] - (days[1] + 6) % 7:09d}"

    return by_week if group == "due" else of


def label_words(label: str, group: str) -> str:
    """A group's label as people read it."""
    if group == "due" and label.isdigit():
        return f"Week of {day_words(int(label), year=True)}"
    return label.removeprefix(LAST)
