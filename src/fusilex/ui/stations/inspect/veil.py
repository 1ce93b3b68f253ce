"""The veil over what of a side nobody looked through yet, and the microscope's field as a frame."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.theme import theme

VEIL = 120
Box = tuple[float, float, float, float]


def on_canvas(canvas: BoardCanvas, box: Box) -> QRectF:
    """A box of the board (mm) in pixels of the canvas."""
    return QRectF(canvas.to_px(box[0], box[1]), canvas.to_px(box[2], box[3])).normalized()


def draw_veil(painter: QPainter, canvas: BoardCanvas, seen: Iterable[Box], here: Box | None) -> None:
    """Cover the board but for what was seen and the field in hand, which gets a frame."""
    assert canvas.design
    x0, y0, x1, y1 = canvas.design.outline.bounds
    cover, open_ = QPainterPath(), QPainterPath()
    cover.addRect(on_canvas(canvas, (x0, y0, x1, y1)))
    for box in (*seen, *([here] if here else [])):
        one = QPainterPath()
        one.addRect(on_canvas(canvas, box))
        open_ = open_.united(one)
    painter.fillPath(cover.subtracted(open_), theme.colour("bench", VEIL))
    if here:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("lit"), 4))
        painter.drawRoundedRect(on_canvas(canvas, here), 4, 4)
