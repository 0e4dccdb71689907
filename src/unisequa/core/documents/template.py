"""The template document, and the base and the field types of all documents.

What they say is described in ``docs/formats.md``. Reading one gives either the document or a
:class:`~unisequa.core.errors.DocumentError` with every fault and its path; an unknown key is a fault.
The checks across a document (does every reference lead somewhere, do links run in a circle) are in
:mod:`unisequa.core.documents.checks`.
"""

from __future__ import annotations

import re
from typing import Annotated, Any, ClassVar, Literal, Self
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    SerializerFunctionWrapHandler,
    StrictBool,
    StrictInt,
    model_serializer,
    model_validator,
)
from pydantic import StringConstraints as Str

from unisequa.core.calendars.days import WorkingCalendar
from unisequa.core.calendars.grid import DAYS, MINUTES, Grid, read_span
from unisequa.core.terms import MOST_DAYS, MOST_STEPS, Edge, Follow, LagUnit, LinkType, Ready, Roll, Unit

KEY = r"^[a-z][a-z0-9_-]*$"
WEEK = r"^[01]{7}$"
Key = Annotated[str, Str(pattern=KEY, max_length=80)]
DottedKey = Annotated[str, Str(pattern=r"^[a-z][a-z0-9_-]*(\.[a-z][a-z0-9_-]*)*$", max_length=200)]


_UNPRINTABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff]")


def printable(text: str) -> str:
    if stray := _UNPRINTABLE.search(text):
        raise ValueError(f"holds a character that cannot be shown (code {ord(stray[0])}); take it out")
    return text


Label = Annotated[str, Str(min_length=1, max_length=200, strip_whitespace=True), AfterValidator(printable)]
Text = Annotated[str, Str(max_length=20_000), AfterValidator(printable)]
Days = Annotated[StrictInt, Field(ge=-MOST_DAYS, le=MOST_DAYS)]
Count = Annotated[StrictInt, Field(ge=-MOST_DAYS * MINUTES, le=MOST_DAYS * MINUTES)]


def _span(text: str) -> str:
    if abs(read_span(text, MINUTES)) > MOST_DAYS * MINUTES:
        raise ValueError(f'"{text}" is longer than a hundred years')
    return text


def _lasting(text: str) -> str:
    if read_span(_span(text), MINUTES) < 0:
        raise ValueError(f'"{text}" is less than nothing')
    return text


Span = Annotated[str, Str(max_length=60), AfterValidator(_span)]
Lasting = Annotated[str, Str(max_length=60), AfterValidator(_lasting)]


def readable_zone(name: str) -> str:
    """The name of a time zone, if it is one."""
    try:
        ZoneInfo(name)
    except (ValueError, OSError, ZoneInfoNotFoundError):
        raise ValueError(f'"{name}" is no time zone; write it as Europe/London') from None
    return name


def grid_of(name: str, zone: str | None) -> Grid:
    """The day grid, or the minute grid with a time zone's clock."""
    return DAYS if name == "day" else Grid(MINUTES, ZoneInfo(zone) if zone else None)


class Model(BaseModel):
    """Base of all documents: frozen, unknown keys refused, no NaN."""

    model_config: ClassVar[ConfigDict] = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    def but(self, **changes: Any) -> Self:
        """A checked copy with some fields replaced."""
        return self.model_validate({**self.written(), **{_key(k): v for k, v in changes.items()}})

    def written(self) -> dict[str, Any]:
        """The document as plain JSON values, without what only repeats a default."""
        return self.model_dump(mode="json", by_alias=True, exclude_defaults=True)


_NOT_NOTED: set[str] = set()


class Many(Model):
    """A part of which a document may have thousands: it keeps no note of which of its fields were given, which nothing
    asks for and which would be a quarter of a large template's memory."""

    @model_validator(mode="after")
    def _unnoted(self) -> Self:
        object.__setattr__(self, "__pydantic_fields_set__", _NOT_NOTED)
        return self


def _key(name: str) -> str:
    return name.removesuffix("_") if name in {"from_", "format_"} else name


def usual_roll(offset: object) -> Roll:
    """The roll of an offset that names none: what is due before an event does not slide towards it.

    >>> usual_roll(-3), usual_roll("2h"), usual_roll(0)
    ('preceding', 'following', 'following')
    """
    before = offset < 0 if isinstance(offset, int) else isinstance(offset, str) and offset.lstrip()[:1] in {"-", "−"}
    return "preceding" if before else "following"


class Measure(Model):
    """A date measured from an anchor; ``offset`` in ``unit``, then rolled to a working day.

    ``roll`` is ``preceding`` for negative offsets where it is left out, else ``following``.
    """

    anchor: DottedKey
    offset: Count | Span = 0
    unit: Unit = "working days"
    roll: Roll = "following"

    @model_validator(mode="before")
    @classmethod
    def _usually_rolled(cls, given: Any) -> Any:
        if isinstance(given, dict) and given.get("roll") is None:
            return {**given, "roll": usual_roll(given.get("offset", 0))}
        return given

    def by(self, offset: int | str) -> Self:
        """The same measure with another offset; a roll that was the usual one stays the usual one."""
        usual = self.roll == usual_roll(self.offset)
        return self.model_copy(update={"offset": offset, "roll": usual_roll(offset) if usual else self.roll})

    @model_serializer(mode="wrap")
    def _with_roll(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        written: dict[str, Any] = write(self)
        written.pop("roll", None)
        if self.unit != "working days" or self.roll != usual_roll(self.offset):
            written["roll"] = self.roll
        return written


class When(Measure):
    """Where a step stands: which of its ends is on the measured date."""

    edge: Edge = "finish"


class Anchor(Model):
    """A named date that steps are measured from.

    A ``retired`` one, like a role, fact or phase, is offered no more and asked for only while something still uses it.
    """

    key: Key
    label: Label
    required: StrictBool = True
    from_: Measure | None = Field(default=None, alias="from")
    retired: StrictBool = False


class Fill(Model):
    """How a role is filled when a run starts."""

    by: Literal["ask", "person", "subject", "manager", "keeper", "position", "team", "outside"] = "ask"
    person: Annotated[str, Str(max_length=200)] | None = None
    position: Label | None = None
    team: Label | None = None


class Role(Model):
    """Who does a step; a calendar of its own where they work other days than the run."""

    key: Key
    label: Label
    fill: Fill = Fill()
    calendar: Label | None = None
    retired: StrictBool = False


class Fact(Model):
    """Something asked once at the start and used throughout."""

    key: Key
    label: Label
    kind: Literal["text", "number", "date", "choice", "yes-no"] = "text"
    choices: tuple[Label, ...] = ()
    required: StrictBool = False
    retired: StrictBool = False


class Phase(Model):
    """A named group of steps, in order.

    With a ``span`` of working days it has a window; with ``opens`` after the one before, none of its steps begins until
    the phase before it is over.
    """

    key: Key
    label: Label
    span: Annotated[StrictInt, Field(ge=1, le=MOST_DAYS)] | None = None
    opens: Literal["with its tasks", "after the one before"] = "with its tasks"
    retired: StrictBool = False


class SignOff(Model):
    """A second person signs the step off.

    With ``by_itself`` it is signed off without them, so many working days after the step was done, unless it was
    sent back by then. With ``until`` it is held in review until that condition holds.
    """

    role: Key
    by_itself: Annotated[StrictInt, Field(ge=0, le=MOST_DAYS)] | None = None
    until: Annotated[str, Str(max_length=500)] | None = None


class OutLink(Model):
    """A link to something that helps with the step."""

    label: Label
    url: Annotated[str, Str(pattern=r"^(https?://|mailto:)\S+$", max_length=2000)]


class Attachment(Model):
    """A file kept with the template, known by its content's SHA-256; ``size`` is in bytes."""

    name: Label
    sha256: Annotated[str, Str(pattern=r"^[0-9a-f]{64}$")]
    size: Annotated[StrictInt, Field(ge=0)]


class Wait(Model):
    """A step of another template that must be finished first, in its run of the same occasion.

    That is the run whose anchor ``their_anchor`` (the same key, if it is left out) has the date of our ``anchor``;
    of several that of the same subject, else the latest.
    """

    template: Label
    step: DottedKey
    anchor: Key
    their_anchor: Key | None = None

    @property
    def theirs(self) -> str:
        """The key of the other template's anchor."""
        return self.their_anchor or self.anchor

    def by(self, anchor: str) -> Wait:
        """The same wait where our anchor is called otherwise."""
        theirs = None if self.theirs == anchor else self.theirs
        return self.model_copy(update={"anchor": anchor, "their_anchor": theirs})


class Message(Model):
    """What leaves by itself, ``offset`` days before (negative) or after a step starts, is due or is done; ``at`` a time
    of that day, where one is said.

    ``shared`` names a text that the house keeps once: where there is one of that name, it is sent instead of
    ``subject`` and ``text``, which say what it said when it was chosen. ``files`` are those of the step that go with
    it, by their names.
    """

    to: Key
    offset: Days = 0
    unit: Literal["working days", "days"] = "working days"
    of: Literal["start", "due", "done"] = "due"
    at: Annotated[str, Str(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")] | None = None
    subject: Label
    text: Text = ""
    shared: Label | None = None
    files: Annotated[tuple[Label, ...], Field(max_length=20)] = ()


class Step(Many):
    """A task as the template defines it.

    ``duration`` is in working days, 0 for a milestone; on the minute grid text such as ``1d 4h``. A step that
    others name as their ``parent`` spans them and has no duration of its own. Effort is done in pieces of at least a
    ``chunk``, where one is said.
    """

    key: Key
    title: Label
    phase: Key | None = None
    role: Key | None = None
    parent: Key | None = None
    kind: Literal["todo", "meeting", "call", "message", "document", "sign-off"] = "todo"
    duration: Annotated[StrictInt, Field(ge=0, le=MOST_DAYS)] | Lasting | None = None
    effort: Lasting | None = None
    chunk: Lasting | None = None
    calendar: Label | None = None
    when: When | None = None
    not_before: Measure | None = None
    deadline: Measure | None = None
    instructions: Text = ""
    only_if: Annotated[str, Str(max_length=500)] | None = None
    may_skip: StrictBool = False
    gate: Literal["bar", "warn"] = "bar"
    ready: Ready = "when free"
    sign_off: SignOff | None = None
    priority: Literal["low", "normal", "high"] = "normal"
    links_out: tuple[OutLink, ...] = ()
    attachments: Annotated[tuple[Attachment, ...], Field(max_length=50)] = ()
    messages: Annotated[tuple[Message, ...], Field(max_length=50)] = ()
    waits_for: Annotated[tuple[Wait, ...], Field(max_length=20)] = ()

    @property
    def days(self) -> int:
        """The duration in working days; meaningful on the day grid only."""
        return self.duration if isinstance(self.duration, int) else 1

    def slots(self, calendar: WorkingCalendar) -> int:
        """The duration in worked slots of a calendar."""
        return slots_of("1h" if self.duration is None and calendar.grid.per_day > 1 else self.duration, calendar)


class Link(Many):
    """A dependency of ``to`` on ``from``."""

    from_: DottedKey = Field(alias="from")
    to: DottedKey
    type: LinkType = "FS"
    lag: Days | Span = 0
    unit: LagUnit = "working"

    def slots(self, calendar: WorkingCalendar) -> int:
        """The lag in slots of its unit, on the calendar of the link's target."""
        return slots_of(self.lag, calendar, elapsed=self.unit == "elapsed")


def slots_of(length: int | str | None, calendar: WorkingCalendar, *, elapsed: bool = False) -> int:
    """A length of time in slots: a number of days or text, in working or in elapsed time; a day without one."""
    day = calendar.grid.per_day if elapsed else calendar.per_day
    if isinstance(length, str):
        return read_span(length, day)
    return (1 if length is None else length) * day


class DayLabel(Model):
    """What the people of the job call a day: "books close"."""

    anchor: Key
    offset: Count | Span = 0
    unit: Unit = "working days"
    label: Label


class Include(Model):
    """Another template's steps within this one, its anchors and roles mapped to ours; shown in ``phase``."""

    key: Key
    template: Label
    phase: Key | None = None
    anchors: dict[Key, Key] = {}
    roles: dict[Key, Key] = {}


class Template(Model):
    """A whole template, as it is exported, imported, planned from and kept as an edition.

    ``ends`` names the anchor by whose day all should be over; ``follow`` says what finishing a task does to the dates
    of what follows it; ``finishes`` whether a run whose tasks are all over is finished by itself. After ``stale_after``
    working days without a word a task is stale. ``usual_for`` is a kind of subject, ``tags`` are words to find it by.
    """

    format: Literal["unisequa-template/1"] = "unisequa-template/1"
    name: Label
    category: Annotated[str, Str(max_length=80), AfterValidator(printable)] = ""
    purpose: Text = ""
    instructions: Text = ""
    naming: Annotated[str, Str(max_length=200)] = ""
    grid: Literal["day", "minute"] = "day"
    zone: Annotated[str, Str(max_length=60), AfterValidator(readable_zone)] | None = None
    direction: Literal["forward", "backward"] = "forward"
    ends: Key | None = None
    follow: Follow = "ask"
    finishes: Literal["asked", "by itself"] = "asked"
    stale_after: Annotated[StrictInt, Field(ge=1, le=MOST_DAYS)] = 5
    tags: Annotated[tuple[Label, ...], Field(max_length=50)] = ()
    usual_for: Label | None = None
    calendar: Label | None = None
    anchors: Annotated[tuple[Anchor, ...], Field(max_length=200)] = ()
    roles: Annotated[tuple[Role, ...], Field(max_length=500)] = ()
    facts: Annotated[tuple[Fact, ...], Field(max_length=500)] = ()
    phases: Annotated[tuple[Phase, ...], Field(max_length=500)] = ()
    steps: Annotated[tuple[Step, ...], Field(max_length=MOST_STEPS)] = ()
    links: Annotated[tuple[Link, ...], Field(max_length=10 * MOST_STEPS)] = ()
    day_labels: tuple[DayLabel, ...] = ()
    includes: Annotated[tuple[Include, ...], Field(max_length=200)] = ()

    def slots_of_time(self) -> Grid:
        """The grid that runs of this template are planned on."""
        return grid_of(self.grid, self.zone)

    def written(self) -> dict[str, Any]:
        return {"format": self.format, **super().written()}
