"""Templates and their editions."""

from __future__ import annotations

import pytest

from tests.site import Site
from unisequa.actions import runs, templates
from unisequa.actions.errors import NotAllowed, NotThere, Refused
from unisequa.core import editing
from unisequa.store.plans import template_of


def rename(site: Site, who: str = "Ada", title: str = "Write it") -> None:
    with site.store.writing() as session:
        edit = lambda t: editing.change_step(t, "draft", title=title)  # noqa: E731
        templates.edit_draft(session, site.person(who), site.template, edit, "renamed")


def titles(site: Site, who: str, number: int | None = None) -> list[str]:
    with site.store.reading() as session:
        edition = templates.edition_of(session, site.person(who), site.template, number)
        return [step.title for step in template_of(edition).steps]


def test_editing_a_released_template_opens_a_draft_that_only_its_owner_sees(site: Site) -> None:
    rename(site)
    assert titles(site, "Ada")[0] == "Write it"
    assert titles(site, "Bela")[0] == "Draft"
    with pytest.raises(NotThere):
        titles(site, "Bela", 2)


def test_a_released_edition_and_the_runs_made_from_it_never_change(site: Site) -> None:
    rename(site)
    with site.store.writing() as session:
        templates.release(session, site.person("Ada"), site.template, "clearer")
    assert titles(site, "Bela")[0] == "Write it" and titles(site, "Bela", 1)[0] == "Draft"
    with site.store.reading() as session:
        run = runs.run_of(session, site.run)
        assert run.edition.number == 1 and run.tasks[0].title == "Draft"


def test_a_refused_edit_leaves_the_draft_as_it_was(site: Site) -> None:
    rename(site)
    with pytest.raises(Refused) as caught:
        rename(site, title="{{ nobody }}")
    assert set(caught.value.faults) == {"title"}
    assert titles(site, "Ada")[0] == "Write it"


def test_only_the_owner_changes_a_template(site: Site) -> None:
    with pytest.raises(NotAllowed, match="Only Ada"):
        rename(site, "Bela")


def test_a_template_with_what_cannot_be_planned_is_not_released(site: Site) -> None:
    with site.store.writing() as session:
        edition = templates.create_template(session, site.person("Bela"), "Empty")
        number = edition.template_id
    with pytest.raises(Refused, match="no steps"), site.store.writing() as session:
        templates.release(session, site.person("Bela"), number)


def test_a_draft_is_discarded_and_the_released_edition_stands(site: Site) -> None:
    rename(site)
    with site.store.writing() as session:
        templates.discard_draft(session, site.person("Ada"), site.template)
    assert titles(site, "Ada")[0] == "Draft"
