"""Held steps one below the other: what is set, between which clocks, what was held."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from fusilex.core.heat.hot_air import HotAirStep
from fusilex.core.quantities import write_fixed
from fusilex.core.units import clock
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text


def set_words(step: HotAirStep) -> str:
    """What plate and air are set to in a step, as one says it."""
    plate = f"plate {write_fixed(step.plate_c, '°C', 0)}" if step.plate_c else "plate off"
    if not step.litres_per_min:
        return f"{plate}, air away"
    return f"{plate}, air {write_fixed(step.air_c, '°C', 0)} at {step.litres_per_min:g} l/min"


class Held(Struct):
    """The steps, what was held of each so far (s), which one is in hand (−1: none), and a title."""

    steps: Sequence[HotAirStep] = ()
    seconds: Sequence[float] = ()
    current: int = -1
    title: str = ""


class HotAirList(Card):
    """Set `shown` and update."""

    def __init__(self) -> None:
        super().__init__()
        self.shown = Held()
        self.setAccessibleName("Held steps")

    def draw(self, painter: QPainter) -> None:
        shown, wide = self.shown, self.width() - 28.0
        plain_text(painter, QRectF(14, 8, wide, theme.base * 2.2), shown.title, "body", "soft")
        y, line = theme.base * 3.0, theme.base * 2.1
        each = 2 * line + theme.base * 0.5
        room = max(1, int((self.height() - y - 6) / each))
        first = max(0, min(shown.current - room // 2, len(shown.steps) - room))
        for k in range(first, min(first + room, len(shown.steps))):
            step, lit = shown.steps[k], k == shown.current
            if lit:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("brass_fill", 90))
                painter.drawRoundedRect(QRectF(8, y - 3, self.width() - 16, each - 2), 4, 4)
            name = f"{k + 1}  {step.name}"
            plain_text(painter, QRectF(14, y, wide * 0.62, line), name, "body", "ink", lit)
            held = k < len(shown.seconds)
            times = f"held {clock(shown.seconds[k])}" if held else f"{clock(step.least_s)} to {clock(step.most_s)}"
            right = Qt.AlignmentFlag.AlignRight
            plain_text(painter, QRectF(14, y, wide, line), times, "body", "go" if held else "ink", lit, right)
            under = QRectF(14 + theme.base * 1.6, y + line, wide - theme.base * 1.6, line)
            plain_text(painter, under, set_words(step), "small", "ink" if lit else "soft")
            y += each
