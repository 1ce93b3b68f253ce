"""The fault words with their keys, what each means in plain words beneath."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.core.inspection.faults import FAULTS, FaultWord
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text, shortened

ACROSS = 3


class FaultPad(QWidget):
    """Calls `mark` with the word whose key is clicked."""

    def __init__(self, mark: Callable[[str], None]) -> None:
        super().__init__()
        self.mark = mark
        self.setMinimumHeight(round(theme.base * 2.1 * self._rows()))
        self.setMaximumHeight(round(theme.base * 3.5 * self._rows()))
        self.setAccessibleName("Fault words: " + ", ".join(f"{f.key.upper()} {f.word}, {f.plain}" for f in FAULTS))
        self._boxes: list[tuple[QRectF, FaultWord]] = []

    @staticmethod
    def _rows() -> int:
        return -(-len(FAULTS) // ACROSS)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._boxes.clear()
        width, height = self.width() / ACROSS, self.height() / self._rows()
        for i, fault in enumerate(FAULTS):
            box = QRectF(i % ACROSS * width, i // ACROSS * height, width - 4, height - 3)
            self._boxes.append((box, fault))
            painter.setPen(QPen(theme.colour("hair"), 1))
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(box, 4, 4)
            both = box.height() >= theme.base * 3.1
            key = box.adjusted(4, (box.height() - theme.base * 2) / 2, 0, 0)
            plain_text(painter, key, fault.key.upper(), "body", "ink", True)
            words = box.adjusted(theme.base * 1.85, 1 if both else (box.height() - theme.base * 1.8) / 2, -2, 0)
            self._line(painter, words, fault.word, "small", "ink")
            if both:
                self._line(painter, words.adjusted(0, theme.base * 1.55, 0, 0), fault.plain, "tiny", "soft")

    def _line(self, painter: QPainter, box: QRectF, text: str, size: str, token: str) -> None:
        if QFontMetricsF(theme.font(size)).horizontalAdvance(text) > box.width():
            size = "tiny"
        plain_text(painter, box.adjusted(0, 0, 8, 0), shortened(text, box.width(), size=size), size, token)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for box, fault in self._boxes:
            if event and box.contains(event.position()):
                self.mark(fault.word)
