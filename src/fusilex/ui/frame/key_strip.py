"""The strip of keys: what they do here, now."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QResizeEvent

from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import key_cap
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.shown import Shown

ALWAYS = ("F1", "F10")


class KeyStrip(Shown):
    """The strip at the bottom: one row, or two where a station has many keys."""

    def __init__(self) -> None:
        super().__init__()
        self.shown: list[Key] = []
        self._row = round(theme.base * 3.4)
        self._fit()

    def show_keys(self, keys: list[Key]) -> None:
        shown = [k for k in keys if k.label]
        other = [(k.keys, k.label) for k in shown] != self.look()
        self.shown = shown
        if other:
            self.setAccessibleName("Keys: " + ", ".join(f"{k.keys} {k.label}" for k in shown))
            self._fit()
        self.look_again()

    def look(self) -> object:
        return [(k.keys, k.label) for k in self.shown]

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()

    def _fit(self) -> None:
        rows = 1 + max((row for _, row, _ in self._places()), default=0)
        self.setFixedHeight(round(theme.base * 0.8) + rows * self._row)

    def _places(self) -> list[tuple[Key, int, float]]:
        """Key, row and x of all that fits two rows; why and menu keep their place at the right of the first."""
        last = [key for key in self.shown if key.keys in ALWAYS]
        edge = self.width() - 14.0
        places: list[tuple[Key, int, float]] = []
        for key in reversed(last):
            edge -= self._width(key)
            places.append((key, 0, edge))
        x, row, end = 18.0, 0, edge
        for key in self.shown:
            if key in last:
                continue
            width = self._width(key)
            if x + width > end and row == 0:
                x, row, end = 18.0, 1, self.width() - 14.0
            if x + width <= end:
                places.append((key, row, x))
                x += width
        return places

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("hair"), 1))
        painter.drawLine(0, 0, self.width(), 0)
        for key, row, x in self._places():
            self._draw(painter, key, x, theme.base * 0.4 + (row + 0.5) * self._row)

    def _caps(self, key: Key) -> list[str]:
        names = key.keys.split(" ")
        return [_cap(n) for n in names] if len(names) <= 4 else [f"{names[0]} – {names[-1]}"]

    def _width(self, key: Key) -> float:
        metrics = QFontMetricsF(theme.font("small"))
        caps = sum(max(metrics.horizontalAdvance(c) + 14, metrics.height() + 4) + 4 for c in self._caps(key))
        return caps + metrics.horizontalAdvance(key.label) + 20

    def _draw(self, painter: QPainter, key: Key, x: float, middle: float) -> None:
        for cap in self._caps(key):
            x = key_cap(painter, x, middle, cap) + 4
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("soft"))
        painter.drawText(
            QRectF(x + 2, middle - self._row / 2, 400, self._row), Qt.AlignmentFlag.AlignVCenter, key.label
        )


def _cap(name: str) -> str:
    before, plus, last = name.rpartition("+")
    signs = {"Left": "←", "Right": "→", "Up": "↑", "Down": "↓", "Return": "Enter"}
    return f"{before}{plus}{signs.get(last, last)}" if last else name
