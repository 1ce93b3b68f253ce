"""The numbers of a live run, large."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text


class Readout(Card):
    """The temperature, how it changes, and the time of the run, to be read from the other end of the room."""

    def __init__(self) -> None:
        super().__init__()
        self.words: list[tuple[str, str]] = []
        self.setFixedHeight(round(theme.base * 8))
        self.setAccessibleName("Temperature, slope and time")

    def draw(self, painter: QPainter) -> None:
        wide = self.width() / max(1, len(self.words))
        for k, (what, value) in enumerate(self.words):
            plain_text(painter, QRectF(16 + k * wide, 8, wide - 16, theme.base * 2), what, "small", "soft")
            box = QRectF(16 + k * wide, theme.base * 2.6, wide - 16, theme.base * 5)
            plain_text(painter, box, value, "huge", "ink", True)
