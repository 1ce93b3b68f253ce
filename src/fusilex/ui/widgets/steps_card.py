"""Steps of handwork, one below the other, each with its own clock: what is done, what is in hand, what comes."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from fusilex.core.soldering.handwork import Handwork
from fusilex.core.units import clock
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text, text_height


class StepsCard(Card):
    """Set `method`, the step in hand (−1: none yet) and the seconds it has taken, and update."""

    def __init__(self) -> None:
        super().__init__()
        self.method: Handwork | None = None
        self.at, self.seconds = -1, 0.0
        self.setMinimumHeight(round(theme.base * 14))
        self.setAccessibleName("Steps")

    def draw(self, painter: QPainter) -> None:
        wide = self.width() - 32.0
        method = self.method
        title = f"By {method.name}" if method else "By your own procedure"
        plain_text(painter, QRectF(16, 10, wide, theme.base * 2.4), title, "lead", "ink", True)
        if method is None:
            words = "Nobody mends this the same way twice: your shop's own procedure tells."
            plain_text(painter, QRectF(16, theme.base * 3.6, wide, theme.base * 5), words, "body", "soft")
            return
        y = theme.base * 3.6
        first = max(0, self.at - 1)
        for k, step in enumerate(method.steps[first:], first):
            lit, done = k == self.at, k < self.at
            clocks = theme.base * (9.0 if lit else 5.0)
            text = f"{k + 1}  {step.text}"
            high = text_height(text, wide - clocks, "body", lit) + 6
            if y + high > self.height() - 4:
                more = len(method.steps) - k
                tail = QRectF(16, self.height() - theme.base * 2.2, wide, theme.base * 2)
                plain_text(painter, tail, f"and {more} more", "small", "soft")
                break
            if lit:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("brass_fill", 90))
                painter.drawRoundedRect(QRectF(8, y - 4, self.width() - 16, high), 4, 4)
            token = "soft" if done else "ink"
            plain_text(painter, QRectF(16, y, wide - clocks, high), text, "body", token, lit)
            took = f"{clock(self.seconds)} of {clock(step.seconds)}" if lit else "done" if done else clock(step.seconds)
            box = QRectF(16, y, wide, high)
            late = lit and self.seconds > 2 * step.seconds
            plain_text(painter, box, took, "body", "care" if late else token, lit, Qt.AlignmentFlag.AlignRight)
            y += high + 2
