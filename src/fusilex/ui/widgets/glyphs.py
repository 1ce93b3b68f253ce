"""Small marks drawn by hand: the four judgement shapes, key caps, progress bars."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from fusilex.core.evidence import Level
from fusilex.core.shown import shown
from fusilex.ui.theme import theme


def judgement_mark(painter: QPainter, centre: QPointF, radius: float, level: Level) -> None:
    """Circle = go, diamond = care, square = stop, ring = can't tell."""
    colour = theme.level(level)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if level is Level.GO:
        painter.drawEllipse(centre, radius, radius)
    elif level is Level.CARE:
        r = radius * 1.2
        painter.drawPolygon(
            QPolygonF(
                [centre + QPointF(0, -r), centre + QPointF(r, 0), centre + QPointF(0, r), centre + QPointF(-r, 0)]
            )
        )
    elif level is Level.STOP:
        painter.drawRect(QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius))
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, radius * 0.45))
        painter.drawEllipse(centre, radius * 0.8, radius * 0.8)


def key_cap(painter: QPainter, x: float, middle: float, text: str, size: str = "small") -> float:
    """A key cap with its text from x on; returns the x where it ends."""
    font = theme.font(size)
    metrics = QFontMetricsF(font)
    width = max(metrics.horizontalAdvance(text) + 14, metrics.height() + 4)
    box = QRectF(x, middle - metrics.height() / 2 - 2, width, metrics.height() + 4)
    painter.setPen(QPen(theme.colour("soft"), 1))
    painter.setBrush(theme.colour("card"))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(theme.colour("ink"))
    painter.setFont(font)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return x + width


def progress_bar(painter: QPainter, box: QRectF, share: float, fill: QColor, ground: QColor) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ground)
    painter.drawRoundedRect(box, box.height() / 2, box.height() / 2)
    if share > 0:
        done = QRectF(box.x(), box.y(), max(box.height(), box.width() * min(1.0, share)), box.height())
        painter.setBrush(QBrush(fill))
        painter.drawRoundedRect(done, box.height() / 2, box.height() / 2)


_WRAPPED = Qt.TextFlag.TextWordWrap | Qt.TextFlag.TextDontClip


def plain_text(
    painter: QPainter,
    box: QRectF,
    text: str,
    size: str = "body",
    token: str = "ink",
    bold: bool = False,
    align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
) -> None:
    """One run of wrapped text in a box, top aligned; what is too long for it goes on beneath, it is not cut."""
    painter.setFont(theme.font(size, bold))
    painter.setPen(theme.colour(token))
    painter.drawText(box, int(align | Qt.AlignmentFlag.AlignTop) | _WRAPPED, shown(text, lines=True))


def text_height(text: str, width: float, size: str = "body", bold: bool = False) -> float:
    """Height that `plain_text` needs for a text at a width."""
    return _height(text, width, size, bold, theme.base)


@lru_cache(maxsize=4096)
def _height(text: str, width: float, size: str, bold: bool, base: float) -> float:
    metrics = QFontMetricsF(theme.font(size, bold))
    return metrics.boundingRect(QRectF(0, 0, width, 10_000), int(Qt.TextFlag.TextWordWrap), text).height()


def shortened(text: str, width: float, lines: int = 1, size: str = "body", bold: bool = False) -> str:
    """The text as far as it fits so many lines of a width, with an ellipsis where it goes on."""
    return _shortened(text, width, lines, size, bold, theme.base)


@lru_cache(maxsize=4096)
def _shortened(text: str, width: float, lines: int, size: str, bold: bool, base: float) -> str:
    metrics = QFontMetricsF(theme.font(size, bold))
    if lines == 1:
        return metrics.elidedText(text, Qt.TextElideMode.ElideRight, width)
    most = lines * metrics.height() * 1.05
    shown = text
    while len(shown) > 1 and text_height(shown, width, size, bold) > most:
        shown = shown[:-2].rstrip() + "…"
    return shown
