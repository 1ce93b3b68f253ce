"""Keys: what each does here, now; the strip that shows them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QKeySequence, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.ui.glyphs import key_cap
from fusilex.ui.theme import theme

ALWAYS = ("F1", "F10")


@dataclass(frozen=True)
class Key:
    """A key (or several, space-separated as in ``+ -``), what it does in words, and the action; hidden when `label` is ''."""

    keys: str
    label: str
    action: Callable[[str], None]


def key_name(event: QKeyEvent) -> str:
    """Name of a pressed key as used in `Key.keys`: ``Space``, ``Ctrl+Z``, ``[``, ``Left``."""
    combination = event.keyCombination()
    name = QKeySequence(combination).toString(QKeySequence.SequenceFormat.PortableText)
    text = event.text()
    plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    if plain and text and text.isprintable() and not text.isspace():
        return text.upper() if text.isalpha() else text
    return name.removeprefix("Num+").replace("Backtab", "Tab")


class KeyStrip(QWidget):
    """The strip at the bottom."""

    def __init__(self) -> None:
        super().__init__()
        self.shown: list[Key] = []
        self.setFixedHeight(round(theme.base * 4.2))

    def show_keys(self, keys: list[Key]) -> None:
        self.shown = [k for k in keys if k.label]
        self.setAccessibleName("Keys: " + ", ".join(f"{k.keys} {k.label}" for k in self.shown))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("hair"), 1))
        painter.drawLine(0, 0, self.width(), 0)
        last = [key for key in self.shown if key.keys in ALWAYS]
        edge = self.width() - 14.0
        for key in reversed(last):  # why and menu keep their place at the right, however narrow the window
            edge -= self._width(key)
            self._draw(painter, key, edge)
        x = 18.0
        for key in self.shown:
            if key not in last and x + self._width(key) <= edge:
                self._draw(painter, key, x)
                x += self._width(key)

    def _caps(self, key: Key) -> list[str]:
        names = key.keys.split(" ")
        return [_cap(n) for n in names] if len(names) <= 4 else [f"{names[0]} – {names[-1]}"]

    def _width(self, key: Key) -> float:
        metrics = QFontMetricsF(theme.font("small"))
        caps = sum(max(metrics.horizontalAdvance(c) + 14, metrics.height() + 4) + 4 for c in self._caps(key))
        return caps + metrics.horizontalAdvance(key.label) + 20

    def _draw(self, painter: QPainter, key: Key, x: float) -> None:
        middle = self.height() / 2
        for cap in self._caps(key):
            x = key_cap(painter, x, middle, cap) + 4
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(x + 2, 0, 400, self.height()), Qt.AlignmentFlag.AlignVCenter, key.label)


def _cap(name: str) -> str:
    return {"Left": "←", "Right": "→", "Up": "↑", "Down": "↓", "Return": "Enter"}.get(name, name)
