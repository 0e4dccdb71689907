"""Tasks of a run's own: typed, pasted, from a template, under a task; linked, taken out, and in the next template."""

from __future__ import annotations

import datetime as dt

import pytest

from tests.actions.test_starting import kept, welcome
from tests.plans import dates
from tests.site import TODAY, Site
from unisequa.actions.checking import check_data
from unisequa.actions.lookback.run_as_template import drawn
from unisequa.actions.runs.own import NewTask, Place, add_tasks, in_lines, remove_task
from unisequa.actions.runs.seeing import see_run
from unisequa.actions.runs.shifts import apply_shift, take_back
from unisequa.actions.runs.talking import write_comment
from unisequa.actions.runs.work import act_on_task
from unisequa.actions.starting.from_nothing import start_from_nothing
from unisequa.actions.starting.into_run import add_template
from unisequa.actions.templates.library import library, startable_names
from unisequa.core.errors import NotAllowed, NotThere, Refused
from unisequa.core.shift.edits import Move, RemoveLink
from unisequa.store.plans import plan_of
from unisequa.store.queries.runs import run_by_id


def test_a_task_stands_where_it_was_put_or_behind_what_it_follows_and_moves_nothing(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        before = dates(plan_of(run_by_id(session, site.run), TODAY))
        tasks = [
            NewTask("Ask the printer", "Writer", dt.date(2026, 6, 6), 2),  # a Saturday
            NewTask("Read it once more", "Cleo", None, 1, "check"),
            NewTask("Cake", days=0, after="read it ONCE more", effort="2h 30m"),
        ]
        assert add_tasks(session, ada, site.run, tasks, Place(phase="paper"), TODAY) == ["own-1", "own-2", "own-3"]
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        now = dates(plan_of(run, TODAY))
        assert {key: now[key] for key in before} == before
        assert (now["own-1"], now["own-2"], now["own-3"]) == (
            ("2026-06-08", "2026-06-09"), ("2026-06-04", "2026-06-04"), ("2026-06-05", "2026-06-05"),
        )  # fmt: skip
        assert [row.key for row in run.tasks][-3:] == ["own-1", "own-2", "own-3"]
        assert [row.position for row in run.tasks] == list(range(7))
        rows = {row.key: row for row in run.tasks}
        assert rows["own-1"].person_id == site.people["Bela"] and rows["own-1"].role == "writer" and rows["own-1"].put
        assert rows["own-3"].effort == "2h 30m" and rows["own-2"].effort is None
        assert rows["own-2"].person_id == site.people["Cleo"] and rows["own-2"].phase == "paper"
        assert not list(check_data(session, TODAY))


def test_every_row_at_fault_is_named_and_nothing_is_added(site: Site) -> None:
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        tasks = [NewTask("Fine"), NewTask(" "), NewTask("Who", "Nobody known"), NewTask("After", after="no such")]
        tasks.append(NewTask("Long", days="-3"))
        tasks.append(NewTask("Hard", effort="a lot"))
        add_tasks(session, site.person("Ada"), site.run, tasks, Place(), TODAY)
    assert {path: text[:30] for path, text in caught.value.faults.items()} == {
        "lines.1": "It needs a title.", "lines.2": "“Nobody known” is nobody here ",
        "lines.3": "“no such” is no task of this r", "lines.4": "“-3” is no number of working d",
        "lines.5": "“a lot” is no effort; type it ",
    }  # fmt: skip
    with site.store.reading() as session:
        assert len(run_by_id(session, site.run).tasks) == 4
    with pytest.raises(NotAllowed), site.store.writing() as session:
        add_tasks(session, site.person("Bela"), site.run, [NewTask("Mine")], Place(), TODAY)


def test_rows_are_read_with_and_without_their_names_above() -> None:
    def day(text: str) -> dt.date:
        return dt.date.fromisoformat(text)

    rows = [["Who", "Task", "", "Takes"], ["Bela", "Print", "x", "3 days"], ["", "", "", ""], ["", "Post", "", ""]]
    assert in_lines(rows, day) == [NewTask("Print", "Bela", None, "3 days"), NewTask("Post")]
    assert in_lines([["Print", "Bela", "2026-06-08", "2d", "Draft"]], day) == [
        NewTask("Print", "Bela", dt.date(2026, 6, 8), "2d", "Draft")
    ]


def test_all_that_is_wrong_in_a_list_is_told_at_once_and_what_follows_a_wrong_row_is_not(site: Site) -> None:
    def day(text: str) -> dt.date:
        raise Refused({"": f"{text} is no date"})

    rows = [
        ["Bind", "Ghost", "blursday", "x", "no such"],
        ["Trim", "", "", "", "Bind"],
        ["Box", "Spook", "", "", "Trim"],
    ]
    with pytest.raises(Refused) as caught, site.store.writing() as session:
        add_tasks(session, site.person("Ada"), site.run, in_lines(rows, day), Place(), TODAY)
    assert list(caught.value.faults) == ["lines.0", "lines.2"]
    said = caught.value.faults["lines.0"]
    assert all(part in said for part in ("blursday is no date", "“Ghost” is nobody", "“no such” is no task", "“x” is"))
    assert caught.value.faults["lines.2"] == "“Spook” is nobody here and no role of this run."


def test_a_templates_tasks_come_under_a_task_which_then_spans_them(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        number = kept(session, site, welcome())
        day = dt.date(2026, 6, 22)
        keys = add_template(session, ada, site.run, number, day, Place(under="party"), TODAY)
        assert keys == ["own-1-badge", "own-1-meet"]
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        now = dates(plan_of(run, TODAY))
        assert now["own-1-badge"] == ("2026-06-15", "2026-06-16") and now["party"] == ("2026-06-15", "2026-06-22")
        party = next(row for row in run.tasks if row.key == "party")
        assert (str(party.start_on), str(party.finish_on)) == now["party"]
        roles = {row.key: row.role for row in run.tasks}
        assert roles["own-1-meet"] == "lead" and roles["own-1-badge"] == "desk"  # one there, one added to the crew
        assert [m.label for m in run.crew] == ["Lead", "Writer", "Editor", "Desk"]
        assert not list(check_data(session, TODAY))
    with site.store.writing() as session:
        asks = kept(session, site, welcome("Asks", facts=[{"key": "talks", "label": "Talks", "required": True}]))
        with pytest.raises(Refused, match="Start it as a run of its own"):
            add_template(session, ada, site.run, asks, day, Place(), TODAY)


def test_what_was_begun_or_comes_from_the_template_is_not_taken_out(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        add_tasks(session, ada, site.run, [NewTask("A", after="draft"), NewTask("B", after="A")], Place(), TODAY)
        add_tasks(session, ada, site.run, [NewTask("C")], Place(), TODAY)
        act_on_task(session, ada, site.run, "own-3", "begin", TODAY)
        for key, said in (("own-3", "what was begun stays"), ("print", "comes from the template")):
            with pytest.raises(Refused, match=said):
                remove_task(session, ada, site.run, key, TODAY)
        assert remove_task(session, ada, site.run, "own-1", TODAY) == "A"
    with site.store.reading() as session:
        run = run_by_id(session, site.run)
        ids = {row.id: row.key for row in run.tasks}
        assert "own-1" not in ids.values()
        assert ("draft", "own-2") in {(ids[k.source_id], ids[k.target_id]) for k in run.links}


def test_they_become_steps_of_a_template_made_from_the_run_or_from_a_part_of_it(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        task = NewTask("Ask the printer", "Writer", dt.date(2026, 6, 8), 2)
        add_tasks(session, ada, site.run, [task], Place(phase="paper"), TODAY)
        seen = drawn(session, ada, site.run, TODAY, keep_dropped=False)
        (step,) = [one for one in seen.template.steps if one.key == "own-1"]
        assert {line.key for line in seen.lines if line.was == "not in it"} == {"own-1"}
        assert (step.title, step.role, step.phase, step.duration) == ("Ask the printer", "writer", "paper", 2)
        part = drawn(session, ada, site.run, TODAY, keep_dropped=False, only=["phase:paper"]).template
        assert [one.key for one in part.steps] == ["print", "party", "own-1"]
        with pytest.raises(Refused, match="None of these tasks"):
            drawn(session, ada, site.run, TODAY, keep_dropped=False, only=["nothing"])


def test_a_run_from_nothing_is_written_down_and_becomes_a_template(site: Site) -> None:
    bela = site.person("Bela")
    with site.store.writing() as session:
        with pytest.raises(Refused):
            start_from_nothing(session, bela, "  ", TODAY)
        run_id = start_from_nothing(session, bela, "Move to the new store", TODAY)
        assert see_run(session, bela, run_id, TODAY).plan.tasks == ()
        add_tasks(session, bela, run_id, [NewTask("Pack", days=3), NewTask("Carry", after="Pack")], Place(), TODAY)
        made = drawn(session, bela, run_id, TODAY, keep_dropped=False).template
        assert [(one.title, one.duration, one.when and one.when.offset) for one in made.steps] == [
            ("Pack", 3, 2), ("Carry", 1, None),
        ]  # fmt: skip
        assert [entry.name for entry in library(session, bela).entries] == ["Issue of the bulletin"]
        assert len(startable_names(session, bela)) == 1 and not list(check_data(session, TODAY))
    with pytest.raises(NotThere), site.store.reading() as session:
        see_run(session, site.person("Cleo"), run_id, TODAY)


def test_what_is_kept_of_a_task_taken_out_is_not_anothers_and_its_shift_is_told(site: Site) -> None:
    ada = site.person("Ada")
    with site.store.writing() as session:
        add_tasks(session, ada, site.run, [NewTask("Ask")], Place(), TODAY)
        write_comment(session, ada, site.run, "own-1", "About asking")
        version = run_by_id(session, site.run).version
        edits = [Move("own-1", TODAY.toordinal() + 14)]
        shift = apply_shift(session, ada, site.run, version, edits, TODAY)
        remove_task(session, ada, site.run, "own-1", TODAY)
        assert add_tasks(session, ada, site.run, [NewTask("Tell")], Place(), TODAY) == ["own-2"]
        with pytest.raises(Refused, match="no longer there"):
            take_back(session, ada, site.run, shift.number, TODAY)
        add_tasks(session, ada, site.run, [NewTask("Then", after="Tell")], Place(), TODAY)
        version = run_by_id(session, site.run).version
        loose = apply_shift(session, ada, site.run, version, [RemoveLink("own-2", "own-3")], TODAY)
        remove_task(session, ada, site.run, "own-3", TODAY)
        with pytest.raises(Refused, match="no longer there"):
            take_back(session, ada, site.run, loose.number, TODAY)
