"""Finding: any part of a name, among what one may see and nothing else."""

from __future__ import annotations

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.finding import find
from unisequa.actions.people.people import Actor
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.templates import rights
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template


def found(site: Site, who: str, text: str, *, administrator: bool = False) -> list[tuple[str, str]]:
    with site.store.reading() as session:
        actor = Actor(site.people[who], who, administrator=administrator)
        return [(one.kind, one.title) for one in find(session, actor, text)]


def test_runs_tasks_templates_and_pages_are_found_by_any_part_of_their_names(site: Site) -> None:
    assert found(site, "Bela", "ullet") == [("run", "Bulletin 7"), ("template", "Issue of the bulletin")]
    assert found(site, "Bela", "draf") == [("task", "Draft")]
    assert found(site, "Bela", "import") == [("page", "Import a template")]
    assert found(site, "Bela", "cle") == [] and found(site, "Bela", "cle", administrator=True) == [("person", "Cleo")]
    assert found(site, "Bela", "  ") == [] and found(site, "Bela", "100%_") == []


def test_what_somebody_may_not_see_is_not_found(site: Site) -> None:
    with site.store.writing() as session:
        ada = site.person("Ada")
        secret = keep_template(
            session, ada, read_template(document([step("plan", 1, 0)], name="Merger")), released=True
        )
        rights.open_to(session, ada, secret.template_id, "nothing")
        start_run(session, ada, secret.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
    assert [kind for kind, _ in found(site, "Ada", "merger")] == ["run", "template"]
    assert found(site, "Bela", "merger") == [] and found(site, "Bela", "plan") == []


def test_the_list_is_a_piece_for_a_script_and_a_page_without_one(site: Site) -> None:
    browser = site.client("Ada")
    piece = browser.get("/find?q=draft", headers={"hx-request": "true"}).text
    assert f'href="/runs/{site.run}?task=draft"' in piece and "<html" not in piece
    assert "Nothing that you may see has “zebra”" in browser.get("/find?q=zebra").text
