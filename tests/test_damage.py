"""A journal that is torn, robbed, moved, held or only to be read: it says so, locks nobody out, and loses nothing more."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
from contextlib import closing
from datetime import date, timedelta
from pathlib import Path

import asked as c
import pytest
from conftest import HERON, OpenWindow
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from fusilex.app import main
from fusilex.bench.record.archive import batch_in, batch_out, rows_out
from fusilex.bench.record.batch_list import listed
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.opening import newest_readable, opened
from fusilex.bench.record.rescue import check, rescue
from fusilex.bench.rooms import open_journal
from fusilex.bench.workshop.stock import Lots
from fusilex.core.evidence import Level
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.journal.backups import KEPT, copy_to, daily, kept, put_back
from fusilex.journal.bundle import is_bundle
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.start import open_home
from fusilex.ui.frame.stranded import Stranded


@pytest.fixture
def worked(tmp_path: Path, heron_files: Files) -> Path:
    """A closed journal with two batches, the second one worked on, and stock."""
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    Bench.open_batch(journal, heron_files, "First", 2, prefix="A", number=1)
    bench = Bench.open_batch(journal, heron_files, "Second", 2, prefix="B", number=2)
    for n in range(30):
        bench.do(c.named("ReceiveLot")("bag", f"SR-{n}", "1 k", "0402", 10))
    bench.do(c.named("Acknowledge")("Kit"))
    bench.do(c.named("RenameBatch")("Birds"))
    journal.close()
    return tmp_path / "j.sqlite"


def edit(path: Path, statement: str, *given: object) -> None:
    with closing(sqlite3.connect(path, isolation_level=None)) as raw:
        raw.execute(statement, given)


def files_of(path: Path) -> list[str]:
    return sorted(p.name for p in path.parent.iterdir() if p.is_file())  # a home of folders may lie beside them


def test_a_closed_journal_is_one_file_and_a_copy_of_an_open_one_says_what_it_lacks(worked: Path) -> None:
    assert files_of(worked) == ["j.sqlite"]
    journal = open_journal(sqlite_url(worked))
    bench = Bench(journal, 3)
    bench.do(c.named("ReceiveLot")("bag", "SR-late", "1 k", "0402", 10))
    copy = worked.with_name("copied.sqlite")
    shutil.copy(worked, copy)
    there = open_journal(sqlite_url(copy))
    assert "the file with its newest entries (…-wal) is gone" in there.noticed
    assert len(there.since(there.workshop)) == 30 and len(journal.since(journal.workshop)) == 31
    other = open_journal(sqlite_url(worked))
    assert other.noticed == "", "another window of the same journal has lost nothing"
    other.close()
    assert Path(f"{worked}-wal").exists(), "one window closes, the other goes on"
    bench.do(c.named("RenameBatch")("Still here"))
    journal.close()
    assert files_of(worked) == ["copied.sqlite", "copied.sqlite-shm", "copied.sqlite-wal", "j.sqlite"]


def test_a_row_that_is_not_json_costs_its_batch_the_rest_and_nobody_else_anything(
    worked: Path, tmp_path: Path, open_window: OpenWindow, capsys: pytest.CaptureFixture[str]
) -> None:
    edit(worked, "UPDATE event SET body = '{torn' WHERE kind = 'caution_acknowledged'")
    journal = open_journal(sqlite_url(worked))
    whole, said = newest_readable(journal, sqlite_url(tmp_path / "demo.sqlite"))
    assert whole.state.opened["design"] == "First" and "Second batch 2 cannot be opened" in said
    whole.do(c.named("RenameBatch")("Goes on"))
    bench, said = opened(journal, 3)
    assert "expected JSON; found {torn" in said and "Papers and zip can be written" in said
    with pytest.raises(c.Refused, match="a batch that is damaged"):
        bench.do(c.named("RenameBatch")("No"))
    window = open_window(bench, None, journal)
    window.grab()
    assert "damaged, only to be looked at" in window.head.shown_batch
    assert main(["--journal", str(worked), "papers", "B2-01"]) == 0
    said = capsys.readouterr().out
    assert "stop     At least 1 record entry lost" in said
    assert any(j.rule == "release.mended" and j.level is Level.STOP for j in bench.judgements("Release"))
    other = open_journal(sqlite_url(tmp_path / "other.sqlite"))
    assert batch_in(other, batch_out(bench), "b.zip").state.boards == bench.state.boards
    assert {row.name for row in listed(journal)} == {"Goes on", "Birds"}


def test_mending_keeps_what_fits_and_never_forgets_what_it_lost(
    worked: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    before = Bench(open_journal(sqlite_url(worked)), 3)
    edit(worked, "UPDATE event SET body = '{torn' WHERE kind = 'caution_acknowledged'")
    edit(
        worked,
        "UPDATE event SET body = '{\"id\": 7}' WHERE id = (SELECT max(id) FROM event WHERE kind = 'lot_received')",
    )
    as_it_was = worked.read_bytes()
    assert main(["journal", "check", str(worked), "--json", "--fail-on", "stop"]) == 1
    data = json.loads(capsys.readouterr().out)["data"]
    assert len(data["wrong"]) == 2 and data["entries"]["the workshop"] == 29
    new = worked.with_name("new.sqlite")
    assert main(["journal", "rescue", str(worked), str(new)]) == 0
    assert worked.read_bytes() == as_it_was
    left = [json.loads(line) for line in Path(f"{new}.left-out.jsonl").read_text().splitlines()]
    assert [row["body"] for row in left] == ['{"id": 7}', "{torn"] or [row["body"] for row in left] == [
        "{torn",
        '{"id": 7}',
    ]
    bench = Bench(open_journal(sqlite_url(new)), 3)
    assert bench.state.boards == before.state.boards and len(bench.workshop[Lots].lots) == 29
    assert any(j.rule == "kit.mended" and j.level is Level.UNKNOWN for j in bench.judgements("Kit"))
    lost = next(j for j in bench.judgements("Release") if j.rule == "release.mended")
    assert lost.level is Level.STOP and "At least 1 record entry lost" in lost.headline
    assert main(["--journal", str(new), "papers", "B2-01", "--json"]) == 0
    assert json.loads(capsys.readouterr().out.splitlines()[-1])["data"]["entries_lost"][0]["entries"] == 1
    bench.do(c.named("ReceiveLot")("bag", "SR-new", "1 k", "0402", 10))
    assert main(["journal", "check", str(new), "--fail-on", "stop"]) == 0
    assert main(["journal", "rescue", str(worked), str(new)]) == 2


def test_a_batch_without_its_beginning_or_its_files_is_named(worked: Path, heron_files: Files) -> None:
    edit(worked, "DELETE FROM event WHERE kind = 'batch_opened' AND batch_id = 3")
    edit(worked, "UPDATE attachment SET data = x'00'")
    journal = open_journal(sqlite_url(worked))
    with pytest.raises(BadInput, match="expected the first entry of batch 3; found it is missing"):
        Bench(journal, 3, as_far=True)
    rows = journal.batches()
    with pytest.raises(BadInput, match="as it was handed in; found it was damaged since"):
        Bench(journal, rows[0].id)
    assert is_bundle(rows_out(journal, rows[0].id)) and is_bundle(rows_out(journal, 3)), "what there is goes out"
    wrong = check(worked).wrong
    assert any("First batch 1: its file" in w for w in wrong)
    assert any("Second batch 2: its first entry is missing" in w for w in wrong)
    assert Bench.open_batch(journal, heron_files | {"x.txt": b"other"}, "Third", 1, prefix="C").state.boards
    rescue(worked, worked.with_name("n.sqlite"))
    kept_rows = [b.name for b in open_journal(sqlite_url(worked.with_name("n.sqlite"))).batches()]
    assert kept_rows == ["First batch 1", "Third batch 3"]
    left = Path(f"{worked}".replace("j.sqlite", "n.sqlite.left-out.jsonl")).read_text()
    assert "the first entry of the batch is missing" in left


def torn(path: Path, table: str) -> None:
    """Write noise over a page of a table's rows, the one in the middle."""
    with closing(sqlite3.connect(path)) as raw:
        size = raw.execute("PRAGMA page_size").fetchone()[0]
        root = raw.execute("SELECT rootpage FROM sqlite_master WHERE name = ?", (table,)).fetchone()[0]
    data = bytearray(path.read_bytes())
    page = data[(root - 1) * size : root * size]
    assert page[0] == 5, "the table has pages below its root"
    cells = int.from_bytes(page[3:5], "big")
    at = int.from_bytes(page[12 + 2 * (cells // 2) : 14 + 2 * (cells // 2)], "big")
    leaf = int.from_bytes(page[at : at + 4], "big")
    data[(leaf - 1) * size : leaf * size] = os.urandom(size)
    path.write_bytes(data)


def test_a_torn_page_is_set_aside_before_anything_is_written_and_the_rest_is_kept(
    worked: Path, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    torn(worked, "event")
    as_it_was = worked.read_bytes()
    with pytest.raises(NotSaved, match="was not backed up: it is damaged"):
        daily(worked, date.today())
    assert kept(worked) == [], "a torn copy pushes no whole one out"
    journal = open_journal(sqlite_url(worked))
    assert "is damaged" in journal.noticed and "Go back to a backup or mend it" in journal.noticed
    (aside,) = [p for p in worked.parent.glob("j.sqlite.damaged-*") if not p.name.endswith(".txt")]
    assert aside.read_bytes() == as_it_was and aside.name in journal.noticed
    bench, _ = newest_readable(journal, "")
    with pytest.raises((NotSaved, c.Refused), match="damaged"):
        bench.do(c.named("RenameBatch")("No"))
    assert worked.read_bytes() == as_it_was
    open_journal(sqlite_url(worked))
    assert len(list(worked.parent.glob("j.sqlite.damaged-*.txt"))) == 1, "once for each trouble"
    window = open_window(bench, None, journal)
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: box.buttons()[0])
    monkeypatch.setattr() if False else None
    window.care.mend()
    assert "The journal is mended" in window.desk.said, window.desk.said
    assert check(worked).wrong == [] and not window.home.only_read
    window.desk.bench.do(c.named("RenameBatch")("Goes on"))


def test_backups_are_made_daily_the_last_seven_stay_and_one_can_be_gone_back_to(
    worked: Path, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    journal = open_journal(sqlite_url(worked))
    window = open_window(Bench(journal, 3), None, journal)
    thread = window.care.back_up_daily()
    assert thread is not None
    thread.join(20)
    assert [b.entries for b in kept(worked)] == [sum(len(journal.since(n)) for n in (1, 2, 3))]
    for n in range(1, 10):
        assert daily(worked, date.today() + timedelta(days=n)) is not None
    assert daily(worked, date.today() + timedelta(days=9)) is None, "one a day"
    assert len(kept(worked)) == KEPT and kept(worked)[0].day == (date.today() + timedelta(days=9)).isoformat()
    window.desk.bench.do(c.named("ReceiveLot")("bag", "SR-after", "1 k", "0402", 10))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *given: (given[3][0], True))
    window.care.go_back()
    assert "The one before lies in j.sqlite.before-" in window.desk.said
    assert len(window.home.since(window.home.workshop)) == 30
    (before,) = worked.parent.glob("j.sqlite.before-*")
    assert len(open_journal(sqlite_url(before)).since(window.home.workshop)) == 31
    with pytest.raises(NotSaved, match="Another window has"):
        put_back(worked, kept(worked)[0].path)
    with pytest.raises(NotSaved, match="the journal itself"):
        copy_to(worked, worked)
    with pytest.raises(NotSaved, match="not a file"):
        copy_to(worked, Path("/dev/null"))


def test_what_takes_the_file_away_is_noticed_at_the_next_save(worked: Path) -> None:
    journal = open_journal(sqlite_url(worked))
    bench = Bench(journal, 3)
    count = len(journal.since(journal.workshop))

    def receive(name: str) -> None:
        bench.do(c.named("ReceiveLot")("bag", name, "1 k", "0402", 10))

    receive("SR-a")
    Path(f"{worked}-wal").unlink()  # taken away under the open window: it is put into the file
    receive("SR-b")
    assert len(open_journal(sqlite_url(worked)).since(journal.workshop)) == count + 2
    moved = worked.with_name("moved.sqlite")
    worked.rename(moved)
    with pytest.raises(NotSaved, match="was moved, deleted or replaced while it was open"):
        receive("SR-c")
    assert not worked.exists(), "nothing is made in its place"
    (aside,) = worked.parent.glob("j.sqlite.kept-*")
    assert len(open_journal(sqlite_url(aside)).since(journal.workshop)) == count + 2
    moved.rename(worked)
    receive("SR-c")
    worked.unlink()
    with pytest.raises(NotSaved, match="moved, deleted or replaced"):
        receive("SR-d")
    assert [x.part_number for x in bench.workshop[Lots].lots.values()][-1] == "SR-c"


def test_a_lock_is_waited_for_said_and_given_up_and_the_window_lives(
    worked: Path, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fusilex.journal.engine.PATIENCE_S", 2.0)
    monkeypatch.setattr("fusilex.ui.frame.window.SAID_AFTER_S", 0.0)
    journal = open_journal(sqlite_url(worked))
    window = open_window(Bench(journal, 3), None, journal)
    painted: list[str] = []
    window.now_card.paintEvent = lambda event: painted.append(window.now_card.said)  # type: ignore[method-assign,assignment]
    with closing(sqlite3.connect(worked, isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        window.desk.do(c.named("RenameBatch")("Held"))
        assert "another program holds the journal: do it again" in window.desk.said and "room" not in window.desk.said
        assert any("Waiting for it" in said for said in painted)
        other.execute("ROLLBACK")
    window.desk.do(c.named("RenameBatch")("Free"))
    assert listed(journal)[0].name == "Free"
    with closing(sqlite3.connect(worked, isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        other.execute("INSERT INTO event (batch_id, deed, at, who, kind, body) VALUES (3, 'd', 't', '', 'moved', '{x')")
        other.execute("COMMIT")
    window._look_for_others()
    assert "expected JSON" in window.desk.said
    QTest.qWait(1)


def test_only_room_is_asked_for_when_room_is_missing(worked: Path) -> None:
    journal = open_journal(sqlite_url(worked))
    bench = Bench(journal, 3)
    with journal.engine.connect() as connection:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
        connection.exec_driver_sql(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(NotSaved, match="full: free some room"):
        bench.do(c.named("AddFiles")({"x.txt": b"0" * 3_000_000}))


def test_places_that_hold_no_journal_are_refused_and_nothing_is_made(
    tmp_path: Path, worked: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    alien, text, pipe = tmp_path / "a.sqlite", tmp_path / "t.sqlite", tmp_path / "p.sqlite"
    edit(alien, "CREATE TABLE songs (title)")
    text.write_text("Not a database at all, but long enough to have been one. " * 40)
    os.mkfifo(pipe)
    nowhere = tmp_path / "typo" / "j.sqlite"
    for place, found in (
        (alien, "another program"),
        (text, "is not a journal"),
        (pipe, "not a file"),
        (tmp_path, "not a file"),
        (nowhere, "There is no journal at"),
    ):
        assert main(["--journal", str(place), "papers", "H7-01"]) == 2
        said = capsys.readouterr().err
        assert found in said and said.count("\n") == 1, said
    assert not nowhere.parent.exists() and "songs" in str(
        sqlite3.connect(alien).execute("SELECT * FROM sqlite_master").fetchall()
    )
    for url in ("nosuch://x", "sqlite:/x", "postgresql://", "://", "sqlite:///" + "x" * 300):
        assert main(["--journal", url, "papers", "H7-01"]) == 2 and capsys.readouterr().err.count("\n") == 1, url
    edit(worked, "UPDATE alembic_version SET version_num = '0999'")
    before = worked.read_bytes()
    assert main(["--journal", str(worked), "papers", "B2-01"]) == 2
    assert "written by a newer version of Fusilex (0999" in capsys.readouterr().err and worked.read_bytes() == before
    odd = tmp_path / "100 % sure?" / "new.sqlite"
    assert main(["journal", "new", str(odd)]) == 0 and odd.exists() and main(["journal", "new", str(odd)]) == 2
    monkeypatch.setattr("fusilex.journal.store.writable", lambda path: False)
    only = Journal(sqlite_url(odd))
    with pytest.raises(NotSaved, match="nothing can be written"), only.writing():
        pass


def test_a_damaged_workshop_lets_every_batch_be_looked_at_and_is_mended(
    worked: Path, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    edit(worked, "UPDATE event SET body = '[]' WHERE id = (SELECT max(id) FROM event WHERE kind = 'lot_received')")
    journal = open_journal(sqlite_url(worked))
    bench, said = newest_readable(journal, sqlite_url(tmp_path / "demo.sqlite"))
    assert bench.state.opened["design"] == "Second" and "This batch is damaged" in said
    window = open_window(bench, None, journal)
    window.files.dropped(str(HERON))
    assert "expected what its kind says" in window.desk.said and window.files.reader is None
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: box.buttons()[0])
    window.care.mend()
    assert "1 entries were left out" in window.desk.said and window.desk.bench.damage == ""
    assert len(window.desk.bench.workshop[Lots].lots) == 29


def test_a_start_that_is_stranded_can_try_again_go_back_or_mend(
    worked: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, qtbot: QtBot
) -> None:
    daily(worked, date.today())
    good = worked.read_bytes()
    worked.write_text("Somebody saved a letter over it. " * 200)
    chosen: list[str] = []

    def press(asked: Stranded) -> int:
        chosen.append(asked.said.text())
        words = {1: "Mend it", 2: "Go back"}[len(chosen)]
        next(b for b in asked.findChildren(QPushButton) if b.text().startswith(words)).click()
        if not asked.url:  # what is no journal at all cannot be mended: it says so, and the next way is taken
            chosen.append(asked.said.text())
            next(b for b in asked.findChildren(QPushButton) if b.text().startswith("Go back")).click()
        return 0

    monkeypatch.setattr(Stranded, "exec", press)
    home = open_home(sqlite_url(worked), sqlite_url(tmp_path / "demo.sqlite"), make=False)
    assert home is not None and "is not a journal" in chosen[0] and "expected a journal, whole or in parts" in chosen[1]
    assert len(home.batches()) == 2
    home.close()
    assert len(worked.read_bytes()) == len(good)
    assert [p for p in worked.parent.glob("j.sqlite.before-*") if "letter" in p.read_text()]
