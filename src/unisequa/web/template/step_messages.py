"""The messages of a step, in its panel."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from unisequa.actions.messages.texts import TextSeen
from unisequa.core.design.parts import message_words, sample_message
from unisequa.core.documents.template import Message, Step, Template


@dataclass(frozen=True, slots=True)
class StepMessage:
    """A message of the step, when it leaves in words, and how it might read, filled in. ``house`` is whether its words
    are a shared text's."""

    message: Message
    words: str
    subject: str
    text: str
    house: bool


def step_messages(template: Template, step: Step, texts: Sequence[TextSeen], today: dt.date) -> Iterable[StepMessage]:
    """A step's messages, by the house's texts where they name one."""
    shared = {text.name.casefold(): text for text in texts}
    for message in step.messages:
        text = shared.get(" ".join(message.shared.split()).casefold()) if message.shared else None
        if text is not None:
            message = message.model_copy(update={"subject": text.subject, "text": text.text})
        yield StepMessage(
            message, message_words(message, template), *sample_message(template, step, message, today), text is not None
        )
