"""An oven's settings as one does them, one below the other, the next one lit."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from fusilex.core.heat.schedule import Schedule, steps_of
from fusilex.core.quantities import write_fixed
from fusilex.core.units import clock
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text


def words_of(schedule: Schedule) -> list[tuple[float, str]]:
    """What to do and when, as one says it."""
    return [(t, what if c is None else f"{what} {write_fixed(c, '°C', 0)}") for t, what, c in steps_of(schedule)]


class SettingsList(Card):
    """`show_steps` gives it what to do, what is seen about then, and the moment that is looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.steps: list[tuple[float, str]] = []
        self.seen: Sequence[str] = ()
        self.at_s = 0.0
        self.setAccessibleName("Settings")

    def show_steps(self, schedule: Schedule | None, at_s: float, seen: Sequence[str] = ()) -> None:
        self.steps, self.at_s, self.seen = words_of(schedule) if schedule else [], at_s, seen
        self.update()

    def draw(self, painter: QPainter) -> None:
        y, wide = 10.0, self.width() - 28.0
        title = "Settings" if self.steps else "No settings kept: O finds some, or the oven's record has a curve"
        plain_text(painter, QRectF(14, y, wide, theme.base * 5), title, "body", "soft")
        y += theme.base * 2.6
        line = theme.base * (3.9 if any(self.seen) else 2.3)
        room = max(1, int((self.height() - y - 6) / line))
        now = sum(t <= self.at_s for t, _ in self.steps) - 1
        first = max(0, min(now - room // 2, len(self.steps) - room))
        left, one = 14 + theme.base * 6, theme.base * 2.3
        for k in range(first, min(first + room, len(self.steps))):
            t, words = self.steps[k]
            lit = k == now
            plain_text(painter, QRectF(14, y, theme.base * 5, one), clock(t), "body", "ink", lit, _RIGHT)
            plain_text(painter, QRectF(left, y, wide + 14 - left, one), words, "body", "ink", lit)
            if k < len(self.seen):
                under = QRectF(left, y + theme.base * 1.8, wide + 14 - left, one)
                plain_text(painter, under, self.seen[k], "small", "soft")
            y += line


_RIGHT = Qt.AlignmentFlag.AlignRight
