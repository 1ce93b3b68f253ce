"""Keys: what each does here, now; the strip that shows them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QKeySequence, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.ui.glyphs import key_cap
from fusilex.ui.theme import theme


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
    return name.removeprefix("Num+")


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
        x, middle = 18.0, self.height() / 2
        font = theme.font("small")
        metrics = QFontMetricsF(font)
        for key in self.shown:
            names = (
                key.keys.split(" ")
                if len(key.keys.split(" ")) <= 4
                else [f"{key.keys.split(' ')[0]} – {key.keys.split(' ')[-1]}"]
            )
            need = (
                sum(max(metrics.horizontalAdvance(_cap(n)) + 14, metrics.height() + 4) + 4 for n in names)
                + metrics.horizontalAdvance(key.label)
                + 24
            )
            if x + need > self.width():
                break
            for name in names:
                x = key_cap(painter, x, middle, _cap(name)) + 4
            painter.setFont(font)
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(x + 2, 0, 400, self.height()), Qt.AlignmentFlag.AlignVCenter, key.label)
            x += metrics.horizontalAdvance(key.label) + 20


def _cap(name: str) -> str:
    return {"Left": "←", "Right": "→", "Up": "↑", "Down": "↓", "Return": "Enter"}.get(name, name)
