"""The real window, offscreen, driven by keys as a person would."""

from __future__ import annotations

import json
from pathlib import Path

import asked as c
import pytest
from asked import CAUTIONS
from conftest import HERON, OpenWindow
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from fusilex.bench.common.bins import Bins
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.inspect.touring import fields_of
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.test.now import next_pair
from fusilex.bench.stations.test.planning import due, heard
from fusilex.core.evidence import Level
from fusilex.core.route.steps import DONE, one_side
from fusilex.core.wording import say
from fusilex.formats.bundle import Files
from fusilex.ui.frame.batches.new_batch import Wanted
from fusilex.ui.frame.why import why_html
from fusilex.ui.frame.window import Window
from fusilex.ui.theme import DIM, LIGHT, contrast, use

Key = Qt.Key
SPACE, ENTER = Key.Key_Space, Key.Key_Return

STEPS = one_side().ids


def press(window: Window, *keys: Key | str) -> None:
    """Press keys on whatever has the focus; a string is typed into the question and answered."""
    for key in keys:
        if isinstance(key, str):
            window.ask.line.clear()
            QTest.keyClicks(window.ask.line, key)
            QTest.keyClick(window.ask.line, ENTER)
        else:
            QTest.keyClick(window, key)


def take(window: Window, serial: str) -> None:
    """Walk the strip of boards with ``[`` until a board is in hand."""
    while window.desk.bench.view.board != serial:
        press(window, Key.Key_BracketLeft)


def go(window: Window, station: str) -> None:
    digit = Key(Key.Key_0 + (STEPS.index(station) + 1) % 10)
    QTest.keyClick(window, digit, Qt.KeyboardModifier.ControlModifier)
    assert window.desk.bench.view.step == station


def test_a_batch_walks_ten_stations_by_keyboard_alone(
    window: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    bench = window.desk.bench
    press(window, SPACE)
    assert bench.view.step == "Kit" and window.now_card.now.cautions
    press(window, SPACE)
    assert "Kit" in bench.state.cautions and not bench.state[Bins].filled
    press(window, Key.Key_C, "lots", SPACE)
    assert next(iter(bench.state[Bins].filled.values())).count == bench.batch.lines[0].pull
    press(window, Key.Key_C, "12", Key.Key_L, "lot 7")
    assert (
        bench.state[Bins].filled[bench.batch.lines[1].key].count == 12
        and bench.state[Bins].filled[bench.batch.lines[2].key].lot == "lot 7"
    )
    press(window, *[SPACE] * (len(bench.batch.lines) - 3))
    assert len(bench.state[Bins].filled) == len(bench.batch.lines) and "Short of" in window.now_card.now.title
    press(window, SPACE)
    assert "stays at Kit" in window.desk.said
    press(window, Key.Key_F2, "fitted by the customer")
    assert "without" in window.now_card.now.title
    press(window, SPACE)
    assert bench.view.step == "Print" and bench.state[Bins].without == list(bench.batch.lines[1].refs)
    press(window, SPACE, *[SPACE] * 5)  # cautions, then clean, seat, bead, stroke, lift
    assert window.now_card.now.title.startswith("Look at") and {b.station for b in bench.state.panel_boards(1)} == {
        "Print"
    }
    press(window, *[SPACE] * (24 + 1))  # the risky few of six boards, then the panel
    assert {b.station for b in bench.state.panel_boards(1)} == {"Place"} and bench.board.panel == 2
    go(window, "Place")
    press(window, Key.Key_N, SPACE)
    assert bench.view.board == "H7-01" and "Place" in bench.state.cautions
    press(window, SPACE, SPACE, Key.Key_X, Key.Key_Backspace)
    assert len(bench.state.boards["H7-01"].placed) == 2 and not sum(bench.state[Bins].dropped.values())
    press(window, *[SPACE] * (len(bench.batch.parts_of("Place")) - 2))
    assert bench.state.boards["H7-01"].station == "Reflow" and bench.view.board == "H7-02"
    press(window, Key.Key_M)
    for text in ("P1 3.5 5.0", "P2 146.5 5.0", "P3 3.5 57.0", "nonsense"):
        press(window, Key.Key_T, text)
    assert "no point" in window.desk.said and len(bench.state[Placing].taught[1, "Place"]) == 3
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getSaveFileName",
        lambda *a: (str(tmp_path / a[2].split("/")[-1]), ""),
    )
    press(window, Key.Key_E)
    assert (tmp_path / "panel-1.csv").read_text().count("\n") == 1 + 5 * len(bench.batch.parts_of("Place"))
    press(window, SPACE)
    assert {b.station for b in bench.state.panel_boards(1)} == {"Reflow"}
    go(window, "Reflow")
    press(window, Key.Key_N, SPACE)
    assert window.now_card.now.title == "Settle marks, panel 1"
    go(window, "Place")
    take(window, "H7-01")
    press(window, Key.Key_P)
    marks = [p for p in bench.batch.parts_of("Place") if p.package.polarised]
    press(window, *[SPACE] * (6 * len(marks)))
    assert window.now_card.now.title == "Every mark was looked at" and bench.view.board == "H7-06"
    press(window, Key.Key_P)
    go(window, "Reflow")
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getOpenFileName", lambda *a: (str(HERON / "oven-run-1.csv"), "")
    )
    press(window, Key.Key_L)
    assert {b.station for b in bench.state.panel_boards(1)} == {"Hand"}
    go(window, "Hand")
    take(window, "H7-01")
    press(window, SPACE, *[SPACE] * len(bench.batch.parts_of("Hand")))
    assert bench.state.boards["H7-01"].station == "Inspect" and bench.view.board == "H7-02"
    go(window, "Inspect")
    press(window, Key.Key_N)
    assert bench.view.board == "H7-01"
    press(window, Key.Key_Slash, "u3", Key.Key_1, Key.Key_Right, Key.Key_W, Key.Key_Backspace, Key.Key_Return)
    assert [(f.ref, f.word) for f in bench.state.boards["H7-01"].faults] == [("U3", "bridge")] and bench.state.boards[
        "H7-01"
    ].station == "Rework"
    go(window, "Rework")
    press(window, Key.Key_N, SPACE, SPACE)
    assert bench.state.boards["H7-01"].station == "Inspect" and not bench.state.boards["H7-01"].open_faults
    go(window, "Inspect")
    press(window, Key.Key_N)
    assert window.now_card.now.title.startswith("Look again at U3"), "what was mended comes first"
    press(window, *[SPACE] * (len(fields_of(bench.batch)) + 1))
    assert bench.state.boards["H7-01"].station == "Test"
    go(window, "Test")
    press(window, Key.Key_N, SPACE)
    board = bench.state.boards["H7-01"]
    first, keys = next_pair(bench.batch, board), 0
    assert first and first.purpose == "joined" and "U3" in first.key, "joints that were mended come first"
    press(window, Key.Key_0, "0.3")
    assert board.readings[first.key] == (0.3, "0.3")
    while pair := next_pair(bench.batch, board):
        keys += 1
        press(window, *((Key.Key_Return,) if heard(pair, 30.0) else (Key.Key_1, f"{pair.expected:.0f}")))
    assert keys < len(due(bench.batch, board)) / 2 and board.tests == []
    press(window, SPACE)
    assert bench.state.boards["H7-01"].station == "Release", window.desk.said
    go(window, "Release")
    press(window, Key.Key_N, SPACE, *[SPACE] * 14, Key.Key_Tab, Key.Key_Tab, Key.Key_J, Key.Key_P)
    assert json.loads((tmp_path / "H7-01.json").read_text())["faults"][0]["word"] == "bridge"
    assert (tmp_path / "H7-01.pdf").read_bytes().startswith(b"%PDF")
    press(window, SPACE)
    assert bench.state.boards["H7-01"].station == DONE
    QTest.keyClick(window, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert bench.state.boards["H7-01"].station == "Release"


def test_everything_is_there_after_a_restart(window: Window, open_window: OpenWindow) -> None:
    press(window, SPACE, SPACE, SPACE)
    go(window, "Place")
    press(window, Key.Key_BracketRight, Key.Key_BracketRight)
    again = Bench(open_journal(window.desk.bench.journal.url), window.desk.bench.id)
    other = open_window(again, window.settings)
    assert (again.view.step, again.view.board) == ("Place", "H7-03") and len(again.state[Bins].filled) == 1
    assert other.station.name == "Place" and "H7-03" in other.station.canvas.caption  # type: ignore[union-attr]


def test_every_station_paints_at_every_size_in_both_themes(window: Window) -> None:
    for station in CAUTIONS:
        window.desk.do(c.Acknowledge(station))
    for tokens in (LIGHT, DIM):
        use(tokens)
        for size in ((1100, 700), (1280, 800), (2560, 1440)):
            window.resize(*size)
            for station in STEPS:
                go(window, station)
                image = window.grab().toImage()
                seen = {image.pixel(x, y) for x in range(0, image.width(), 40) for y in range(0, image.height(), 40)}
                assert len(seen) > 4, (station, size, tokens.name)
                assert window.now_card.now.title and window.now_card.width() >= 300


def test_text_contrast_of_both_themes() -> None:
    for t in (LIGHT, DIM):
        for ink, ground in (
            ("ink", "ground"),
            ("ink", "card"),
            ("soft", "ground"),
            ("soft", "card"),
            ("soft", "bench"),
            ("now_ink", "now_ground"),
            ("now_soft", "now_ground"),
            ("go", "card"),
            ("care", "card"),
            ("stop", "card"),
            ("brass_fill", "now_ground"),
            ("lit", "board"),
        ):
            assert contrast(getattr(t, ink), getattr(t, ground)) >= 4.5, (t.name, ink, ground)


def test_the_canvas_zooms_about_the_cursor_flips_truly_and_finds_parts(window: Window) -> None:
    canvas = window.station.canvas
    assert canvas
    spot = QPointF(150, 120)
    before = canvas.to_mm(spot)
    canvas.zoom(2.5, spot)
    after = canvas.to_mm(spot)
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()))
    press(window, Key.Key_Home)
    left = canvas.to_px(0, 0).x()
    press(window, Key.Key_F)
    assert canvas.side == "bottom" and canvas.to_px(0, 0).x() > left
    part = window.desk.bench.design.part_by_ref["L2"]
    assert canvas.part_at(canvas.to_px(part.x, part.y)) == ("L2", 0)
    press(window, Key.Key_Slash, "u1")
    assert canvas.side == "top" and canvas.selected == "U1"
    press(window, Key.Key_Slash, "zz9")
    assert "no part" in window.desk.said


def test_why_shows_rule_source_and_inputs_and_an_overruling_is_recorded(window: Window) -> None:
    go(window, "Print")
    while window.judged.current and window.judged.current.rule != "print.release":
        QTest.keyClick(window, Key.Key_PageDown)
    judgement = window.judged.current
    assert judgement and judgement.level is Level.GO
    text = why_html(judgement)
    assert "IPC-7525" in text and "stencil" in text
    press(window, Key.Key_F2)
    assert "nothing to overrule" in window.desk.said
    for key in (judgement.key, "print.release:top U1, 0.3 mm"):
        with pytest.raises(c.Refused, match="nothing to overrule"):
            window.desk.bench.do(c.Overrule(key, "in advance"))
    while window.judged.current and window.judged.current.level is not Level.CARE:
        QTest.keyClick(window, Key.Key_PageDown)
    care = window.judged.current
    press(window, Key.Key_F2, "seen on the last batch")
    state = window.desk.bench.state
    assert care and (said := state.overruling(care)) and said.reason == "seen on the last batch"
    for other in (replace(care, says=say("print again")), replace(care, refs=("X9",)), replace(care, level=Level.STOP)):
        assert not state.overruling(other), "a reason for one thing is none for another"


def test_a_bad_drop_leaves_the_batch_alone(window: Window, qtbot: QtBot, tmp_path: Path, heron_files: Files) -> None:
    before, bench = window.desk.bench.state, window.desk.bench
    (tmp_path / "bad").mkdir()
    (tmp_path / "bad" / "notes.txt").write_text("nothing")
    window.files.dropped(str(tmp_path / "bad"))
    qtbot.waitUntil(lambda: "expected a copper layer" in window.desk.said, timeout=5000)
    assert window.desk.bench is bench and bench.state == before
    window.files.start_batch(str(HERON), heron_files, "Heron R2", Wanted(4, "H", 0, "lead-free"))
    assert window.desk.bench is not bench and len(window.desk.bench.state.boards) == 4
    assert window.files.recent() == [str(HERON)]
