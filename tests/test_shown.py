"""What the screens and texts say, against where it comes from: limits, clocks, heat; and that mouse, wheel and arrows
do what they do.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import asked as c
import pytest
import shapely
from asked import marks_seen, taught
from conftest import HERON
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fusilex.bench.clocks import clocks
from fusilex.bench.record.bench import Bench
from fusilex.core.design.model import Design
from fusilex.core.design.outlines import body_polygon
from fusilex.core.rework import heat
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.frame.window import Window


def test_heat_reaches_as_far_as_nozzle_and_spread(heron: Design) -> None:
    small, large = heron.part_by_ref["R4"], heron.part_by_ref["U1"]
    assert heat.heat_radius(small) == 2.5 + 3.0 and heat.heat_radius(large) == max(2.5, 5.0 / 2) + 3.0
    far = max(large.package.size_x, large.package.size_y) / 2 + 3.0
    around = {p.ref for p in heron.pads if p.ref != "U1" and p.polygon.distance(shapely.Point(large.x, large.y)) < far}
    near = {n.ref for n in heat.neighbours(heron, large)}
    assert near == {r for r in around if heron.part_by_ref[r].side == "top" and heron.part_by_ref[r].populated} and near


def at_place(bench: Bench) -> None:
    for station in ("Kit", "Print", "Place", "Reflow"):
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())


def test_the_paste_clock_shows_the_oldest_print_that_waits(window: Window) -> None:
    bench = window.desk.bench
    at_place(bench)
    for panel in (1, 2, 3):
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
        minutes = {1: 95, 2: 40, 3: 5}[panel]
        at = (datetime.now(UTC) - timedelta(minutes=minutes)).isoformat()
        for board in bench.state.panel_boards(panel):
            board.prints["Print"] = replace(board.prints["Print"], at=at)
    shown = lambda: dict(clocks(bench.batch))  # noqa: E731
    assert shown()["paste out"] == "1 h 35" and shown()["prints"] == "3"
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", (HERON / "oven-run-1.csv").read_bytes()))
    assert shown()["paste out"] == "40 min" and shown()["last oven run"] == "0 min"


def canvas_of(window: Window) -> BoardCanvas:
    bench = window.desk.bench
    at_place(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    window.desk.go("Place")
    canvas = window.station.canvas
    assert canvas is not None
    return canvas


def wheel(canvas: BoardCanvas, at: QPointF, notches: int) -> None:
    turn = QPoint(0, 120 * notches)
    none, buttons = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.NoButton
    event = QWheelEvent(at, canvas.mapToGlobal(at), QPoint(), turn, buttons, none, Qt.ScrollPhase.NoScrollPhase, False)
    QApplication.sendEvent(canvas, event)


def test_the_wheel_zooms_both_ways_about_the_cursor(window: Window) -> None:
    canvas = canvas_of(window)
    at = QPointF(canvas.width() * 0.3, canvas.height() * 0.6)
    before, under = canvas.scale, canvas.to_mm(at)
    wheel(canvas, at, 2)
    assert canvas.scale > before * 1.2 and (canvas.to_mm(at) - under).manhattanLength() < 1e-6
    wheel(canvas, at, -4)
    assert canvas.scale < before * 0.9 and (canvas.to_mm(at) - under).manhattanLength() < 1e-6
    wheel(canvas, at, 2)
    assert canvas.scale == pytest.approx(before)


def move(canvas: BoardCanvas, at: QPoint, button: Qt.MouseButton = Qt.MouseButton.RightButton) -> None:
    local, none = QPointF(at), Qt.KeyboardModifier.NoModifier
    event = QMouseEvent(QEvent.Type.MouseMove, local, canvas.mapToGlobal(local), Qt.MouseButton.NoButton, button, none)
    QApplication.sendEvent(canvas, event)


def test_a_drag_takes_the_board_along(window: Window) -> None:
    canvas = canvas_of(window)
    start, end = QPoint(200, 200), QPoint(260, 170)
    held = canvas.to_mm(QPointF(start))
    QTest.mousePress(canvas, Qt.MouseButton.RightButton, pos=start)
    for step in (QPoint(230, 185), end):
        move(canvas, step)
    QTest.mouseRelease(canvas, Qt.MouseButton.RightButton, pos=end)
    assert (canvas.to_mm(QPointF(end)) - held).manhattanLength() < 1e-6, "what was under the cursor still is"
    still = QPointF(canvas.centre)
    move(canvas, QPoint(300, 300), Qt.MouseButton.NoButton)
    assert canvas.centre == still, "let go, it stays"


@pytest.mark.parametrize(("key", "dx", "dy"), [("Left", 80, 0), ("Right", -80, 0), ("Up", 0, 80), ("Down", 0, -80)])
def test_ctrl_and_arrows_pan(window: Window, key: str, dx: int, dy: int) -> None:
    canvas = canvas_of(window)
    middle = canvas.to_mm(QPointF(canvas.width() / 2, canvas.height() / 2))
    QTest.keyClick(window, Qt.Key[f"Key_{key}"], Qt.KeyboardModifier.ControlModifier)
    moved = canvas.to_px(middle.x(), middle.y()) - QPointF(canvas.width() / 2, canvas.height() / 2)
    assert (moved.x(), moved.y()) == pytest.approx((dx, dy), abs=0.5)


def test_a_click_on_a_part_takes_it_in_hand(window: Window) -> None:
    canvas = canvas_of(window)
    part = window.desk.bench.design.part_by_ref["U1"]
    canvas.fit()
    spot = canvas.to_px(part.x, part.y)
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert canvas.selected == "U1"


def test_a_frame_goes_about_the_whole_body(window: Window, heron: Design) -> None:
    canvas = canvas_of(window)
    paper = QImage(canvas.size(), QImage.Format.Format_RGB32)
    painter = QPainter(paper)
    for part in heron.parts:
        frame = canvas.outline_part(painter, part)
        body = [canvas.to_px(x, y) for x, y in body_polygon(part).exterior.coords]
        assert all(frame.contains(corner) for corner in body), part.ref
    painter.end()
