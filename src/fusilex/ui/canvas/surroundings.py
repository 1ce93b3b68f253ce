"""What stands around the boards on the canvas: the panel they are in, and words above and below."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QTransform

from fusilex.core.panel.layout import Panel
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text, text_height

EDGE = 8.0


def room_for(text: str, width: float, beside: str = "") -> float:
    """Height kept free for words above or below the board: as many lines as they take."""
    return _height(text, _most(width, beside)) + 10


def _most(width: float, beside: str = "") -> float:
    taken = QFontMetricsF(theme.font()).horizontalAdvance(beside) + 16 + 2 * EDGE if beside else 0.0
    return max(60.0, width - taken - 2 * EDGE)


def _height(text: str, most: float) -> float:
    return text_height(text or " ", most - 16) + theme.base * 0.6


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
    """Caption and side above, footer below, each on a plate, in as many lines as they take."""
    wide = QFontMetricsF(theme.font()).horizontalAdvance(side) + 16
    _plate(painter, caption, QPointF(EDGE, 6), _most(room.width(), side))
    high = _height(footer, _most(room.width()))
    _plate(painter, footer, QPointF(EDGE, room.height() - high - 6), _most(room.width()))
    _plate(painter, side, QPointF(room.width() - wide - EDGE, 6), wide)


def _plate(painter: QPainter, text: str, at: QPointF, most: float) -> None:
    """Words on a plate of the bench's colour, readable over the board too."""
    if not text:
        return
    wide = min(most, QFontMetricsF(theme.font()).horizontalAdvance(text) + 18)
    box = QRectF(at.x(), at.y(), wide, _height(text, wide))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("bench", 230))
    painter.drawRoundedRect(box, 5, 5)
    plain_text(painter, box.adjusted(8, theme.base * 0.25, -8, 0), text, "body", "soft")
