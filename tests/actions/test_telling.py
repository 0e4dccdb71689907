"""Whoever does what a shift moves is told once, with the old dates and the new, and so when it is taken back."""

from __future__ import annotations

from tests.site import TODAY, Site
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import apply_shift, take_back
from unisequa.actions.runs.telling import MOST_LINES, Moved, message
from unisequa.store.tables import OutboxRow


def sent(site: Site) -> list[tuple[str, str, str]]:
    with site.store.reading() as session:
        rows = session.query(OutboxRow).filter(OutboxRow.key.like("shift:%")).order_by(OutboxRow.key).all()
        return [(row.key, row.content["said"], row.content["more"]) for row in rows]


def test_each_person_gets_one_message_with_old_and_new_and_the_maker_none(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        version = see_run(session, ada, site.run, TODAY).version
        edits = [{"edit": "move", "task": "draft", "start": "2026-06-08"}]
        apply_shift(session, ada, site.run, version, edits, TODAY, "The writer is away", "carry")
    bela, cleo = site.people["Bela"], site.people["Cleo"]
    assert [key for key, _, _ in sent(site)] == [f"shift:{site.run}:1:{bela}", f"shift:{site.run}:1:{cleo}"]
    _, subject, text = sent(site)[0]
    assert subject == "Bulletin 7: 2 of your tasks moved"
    assert text == (
        "Ada has shifted Bulletin 7: The writer is away\n\n"
        "Draft: Mon 1 – Tue 2 Jun → Mon 8 – Tue 9 Jun\nPrint: Mon 8 – Wed 10 Jun → Mon 15 – Wed 17 Jun\n"
    )
    with site.store.writing() as session:
        take_back(session, ada, site.run, 1, TODAY)
    back = [one for one in sent(site) if ":back:" in one[0]]
    assert len(back) == 2 and "Draft: Mon 8 – Tue 9 Jun → Mon 1 – Tue 2 Jun" in back[0][2]
    assert back[0][1] == "Bulletin 7: 2 of your tasks moved back"


def test_nothing_is_written_when_the_shift_is_not(site: Site) -> None:
    ada = site.person("Ada")
    try:
        with site.store.writing() as session:
            version = see_run(session, ada, site.run, TODAY).version
            apply_shift(
                session, ada, site.run, version, [{"edit": "move", "task": "draft", "start": "2026-06-08"}], TODAY
            )
            raise RuntimeError
    except RuntimeError:
        pass
    assert sent(site) == []


def test_a_long_message_says_how_many_more_there_are() -> None:
    _, text = message("Run", "Ada", "", [Moved(f"Task {n}", "Mon", "Tue") for n in range(MOST_LINES + 5)])
    assert text.count("→") == MOST_LINES and text.endswith("and 5 more\n")
