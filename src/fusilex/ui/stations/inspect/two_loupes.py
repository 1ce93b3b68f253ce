"""Two loupes that move together over one board: the good one, and the present one."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen

from fusilex.core.design.model import Part
from fusilex.core.photo.frame import Frame
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text

ROOM = 1.9
"""A loupe shows so many times the body, and 2 mm at least."""


class TwoLoupes(Card):
    """Set the pictures, in their frame, and the part to look at; `blink` lays the good one over the present one."""

    def __init__(self) -> None:
        super().__init__()
        self.frame: Frame | None = None
        self.good: QImage | None = None
        self.present: QImage | None = None
        self.part: Part | None = None
        self.words = ("", "")
        self.blink = False
        self.setMinimumHeight(round(theme.base * 18))
        self.setAccessibleName("Good board and present board")

    def show_pictures(self, frame: Frame | None, good: Any, present: Any) -> None:
        """Pictures as arrays of blue, green and red."""
        self.frame = frame
        self.good, self.present = _image(good), _image(present)
        self.update()

    def draw(self, painter: QPainter) -> None:
        if self.frame is None or self.part is None:
            words = "O chooses a picture, or drop one here: from above, the whole board sharp, on a plain ground."
            plain_text(painter, QRectF(16, 14, self.width() - 32, self.height() - 28), words, "body", "soft")
            return
        wide = self.width() / 2
        size = min(wide - 24, self.height() - theme.base * 6.4)
        pictures = (self.good, self.good if self.blink else self.present)
        titles = ("Good board", "Good board, laid over" if self.blink else "This board")
        for n, (picture, title, words) in enumerate(zip(pictures, titles, self.words, strict=True)):
            circle = QRectF(n * wide + (wide - size) / 2, theme.base * 2.6, size, size)
            box = QRectF(n * wide, 8, wide, theme.base * 2.2)
            plain_text(painter, box, title, "body", "ink", True, Qt.AlignmentFlag.AlignHCenter)
            self._loupe(painter, circle, picture)
            below = QRectF(n * wide + 8, circle.bottom() + 6, wide - 16, theme.base * 3.4)
            plain_text(painter, below, words, "small", "soft", False, Qt.AlignmentFlag.AlignHCenter)

    def _loupe(self, painter: QPainter, circle: QRectF, picture: QImage | None) -> None:
        assert self.frame and self.part
        clip = QPainterPath()
        clip.addEllipse(circle)
        painter.save()
        painter.setClipPath(clip)
        painter.fillRect(circle, theme.colour("bench"))
        if picture is not None:
            span = max(2.0, ROOM * max(self.part.package.size_x, self.part.package.size_y)) * self.frame.scale
            x, y = self.frame.to_px([(self.part.x, self.part.y)])[0]
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(circle, picture, QRectF(x - span / 2, y - span / 2, span, span))
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("ink"), 4))
        painter.drawEllipse(circle)
        painter.setPen(QPen(theme.colour("lit", 150), 1.2))
        for dx, dy in ((0.06, 0.0), (0.0, 0.06)):  # where the part's middle should be
            off = QPointF(dx * circle.width(), dy * circle.width())
            painter.drawLine(circle.center() - off, circle.center() + off)


def _image(picture: Any) -> QImage | None:
    if picture is None:
        return None
    data = np.ascontiguousarray(picture)
    high, wide = data.shape[:2]
    return QImage(data.tobytes(), wide, high, 3 * wide, QImage.Format.Format_BGR888).copy()
