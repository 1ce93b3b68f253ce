"""A rounded card: paints its ground and leaves the rest to `draw`."""

from __future__ import annotations

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.ui.theme import RADIUS, theme


class Card(QWidget):
    """Base of the painted pictures that are not a board."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("hair"), 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), RADIUS, RADIUS)
        self.draw(painter)

    def draw(self, painter: QPainter) -> None:
        """Paint what the card is for."""
