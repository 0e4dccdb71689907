"""What a field of a step is: its text, and what a text does to steps."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from unisequa.core.design.editing import change_each
from unisequa.core.design.following import StepNames
from unisequa.core.design.linking import names_of
from unisequa.core.documents.template import Step, Template


@dataclass
class Setting:
    """A field being set: the template, which a text may give a new role, and how its steps are called.

    ``inside`` has the titles of what it includes by their dotted keys; with ``alike`` similar names count too.
    """

    template: Template
    inside: Mapping[str, str] = field(default_factory=dict)
    alike: bool = False

    @cached_property
    def names(self) -> StepNames:
        return names_of(self.template, self.inside, alike=self.alike)


def in_each(setting: Setting, values: Mapping[str, Any]) -> Template:
    """Values that concern each step alone, by its key."""
    return change_each(setting.template, values)


@dataclass(frozen=True, slots=True)
class Field:
    """A field of a step.

    Parameters
    ----------
    name : str
        As in the document, as far as it stands there alone.
    column : str
        The name of its column in a table; empty for none.
    text : function
        It as it is typed. Setting a field to its own text changes nothing.
    read : function
        What a text comes to in a step: for most fields what the step's document gets.
    write : function
        The template with what was read, by the keys of the steps.
    words : str
        What a difference between two templates calls it.
    also : tuple of str
        Other names of its column, in small letters.
    short : tuple of str
        Of these, and of other words, those that a table pasted into the sheet may name it by.
    alone : bool
        Whether it concerns the step alone, and its text can be read without the rest of the table.
    choices : mapping
        The words it may have, with their labels.
    """

    name: str
    column: str
    text: Callable[[Template, Step], str]
    read: Callable[[Setting, Step, str], Any]
    write: Callable[[Setting, Mapping[str, Any]], Template] = in_each
    words: str = ""
    also: tuple[str, ...] = ()
    short: tuple[str, ...] = ()
    alone: bool = True
    choices: Mapping[str, str] = field(default_factory=dict)
