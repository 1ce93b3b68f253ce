"""What stands around the boards on the canvas: the panel they are in, and words above and below."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QTransform

from fusilex.core.panel.layout import Panel
from fusilex.ui.theme import theme

EDGE = 8.0


def plate_height() -> float:
    return float(theme.base * 2.4)


def caption_room() -> float:
    """Kept free above and below the board for words."""
    return plate_height() + 10


def draw_panel(painter: QPainter, placed: QTransform, panel: Panel) -> None:
    """Panel substrate, tooling holes and fiducials."""
    painter.save()
    painter.setTransform(placed, True)
    painter.setBrush(theme.colour("board"))
    painter.drawRect(QRectF(0, 0, panel.width, panel.height))
    painter.setBrush(theme.colour("bench"))
    for x, y in panel.tooling:
        painter.drawEllipse(QPointF(x, y), 1.5, 1.5)
    for _, x, y in panel.fiducials:
        painter.setBrush(theme.colour("track"))
        painter.drawEllipse(QPointF(x, y), 1.0, 1.0)
        painter.setBrush(theme.colour("gold"))
        painter.drawEllipse(QPointF(x, y), 0.5, 0.5)
    painter.restore()


def draw_words(painter: QPainter, room: QRectF, caption: str, footer: str, side: str) -> None:
    """Caption and side above, footer below, each on a plate; what is too long ends in an ellipsis."""
    metrics = QFontMetricsF(theme.font())
    right = metrics.horizontalAdvance(side) + 16
    low = room.height() - plate_height() - 6
    _plate(painter, caption, QPointF(EDGE, 6), room.width() - right - 4 * EDGE)
    _plate(painter, footer, QPointF(EDGE, low), room.width() - 2 * EDGE)
    _plate(painter, side, QPointF(room.width() - right - EDGE, 6), right)


def _plate(painter: QPainter, text: str, at: QPointF, most: float) -> None:
    """Words on a plate of the bench's colour, readable over the board too."""
    if not text:
        return
    metrics = QFontMetricsF(theme.font())
    shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, most - 14)
    box = QRectF(at.x(), at.y(), metrics.horizontalAdvance(shown) + 16, plate_height())
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("bench", 230))
    painter.drawRoundedRect(box, 5, 5)
    painter.setFont(theme.font())
    painter.setPen(theme.colour("soft"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)
