"""Mouse, questions, bad keys and files at the single screens."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import asked as c
import pytest
from asked import CAUTIONS, RULES, marks_seen, taught
from conftest import HERON, OpenWindow
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPixmap, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu, QWidget
from pytestqt.qtbot import QtBot
from windows import WINDOWS

from fusilex.bench.common.bins import Bins
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.reflow.events import Reflowing
from fusilex.bench.stations.test.planning import due
from fusilex.core.evidence import Level, every
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.quantities import Quantity, chosen
from fusilex.core.reflow.gates import gates, last_to_melt
from fusilex.core.reflow.record import trace_of
from fusilex.core.route.steps import one_side
from fusilex.core.wording import say
from fusilex.formats.lists.temperature_log import read_log
from fusilex.ui.canvas.loupe import Loupe
from fusilex.ui.canvas.paths import BoardArt, paths_of
from fusilex.ui.canvas.picture import Look
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.frame.key_strip import ALWAYS
from fusilex.ui.frame.start import make_application
from fusilex.ui.frame.window import Window
from fusilex.ui.picture import neighbour
from fusilex.ui.stations.kit.tray import across, unturned
from fusilex.ui.widgets.board_strip import BoardStrip
from fusilex.ui.widgets.keys import Key, key_name

K = Qt.Key

STEPS = one_side().ids


@pytest.fixture
def window(bench: Bench, open_window: OpenWindow) -> Window:
    """On a batch whose files are accepted and whose cautions are read."""
    for station in CAUTIONS:
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    return open_window(bench)


def fill(bench: Bench) -> None:
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())


def to_inspect(bench: Bench) -> None:
    fill(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", (HERON / "oven-run-1.csv").read_bytes()))
    while part := bench.batch.next_part(bench.state.boards["H7-01"], "Hand"):
        bench.do(c.SolderPart("H7-01", part.ref))


def show(window: Window, station: str, board: str = "H7-01") -> Any:
    window.desk.go(station, board)
    return window.station


def click(widget: QWidget, at: QPointF) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at.toPoint())


def answer(window: Window, text: str) -> None:
    assert window.ask.isVisible()
    window.ask.line.setText(text)
    QTest.keyClick(window.ask.line, K.Key_Return)


def test_the_mouse_explores(window: Window) -> None:
    canvas = show(window, "Ready").canvas
    canvas.grab()
    part = window.desk.bench.design.part_by_ref["U3"]
    at = canvas.to_px(part.x, part.y)
    for point in (at.toPoint() + QPoint(60, 60), at.toPoint()):  # a pointer that was there already does not move
        QTest.mouseMove(canvas, point)
    assert canvas.hovered == ("U3", 0)
    click(canvas, at)
    assert canvas.selected == "U3"
    before, scale = canvas.to_mm(at), canvas.scale
    wheel = QWheelEvent(
        at,
        at,
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    canvas.wheelEvent(wheel)
    assert canvas.scale > scale and (canvas.to_mm(at) - before).manhattanLength() < 1e-6
    moved = canvas.to_mm(at)
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at.toPoint())
    QTest.mouseMove(canvas, at.toPoint() + QPoint(40, 10))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=at.toPoint() + QPoint(40, 10))
    canvas.pan(0, 0)
    QTest.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert canvas.scale == pytest.approx(scale) and moved is not None
    canvas.flip()
    left = canvas.to_mm(QPointF(100, 100))
    canvas.pan(10, 0)
    assert canvas.to_mm(QPointF(110, 100)).x() == pytest.approx(left.x()), "what is dragged stays under the pointer"


def kept(canvas: BoardCanvas) -> tuple[Look, QPixmap, QRectF]:
    """The newest picture of layers that a canvas keeps."""
    assert canvas.pictures
    look, (pixmap, area) = list(canvas.pictures._layers.items())[-1]
    return look, pixmap, area


def test_a_zoomed_canvas_paints_what_is_in_view_only(window: Window) -> None:
    canvas = show(window, "Ready").canvas
    part = window.desk.bench.design.part_by_ref["U1"]
    canvas.look_at(part, 150.0)
    canvas.grab()
    (look, pixmap, area) = kept(canvas)
    assert (
        look.scale == 150.0 and area.contains(QPointF(part.x, part.y)) and area.width() < 20 and pixmap.width() < 4000
    )
    canvas.pan(5, 5)
    canvas.grab()
    assert kept(canvas)[1].cacheKey() == pixmap.cacheKey(), "a small pan copies the picture"


def test_strip_line_tray_and_fault_pad_take_clicks(window: Window) -> None:
    bench = window.desk.bench
    station = show(window, "Kit")
    station.view.tray.grab()
    click(station.view.tray, station.view.tray._boxes[4].center())
    assert station.view.tray.chosen == 4 and station.view.line is bench.batch.lines[4]
    to_inspect(bench)
    station = show(window, "Inspect")
    strip = station.findChild(BoardStrip)
    strip.grab()
    box, serial = strip._boxes[7]
    click(strip, box.center())
    assert bench.view.board == serial != "H7-01"
    station = show(window, "Inspect")
    pad = next(w for w in station.findChildren(QWidget) if "Fault words" in w.accessibleName())
    pad.grab()
    station.canvas.selected = "C5"
    click(pad, pad._boxes[6][0].center())
    assert [(f.ref, f.word) for f in bench.board.faults] == [("C5", "tombstone")]
    window.line.grab()
    click(window.line, QPointF(window.line._x(2), 20))
    assert bench.view.step == "Print"


def test_counts_and_lots_are_checked(window: Window) -> None:
    bench = window.desk.bench
    show(window, "Kit")
    QTest.keyClick(window, K.Key_C)
    answer(window, "a few")
    assert "no count" in window.desk.said and not bench.state[Bins].filled
    QTest.keyClick(window, K.Key_C)
    QTest.keyClick(window.ask, K.Key_Escape)
    assert not window.ask.isVisible() and not bench.state[Bins].filled
    for key, text in ((K.Key_C, "7"), (K.Key_L, "reel 9")):
        QTest.keyClick(window, K.Key_Left)
        QTest.keyClick(window, key)
        answer(window, text)
    first, second = bench.batch.lines[0], bench.batch.lines[1]
    held = bench.state[Bins].filled[first.key]
    assert (held.count, held.lot) == (7, "reel 9")
    assert second.key not in bench.state[Bins].filled
    assert any(j.level is Level.STOP and j.subject.startswith(first.value) for j in window.judged.items)


def test_dropped_parts_run_a_bin_low(window: Window) -> None:
    bench = window.desk.bench
    fill(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    show(window, "Place")
    line = bench.batch.line_of[bench.batch.next_part(bench.board, "Place").ref]  # type: ignore[union-attr]
    for _ in range(line.pull - line.need + 1):
        QTest.keyClick(window, K.Key_X)
    low = next(j for j in window.judged.items if j.rule == "kit.short")
    assert low.level is Level.CARE and bench.batch.left_in_bin(line.key) == line.need - 1
    QTest.keyClick(window, K.Key_Backspace)
    assert window.desk.said == f"Taken back: the loss of a piece for {line.refs[0]}."
    assert bench.batch.left_in_bin(line.key) == line.need


def test_prints_are_wiped_while_nothing_is_placed(window: Window) -> None:
    bench = window.desk.bench
    fill(bench)
    show(window, "Print")
    QTest.keyClick(window, K.Key_Return)
    assert bench.board.panel == 2, "the next panel is in hand, W is about the print just made"
    QTest.keyClick(window, K.Key_W)
    answer(window, "smeared at J1")
    assert {b.station for b in bench.state.panel_boards(1)} == {"Print"}
    assert bench.state[Printing].wiped[0].reason == "smeared at J1" and bench.board.serial == "H7-01"
    assert not bench.board.prints
    QTest.keyClick(window, K.Key_Return)
    bench.do(c.PlacePart("H7-01", "C7"))
    with pytest.raises(c.Refused, match="Parts are on panel 1"):
        bench.do(c.WipePrint(1, "late"))
    window.desk.go("Print", "H7-02")
    for panel in (2, 3, 1):
        QTest.keyClick(window, K.Key_P)
        assert bench.board.panel == panel


def test_a_log_that_cannot_be_read_is_refused_at_the_screen(window: Window, tmp_path: Path) -> None:
    bench = window.desk.bench
    fill(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    station = show(window, "Reflow")
    station.view.record(str(tmp_path / "absent.csv"))
    assert "expected a file that can be read; found No such file" in window.desk.said
    with (tmp_path / "huge.csv").open("wb") as stream:
        stream.truncate(200 * 2**20)
    station.view.record(str(tmp_path / "huge.csv"))
    assert "at most 48 MB; found 200 MB" in window.desk.said
    (tmp_path / "text.csv").write_text("time,temp\n" + "\n".join(f"{i},hot" for i in range(20)))
    station.view.record(str(tmp_path / "text.csv"))
    assert "line 2, column temp: expected a number; found “hot”" in window.desk.said
    assert bench.state[Reflowing].loads == [] and not station.view.chart.shown.traces
    station.view.record(str(HERON / "oven-run-1.csv"))
    window.desk.go("Reflow", "H7-01")
    shown = station.view.chart.shown
    names = list(shown.traces)
    assert last_to_melt(shown.traces, shown.window.melting) == names[1] and "window index 57" in shown.title
    assert {b.loads["Reflow"].number for b in bench.state.panel_boards(1)} == {1}


def test_gates_hang_on_the_run() -> None:
    log = read_log((HERON / "oven-run-1.csv").read_bytes(), "run")
    values, window = next(iter(log.probes_c.values())), WINDOWS["leaded"]
    gate = gates(window, trace_of(log.time_s, values))
    at = dict(zip(log.time_s.tolist(), values.tolist(), strict=True))
    assert at[round(gate.soak_in * 2) / 2] == pytest.approx(100, abs=1.5)
    assert at[round(gate.melt * 2) / 2] == pytest.approx(183, abs=1.5) and at[gate.peak] == values.max()
    nominal = gates(window, None)
    assert nominal.soak_in < nominal.melt < nominal.peak


def test_scrapping_wants_the_serial(window: Window) -> None:
    bench = window.desk.bench
    to_inspect(bench)
    bench.do(c.MarkFault("H7-01", "U1", "cracked"))
    bench.do(c.InspectBoard("H7-01"))
    show(window, "Rework")
    QTest.keyClick(window, K.Key_X)
    answer(window, "yes")
    assert not bench.board.scrapped and "Not scrapped" in window.desk.said
    QTest.keyClick(window, K.Key_X)
    answer(window, "h7-01")
    assert bench.state.boards["H7-01"].scrapped and not bench.state.at("Rework")


def test_a_board_fails_for_what_was_seen(window: Window) -> None:
    bench = window.desk.bench
    to_inspect(bench)
    bench.do(c.InspectBoard("H7-01"))
    show(window, "Test")
    QTest.keyClick(window, K.Key_X)
    assert "mark what you saw" in window.desk.said
    QTest.keyClick(window, K.Key_W)
    answer(window, "D2 gloomy")
    assert "no fault word" in window.desk.said
    QTest.keyClick(window, K.Key_W)
    answer(window, "d2 turned")
    assert window.desk.said == "D2: rotated."
    QTest.keyClick(window, K.Key_Down)
    assert window.station.view.pair is due(bench.batch, bench.board)[1]  # type: ignore[attr-defined]
    QTest.keyClick(window, K.Key_X)
    assert bench.state.boards["H7-01"].station == "Rework"


def test_papers_that_cannot_be_written_say_so(window: Window, tmp_path: Path) -> None:
    show(window, "Release").show_view(2)
    station = window.station.view
    for name in ("H7-01.pdf", "H7-01.json", "H7-01.html"):
        station.write(str(tmp_path / "no such folder" / name))
        assert "cannot be written" in window.desk.said
        station.write(str(tmp_path / name))
        assert name in window.desk.said and not list(tmp_path.glob(".*part"))
    assert json.loads((tmp_path / "H7-01.json").read_text())["step"] == "Kit"


def test_units_theme_and_size_are_remembered(window: Window, open_window: OpenWindow) -> None:
    fill(window.desk.bench)
    show(window, "Print")
    assert ("foil", "0.12 mm") in window.facts.rows
    QTest.keyClick(window, K.Key_U, Qt.KeyboardModifier.ControlModifier)
    assert ("foil", "0.00472 in") in window.facts.rows
    QTest.keyClick(window, K.Key_D, Qt.KeyboardModifier.ControlModifier)
    window.resize(1150, 720)
    window.close()
    again = open_window(window.desk.bench, window.settings)
    from fusilex.ui.theme import theme

    assert chosen().inch and theme.tokens.name == "dim"
    assert again.height() == 720 and window.settings.value("geometry") == window.saveGeometry()


def test_the_other_stations_are_built_while_the_hands_are_still(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fusilex.ui.frame.window.STILL_MS", 20)
    window.refresh()
    assert list(window.stations) == ["Ready"]
    qtbot.waitUntil(lambda: list(window.stations) == list(STEPS), timeout=20_000)


def test_menu_and_strip_hide_no_key(window: Window) -> None:
    window.menu()
    menu = next(w for w in window.findChildren(QMenu) if w.isVisible())
    offered = " ".join(action.text() for action in menu.actions())
    menu.close()
    for station in STEPS:
        show(window, station)
        for key in window.keys():
            for name in key.keys.split(" "):
                listed = (
                    key.label
                    or name in offered
                    or name.startswith(("Ctrl+Left", "Ctrl+Right", "Ctrl+Up", "Ctrl+Down"))
                    or "PgUp PgDown" in key.keys
                    or key.works_on_board
                )
                assert listed or name in ("=", "/", "F") or (name.startswith("Ctrl+") and name[-1].isdigit()), (
                    station,
                    name,
                )
        assert {k.keys for k in window.strip.shown} >= set(ALWAYS)


def test_keys_have_names() -> None:
    def pressed(key: Qt.Key, text: str = "", modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> str:
        return key_name(QKeyEvent(QEvent.Type.KeyPress, key, modifiers, text))

    assert (
        pressed(K.Key_Space, " ") == "Space" and pressed(K.Key_A, "a") == "A" and pressed(K.Key_BracketLeft, "[") == "["
    )
    assert pressed(K.Key_5, "5", Qt.KeyboardModifier.KeypadModifier) == "5"
    assert pressed(K.Key_Z, "\x1a", Qt.KeyboardModifier.ControlModifier) == "Ctrl+Z" and pressed(K.Key_Left) == "Left"


def test_every_rule_named_by_a_judgement_can_be_explained(window: Window) -> None:
    bench = window.desk.bench
    to_inspect(bench)
    bench.do(c.MarkFault("H7-01", "U1", "bridge"))
    for station in STEPS:
        show(window, station)
        for judgement in window.judged.items:
            assert judgement.rule in RULES, judgement.rule
            assert judgement.headline and not judgement.headline.endswith(".")


def test_worst_comes_first_and_numbers_carry_units() -> None:
    seen = (every("parts", 1),)
    levels = (Level.GO, Level.UNKNOWN, Level.STOP, Level.CARE)
    made = [Judgement("x", level, "s", say("h"), coverage=seen) for level in levels]
    assert [j.level for j in worst_first(made)] == [Level.STOP, Level.CARE, Level.UNKNOWN, Level.GO]
    assert Quantity("gap", 0.12345, "mm").text() == "gap 0.123 mm"
    assert Quantity("share", 33.3, "%").text() == "share 33.3 %"


def test_arrows_walk_to_the_part_in_that_direction(bench: Bench) -> None:
    parts = [p for p in bench.design.parts if p.populated and p.side == "top"]
    u1 = bench.design.part_by_ref["U1"]
    for direction, ahead in (
        ("Left", lambda p: p.x < u1.x),
        ("Right", lambda p: p.x > u1.x),
        ("Up", lambda p: p.y > u1.y),
        ("Down", lambda p: p.y < u1.y),
    ):
        ref = neighbour(parts, "U1", direction, mirrored=False)
        assert ref and ahead(bench.design.part_by_ref[ref])
    assert neighbour(parts, "U1", "Left", mirrored=True) == neighbour(parts, "U1", "Right", mirrored=False)
    assert neighbour(parts, None, "Up", False) == parts[0].ref and neighbour([], "U1", "Up", False) is None


def test_art_covers_what_the_layers_cover(bench: Bench) -> None:
    make_application()
    art = BoardArt(bench.design)
    paste = bench.design.layer("paste", "top")
    assert paste
    made = art.paths("paste", "top")
    seen = QRectF(10, 5, 9, 12)
    inside = [p for p in made if p.toFillPolygon().boundingRect().intersects(seen)]
    assert art.paths_in("paste", "top", seen) == inside and 1 <= len(inside) < len(made)
    assert paths_of([]) == []
    hole = bench.design.outline.difference(bench.design.outline.buffer(-5))
    path = paths_of([hole])[0]
    assert path.contains(QPointF(1, 1)) and not path.contains(QPointF(22, 15)), "holes stay open"
    copper, mask = bench.design.layer("copper", "top"), bench.design.layer("mask", "top")
    assert copper and mask
    for ratio in (1.0, 1.5):
        picture = QPixmap(round(440 * ratio), round(310 * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.black)
        painter = QPainter(picture)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(Qt.GlobalColor.white)
        painter.scale(10, 10)
        art.draw(painter, "exposed", "top")
        painter.end()
        image = picture.toImage()
        seen = (
            sum(image.pixelColor(i, j).lightness() for i in range(image.width()) for j in range(image.height())) / 255
        )
        area = seen / (10 * ratio) ** 2
        assert area == pytest.approx(copper.area.intersection(mask.area).area, rel=0.03), (
            "copper in the windows, no more"
        )


def test_the_loupe_and_the_bin_show_a_part_unturned_with_its_marks(window: Window) -> None:
    bench = window.desk.bench
    station = show(window, "Place")
    loupe = station.findChild(Loupe)
    loupe.look_at(bench.design.part_by_ref["C7"])
    assert loupe.field_mm() == 2.5
    loupe.look_at(bench.design.part_by_ref["U1"])
    assert loupe.field_mm() == 9
    flat = unturned(bench.design.part_by_ref["D1"])
    assert flat.rotation_deg == 0 and [round(p.polygon.centroid.x, 2) for p in flat.pads] == [-1.65, 1.65]
    memory = unturned(bench.design.part_by_ref["U3"])
    assert across(memory)[0] > memory.package.size_x + 1, "the leads are drawn, too"
    bottom = unturned(bench.design.part_by_ref["BT1"])
    assert [round(p.polygon.centroid.x, 2) for p in bottom.pads] == [-8.0, 0.0, 8.0]


def test_keys_do_nothing_that_is_not_meant(window: Window) -> None:
    bench = window.desk.bench
    count = len([e for e in bench.record.history if e.kind != "went"])
    for station in ("Print", "Place", "Reflow", "Hand", "Inspect", "Rework", "Test", "Release"):
        show(window, station)
        for key in (K.Key_Space, K.Key_X, K.Key_Backspace, K.Key_1, K.Key_Tab, K.Key_F5, K.Key_QuoteLeft):
            QTest.keyClick(window, key)
            window.ask.leave()
    assert len([e for e in bench.record.history if e.kind != "went"]) == count and isinstance(window.keys()[0], Key)


def test_foil_and_paste_are_chosen_and_change_the_judgement(window: Window) -> None:
    bench = window.desk.bench
    show(window, "Print")
    assert bench.state.foil_mm == 0.12
    for text, level in (("0.2 mm", Level.STOP), ("0,15", Level.CARE)):
        QTest.keyClick(window, K.Key_H)
        answer(window, text)
        assert [j.level for j in window.judged.items if j.rule == "print.release"] == [level]
    for text, words in (("thick", "no thickness"), ("5", "0.02 to 1.0 mm")):
        QTest.keyClick(window, K.Key_H)
        answer(window, text)
        assert words in window.desk.said and bench.state.foil_mm == 0.15
    QTest.keyClick(window, K.Key_A)
    assert bench.state.paste == "bismuth" and ("alloy", "Sn42Bi58") in window.facts.rows
    assert show(window, "Reflow").view.window_rule == WINDOWS["bismuth"]
    with pytest.raises(
        c.Refused, match=r"nothing to take back at Reflow. The last thing was the bismuth paste, at Print"
    ):
        bench.do(c.Undo())
    show(window, "Print")
    for _ in range(3):
        QTest.keyClick(window, K.Key_Backspace)
    assert window.desk.said == "Taken back: the 0.2 mm foil."
    assert (bench.state.paste, bench.state.foil_mm) == ("leaded", 0.12)
    with pytest.raises(c.Refused, match="no paste called"):
        bench.do(c.ChoosePaste("tin"))


def test_residual_arrows_are_magnified_to_a_readable_length(window: Window) -> None:
    bench = window.desk.bench
    fill(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    station = show(window, "Place")
    QTest.keyClick(window, K.Key_M)
    assert station.canvas.whole_panel and station.view._magnified(station.canvas) == 1
    for name, x, y in (("P1", 3.5, 5.0), ("P2", 146.52, 5.0), ("P3", 3.5, 57.01), ("U1@6", 116.0, 46.5)):
        QTest.keyClick(window, K.Key_T)
        answer(window, f"{name} {x} {y}")
    times = station.view._magnified(station.canvas)
    from fusilex.bench.stations.place.references import fit

    transform = fit(bench.batch, 1)
    assert transform is not None
    drawn = transform.residual_mm.max() * times * station.canvas.scale
    assert 15 < drawn <= 45 and f"drawn {times} times" in station.canvas.footer
    QTest.keyClick(window, K.Key_Backspace)
    assert (
        window.desk.said == "Taken back: U1@6 taught on panel 1." and len(bench.state[Placing].taught[1, "Place"]) == 3
    )
