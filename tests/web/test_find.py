"""Finding: any part of a name, among what one may see and nothing else."""

from __future__ import annotations

from tests.plans import document, step
from tests.site import TODAY, Site
from unisequa.actions.finding import PAGES, PAGES_OF_ADMINISTRATORS, find
from unisequa.actions.people.people import Actor
from unisequa.actions.starting.choices import Choices
from unisequa.actions.starting.creating import start_run
from unisequa.actions.subjects import Record, add_subject
from unisequa.actions.templates import rights
from unisequa.actions.templates.library import keep_template
from unisequa.core.documents.checks import read_template
from unisequa.store.tables import Person


def found(site: Site, who: str, text: str, *, administrator: bool = False) -> list[tuple[str, str]]:
    with site.store.reading() as session:
        actor = Actor(site.people[who], who, administrator=administrator)
        return [(one.kind, one.title) for one in find(session, actor, text)]


def test_runs_tasks_templates_and_pages_are_found_by_any_part_of_their_names(site: Site) -> None:
    template = [("template", "Issue of the bulletin"), ("start", "Start Issue of the bulletin")]
    assert found(site, "Bela", "ullet") == [("run", "Bulletin 7"), *template]
    assert found(site, "Bela", "draf") == [("task", "Draft")]
    assert found(site, "Bela", "import") == [("page", "Import a template")]
    assert found(site, "Bela", "cle") == [("person", "Cleo")]
    assert found(site, "Bela", "  ") == [] and found(site, "Bela", "100%_") == []


def test_what_somebody_may_not_see_is_not_found(site: Site) -> None:
    with site.store.writing() as session:
        ada = site.person("Ada")
        secret = keep_template(
            session, ada, read_template(document([step("plan", 1, 0)], name="Merger")), released=True
        )
        rights.open_to(session, ada, secret.template_id, "nothing")
        start_run(session, ada, secret.template_id, None, Choices(anchors={"go": TODAY}), TODAY)
    assert [kind for kind, _ in found(site, "Ada", "merger")] == ["run", "template", "start"]
    assert found(site, "Bela", "merger") == [] and found(site, "Bela", "plan") == []


def test_the_list_is_a_piece_for_a_script_and_a_page_without_one(site: Site) -> None:
    browser = site.client("Ada")
    piece = browser.get("/find?q=draft", headers={"hx-request": "true"}).text
    assert f'href="/runs/{site.run}?task=draft"' in piece and "<html" not in piece
    assert "Nothing that you may see has “zebra”" in browser.get("/find?q=zebra").text


def test_subjects_are_found_whatever_letters_they_are_written_in(site: Site) -> None:
    with site.store.writing() as session:
        number = add_subject(session, site.person("Ada"), Record("Élan Ångström", "Host"), TODAY)
        keep_template(session, site.person("Ada"), read_template(document([step("plan", 1, 0)], name="Ämter")))
    assert found(site, "Ada", "ångst") == found(site, "Ada", "ÅNGST") == [("subject", "Élan Ångström")]
    assert ("template", "Ämter") in found(site, "Ada", "ämt")
    with site.store.reading() as session:
        (seen,) = find(session, site.person("Ada"), "élan")
    assert (seen.path, seen.beside) == (f"/subjects/{number}", "Host")


def test_every_page_that_is_found_is_there_for_whoever_finds_it(site: Site) -> None:
    with site.store.writing() as session:
        session.get_one(Person, site.people["Ada"]).administrator = True
    for who, pages in (("Bela", PAGES), ("Ada", (*PAGES, *PAGES_OF_ADMINISTRATORS))):
        browser = site.client(who)
        assert {path: browser.get(path).status_code for _, path in pages} == {path: 200 for _, path in pages}
