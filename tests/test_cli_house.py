"""The house's own data from the command line."""

from __future__ import annotations

import io
from pathlib import Path

import pytest

from tests.site import Site
from tests.test_cli import Result
from tests.test_cli import run as command
from unisequa.store.tables import Person


@pytest.fixture
def data(site: Site, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    monkeypatch.setenv("UNISEQUA_TODAY", "2026-06-03")
    return str(tmp_path)


def test_people_are_brought_in_from_a_table_all_or_none(data: str, site: Site, tmp_path: Path) -> None:
    table = tmp_path / "people.csv"
    table.write_text(
        "\ufeffName,Email,Title,Position,Manager,Teams\n"
        "Dora Finch,dora@example.org,Porter,,ada@example.org,Night; Doors\n"
        "Ada,ADA@example.org,Editor,Head of press,,\n"
        "Emil,emil@example,,Head of press,dora@example.org,doors\n"
    )
    assert command("person", "import", str(table), "--data", data).stdout == "2 added, 1 changed\n"
    told = command("person", "list", "--data", data).stdout
    assert "dora@example.org\tDora Finch\t\tAda\tDoors; Night\t\n" in told
    assert "emil@example\tEmil\tHead of press\tDora Finch\tDoors\t\n" in told
    table.write_text(
        "name,email,manager\nFritz,fritz@example.org,\n,nobody\nGerda,gerda@example.org,who@example.org\n"
        "Ada,ada@example.org,emil@example\n"
    )
    wrong = command("person", "import", str(table), "--data", data)
    assert wrong.exit_code == 2 and wrong.stdout == ""
    assert [line.partition(":")[0] for line in wrong.stderr.splitlines()] == [
        "row 3, name", "row 3, email", "row 4, manager", "row 5, manager",
    ]  # fmt: skip
    with site.store.reading() as session:
        assert session.query(Person).filter(Person.name == "Fritz").count() == 0
    table.write_text("name,email\nEmil Rook,emil@example\n")  # what the table does not say stays as it is
    assert command("person", "import", str(table), "--data", data).stdout == "0 added, 1 changed\n"
    assert "Emil Rook\tHead of press\tDora Finch" in command("person", "list", "--data", data).stdout
    table.write_text("who,email\nx,y\n")
    assert "the first row names the columns" in command("person", "import", str(table), "--data", data).stderr


def test_teams_positions_and_places(data: str) -> None:
    assert command("position", "add", "Registrar", "--data", data).exit_code == 0
    assert command("position", "add", "registrar", "--data", data).exit_code == 2
    placed = command(
        "person", "place", "bela@example.org", "--position", "REGISTRAR", "--manager", "ada@example.org", "--data", data
    )
    assert (
        placed.stdout == "Bela is placed\n"
        and command("position", "list", "--data", data).stdout == "Registrar\tBela\n"
    )
    assert "would be left" in command("position", "remove", "Registrar", "--data", data).stderr
    assert command("team", "put", "Night", "ada@example.org", "bela@example.org", "--data", data).exit_code == 0
    assert command("team", "list", "--data", data).stdout == "Night\tAda; Bela\n"
    assert (
        command("team", "put", "Night", "ada@example.org", "bela@example.org", "--out", "--data", data).exit_code == 0
    )
    assert command("team", "remove", "night", "--data", data).exit_code == 0
    assert command("team", "remove", "night", "--data", data).stderr == 'There is no team "night".\n'


def test_calendars_and_leave(data: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    document = b'{"format": "unisequa-calendar/1", "name": "Fjord", "week": "1111110"}'
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(document)))
    assert command("calendar", "put", "-", "--usual", "--data", data).exit_code == 0
    assert command("calendar", "close", "fjord", "12 jun", "+2", "--label", "Regatta", "--data", data).exit_code == 0
    assert command("calendar", "list", "--data", data).stdout == "Fjord\nhouse\n"
    assert command("person", "administrator", "ada@example.org", "--data", data).exit_code == 0
    left = command("calendar", "close", "house", "8 jun", "--data", data).stdout
    assert (
        left
        == '"house" is closed on Mon 8 Jun 2026; 1 run left as before, listed with the calendar for their keepers\n'
    )
    shifted = command("calendar", "close", "house", "9 jun", "10 jun", "--shift", "--data", data).stdout
    assert shifted == '"house" is closed from Tue 9 Jun 2026 to Wed 10 Jun 2026; 1 run shifted with it\n'
    nobody = command("calendar", "close", "house", "11 jun", "--by", "bela@example.org", "--data", data)
    assert nobody.stderr == "by: bela@example.org does not administer here; name somebody who does.\n"
    shown: Result = command("calendar", "show", "Fjord", "--data", data)
    again = tmp_path / "again.json"
    again.write_text(shown.stdout.replace("Fjord", "fjord"))
    assert command("calendar", "put", str(again), "--data", data).exit_code == 0
    assert '"name": "Fjord"' in command("calendar", "show", "fjord", "--data", data).stdout  # as templates name it
    assert '"from": "2026-06-12"' in shown.stdout and '"to": "2026-06-14"' in shown.stdout
    assert (
        command("leave", "add", "cleo@example.org", "8 jun", "12 jun", "--label", "Away", "--data", data).exit_code == 0
    )
    assert command("leave", "list", "--data", data).stdout == "cleo@example.org\t2026-06-08\t2026-06-12\tAway\n"
    assert "no date" in command("leave", "add", "cleo@example.org", "never", "--data", data).stderr


def test_a_link_and_a_lost_second_factor(data: str, site: Site) -> None:
    link = command("person", "reset-link", "ada@example.org", "--data", data).stdout.strip()
    assert site.client().get(link.partition(":8000")[2]).is_success
    with site.store.writing() as session:
        session.get(Person, site.people["Ada"]).second_factor = "A" * 32
    assert command("person", "second-factor-off", "ada@example.org", "--data", data).exit_code == 0
    assert site.client().sign_in("Ada").url.path == "/"


def test_who_leaves_hands_over_first(data: str, site: Site, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    leaves = ("person", "deactivate", "ada@example.org", "--data", data)
    held = command(*leaves)
    assert held.exit_code == 2 and "Ada owns the template Issue of the bulletin" in held.stderr
    assert "name who takes over with --to" in held.stderr
    given = command(*leaves, "--to", "bela@example.org")
    assert given.exit_code == 0 and "keeps Bulletin 7" in given.stdout and "no longer sign in" in given.stdout
    assert "Bela" in site.client("Bela").get(f"/runs/{site.run}").text
    assert command("person", "deactivate", "bela@example.org", "--holding", "--data", data).exit_code == 0
    monkeypatch.setenv("UNISEQUA_SMTP_URL", "ftp://x")
    monkeypatch.setenv("UNISEQUA_HOSTS", "plan.example.org")
    assert command("person", "list").stderr.startswith("UNISEQUA_")
    monkeypatch.delenv("UNISEQUA_HOSTS")
    assert command("person", "list").stderr.startswith("UNISEQUA_SMTP_URL: ")
    assert "cannot be read" in command("person", "import", str(tmp_path / "nothing.csv")).stderr


def test_a_mail_server_without_what_links_need_is_told(data: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("UNISEQUA_SMTP_URL", "smtp://127.0.0.1:9")
    monkeypatch.setenv("UNISEQUA_MAIL_FROM", "house@example.org")
    ticked = command("tick", "--data", data)
    assert ticked.exit_code == 0 and ticked.stdout.endswith(" 0 sent\n")
    assert ticked.stderr == "A mail server is set, but no mail leaves without UNISEQUA_ADDRESS.\n"
