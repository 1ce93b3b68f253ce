"""Many batches: found, named, paused and taken up again, on one bench or two."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all
from conftest import HERON, OpenWindow
from msgspec.structs import replace
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtTest import QTest

from fusilex.bench.common.events import BatchOpened, BoardCell
from fusilex.bench.common.route import Laid
from fusilex.bench.common.standing import Standing, aged, title
from fusilex.bench.record.batch_list import Glance, glance, listed
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.wet_paste.age import judge_paste_age
from fusilex.formats.bundle import Files
from fusilex.ui.frame.batches.new_batch import NewBatch
from fusilex.ui.frame.batches.rack import Batches
from fusilex.ui.frame.batches.thumbnails import keep, kept
from fusilex.ui.frame.window import Window

K = Qt.Key


def printed(bench: Bench, panel: int = 1) -> None:
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull, f"lot {bench.batch.bin_number[line.key]}"))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(panel, 0.12, "leaded"))


def test_batches_are_listed_and_found(bench: Bench) -> None:
    wren = open_demo(bench.journal, which="wren")
    printed(bench)
    bench.do(c.RenameBatch("Marsh survey, autumn"))
    wren.do(c.RestBatch("paused", "the marsh comes first"))
    names = lambda text="": [row.name for row in listed(bench.journal, text)]  # noqa: E731
    assert names() == ["Wren batch 3", "Marsh survey, autumn"]
    assert names("h7-05") == names("AUTUMN") == names("Heron") == names("lot 12") == ["Marsh survey, autumn"]
    assert names("paused") == ["Wren batch 3"] and names("open") == ["Marsh survey, autumn"] and names("zebra") == []
    seen = glance(bench.journal, bench.id)
    assert isinstance(seen, Glance) and dict(seen.counts) | {"Print": 12, "Place": 6} == dict(seen.counts)
    assert (seen.boards, seen.done, seen.title) == (18, 0, "Marsh survey, autumn")
    with pytest.raises(c.Refused, match="8 boards are not done; W3-01 is at Ready"):
        wren.do(c.RestBatch("closed"))
    with pytest.raises(c.Refused, match="is paused already"):
        wren.do(c.RestBatch("paused"))


def test_a_thousand_batches(bench: Bench) -> None:
    with bench.journal.writing() as pen:
        for n in range(1000):
            stream = pen.open_stream(f"Heron R2 batch {100 + n}")
            boards = [BoardCell(f"Z{100 + n}-{k:02d}", 1, k) for k in range(6)]
            pen.write(stream, [BatchOpened("Heron R2", boards, batch=100 + n)])
    found = listed(bench.journal, "z777-03")
    assert [row.name for row in found] == ["Heron R2 batch 777"] and len(listed(bench.journal)) == 1001


def test_a_paused_batch_says_what_has_aged(bench: Bench) -> None:
    printed(bench)
    bench.do(c.RestBatch("paused", "urgent job"))
    with pytest.raises(c.Refused, match="The batch is paused: take it up again"):
        bench.do(c.PrintPanel(2, 0.12, "leaded"))
    later = replace(bench.batch, at=datetime.now(UTC) + timedelta(hours=30))
    assert [(j.rule, j.level, j.headline) for j in aged(later)] == [
        ("print.age", Level.STOP, "Paste of panel 1: open too long")
    ]
    assert aged(replace(bench.batch, at=datetime.now(UTC) + timedelta(hours=3))) == []
    bench.do(c.TakeUpBatch())
    with pytest.raises(c.Refused, match="is being worked on"):
        bench.do(c.TakeUpBatch())
    assert bench.state[Standing].status == "open"
    old = (datetime.now(UTC) - timedelta(hours=9)).isoformat()
    for board in bench.state.panel_boards(1):
        board.prints["Print"] = replace(board.prints["Print"], at=old)
    assert [j.rule for j in bench.route.open_stops(bench.batch.about("H7-01", "Place"), "Place")] == ["print.age"]


@pytest.mark.parametrize(("hours", "level"), [(3.9, "go"), (4.0, "go"), (4.01, "care"), (8.0, "care"), (8.01, "stop")])
def test_paste_ages(hours: float, level: str) -> None:
    assert judge_paste_age("panel 1", hours).level.value == level


def test_the_rack_by_keys(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    bench = window.desk.bench
    wren = open_demo(bench.journal, which="wren")
    rack = Batches(window, bench.journal, bench.id, window.batches.act)
    rack.show()
    assert rack.rack.count() == 2 and rack.row is not None and rack.row.id == wren.id
    QTest.keyClicks(rack.line, "H7-1")
    assert rack.rack.count() == 1 and rack.row is not None and rack.row.id == bench.id
    rack.line.clear()
    asked = "fusilex.ui.frame.batches.dialogs.QInputDialog.getText"
    monkeypatch.setattr(asked, lambda *a: ("stakes for the north field", True))
    QTest.keyClick(rack, K.Key_F2)
    assert rack.row.name == "stakes for the north field"  # type: ignore[union-attr]
    monkeypatch.setattr(asked, lambda *a: ("no paste left", True))
    QTest.keyClick(rack, K.Key_F5)
    assert rack.row.words == "paused" and not rack.grab().isNull()  # type: ignore[union-attr]
    QTest.keyClick(rack, K.Key_F6)
    assert "Pause it instead" in window.desk.said
    QTest.keyClick(rack, K.Key_Return)
    assert rack.chosen == wren.id
    window.batches.open(rack.chosen)
    now = window.desk.bench
    assert now.id == wren.id and title(now.state) == "stakes for the north field" in window.windowTitle()
    assert "no paste left" in window.desk.said and "nothing has aged" in window.desk.said
    assert now.state[Standing].status == "open"


def test_a_batch_travels_by_the_window(window: Window, tmp_path: Path, open_window: OpenWindow, bench: Bench) -> None:
    printed(bench)
    monkey = tmp_path / "batch.zip"
    window.files.save_file = lambda prompt, name, then: then(str(monkey))  # type: ignore[method-assign]
    window.batches.write()
    assert "is written" in window.desk.said and monkey.stat().st_size > 10_000
    window.files.dropped(str(monkey))
    assert "There is a batch 7 already" in window.desk.said, "a batch that is here is not taken in twice"
    other = open_window(open_demo(c.open_journal(f"sqlite:///{tmp_path / 'o.sqlite'}"), which="wren"))
    other.files.dropped(str(monkey))
    assert "was taken in" in other.desk.said and len(other.desk.bench.state.boards) == 18
    assert {b.step for b in other.desk.bench.state.panel_boards(1)} == {"Place"}


def test_a_new_batch_in_one_dialog(window: Window, heron_files: Files) -> None:
    dialog = NewBatch(window, "Heron R2", window.desk.bench.design, Records())
    assert dialog.wanted.order == "" and "Hand" in dialog.route.text() and "Print bottom" not in dialog.route.text()
    dialog.boards.setValue(9)
    dialog.prefix.setText("NB")
    dialog.number.setValue(41)
    dialog.order.setCurrentIndex(dialog.order.findData("glued"))
    assert "Print bottom  →  Place bottom" in dialog.route.text() and dialog.wanted.order == "glued"
    window.files.start_batch("", heron_files, "Heron R2", dialog.wanted)
    made = window.desk.bench
    assert list(made.state.boards)[8] == "NB41-09" and made.state[Laid].order == "glued" and len(made.route.steps) == 14


def test_small_pictures_are_kept(window: Window) -> None:
    files = "f" * 64  # of another design: the window keeps its own when the hands are still
    assert kept(files) is None
    keep(window.desk.art, files)
    picture = kept(files)
    assert picture is not None and picture.width() == 240 and kept("nothing") is None


def test_each_window_opens_where_it_was(window: Window, open_window: OpenWindow, bench: Bench) -> None:
    window.desk.go("Test", "H7-09")
    on_disk = QSettings(window.settings.fileName(), QSettings.Format.IniFormat)
    assert "Test\nH7-09" in {str(on_disk.value(key)) for key in on_disk.allKeys()}, "a killed window forgets nothing"
    again = open_window(Bench(bench.journal, bench.id), window.settings)
    assert (again.desk.bench.view.step, again.desk.bench.view.board) == ("Test", "H7-09")
    assert str(HERON) not in str(again.settings.allKeys())


def test_boards_are_found_sent_back_and_taken_back_by_keys(window: Window) -> None:
    bench = window.desk.bench
    open_demo(bench.journal, which="wren")
    printed(bench)

    def answer(*texts: str) -> None:
        for text in texts:
            window.ask.line.setText(text)
            QTest.keyClick(window.ask.line, K.Key_Return)

    QTest.keyClick(window, K.Key_F, Qt.KeyboardModifier.ControlModifier)
    answer("h7-04")
    assert (bench.view.step, bench.view.board) == ("Place", "H7-04") and "at Place" in window.desk.said
    QTest.keyClick(window, K.Key_F3)
    assert window.ask.line.text() == "Print", "the step before is offered"
    answer("print", "smeared at J1")
    assert bench.view.step == "Print" and bench.state.boards["H7-04"].sent_back[0].reason == "smeared at J1"
    QTest.keyClick(window, K.Key_F3)
    answer("nowhere")
    assert window.desk.said == "There is no step nowhere."
    bench.state.boards["H7-05"].step, bench.state.boards["H7-05"].released_at = "Done", "2026-01-01T00:00:00+00:00"
    QTest.keyClick(window, K.Key_F, Qt.KeyboardModifier.ControlModifier)
    answer("H7-05")
    assert "released" in window.desk.said
    QTest.keyClick(window, K.Key_F3)
    answer("dead after a storm")
    assert bench.state.boards["H7-05"].step == "Rework" and bench.view.step == "Rework"
    assert "came back" in window.now_card.now.title and "dead after a storm" in window.now_card.now.detail
    QTest.keyClick(window, K.Key_F, Qt.KeyboardModifier.ControlModifier)
    answer("W3-02")
    assert window.desk.bench.view.board == "W3-02" and "Wren" in window.windowTitle()
    QTest.keyClick(window, K.Key_F, Qt.KeyboardModifier.ControlModifier)
    answer("zebra")
    assert window.desk.said == "Nothing here is called zebra."
