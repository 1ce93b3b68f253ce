"""The board as heat has it at one moment: cells of the sheet and the bodies on it, from the coolest to the hottest."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPen

from fusilex.core.heat.matter import BODY_W_PER_M2K
from fusilex.core.heat.sheet import Sheet
from fusilex.core.quantities import write_celsius
from fusilex.ui.theme import heat_rgb, mixed, theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text

LEAST_RANGE_C = 12.0
"""From the coolest to the hottest the colours go at each moment: what matters is who lags. No finer than this."""


def colours_of(celsius: NDArray[np.float64], low: float, high: float) -> NDArray[np.uint8]:
    """Red, green and blue of temperatures (…, °C) between two: … × 3."""
    table = np.array(heat_rgb(), dtype=float)
    stops = np.linspace(low, high, len(table))
    found = np.stack([np.interp(celsius, stops, table[:, k]) for k in range(3)], axis=-1)
    return np.asarray(np.round(found), dtype=np.uint8)


class HeatMap(Card):
    """`show_state` gives it a sheet, its state (n + m, °C) and a title; `below` turns it over."""

    def __init__(self) -> None:
        super().__init__()
        self.sheet: Sheet | None = None
        self.state: NDArray[np.float64] = np.empty(0)
        self.title, self.below, self.melting = "", False, 217.0
        self.ring: tuple[float, float, float] | None = None
        """What is drawn about a place: x, y and radius (mm, panel)."""
        self.setMinimumHeight(150)
        self.setAccessibleName("The board's heat")

    def show_state(
        self, sheet: Sheet | None, state: NDArray[np.float64], title: str, below: bool, melting: float
    ) -> None:
        self.sheet, self.state, self.title, self.below, self.melting = sheet, state, title, below, melting
        self.update()

    @property
    def ends(self) -> tuple[float, float]:
        """The coolest and the hottest (°C) of what is shown, some way apart."""
        low, high = float(self.state.min()), float(self.state.max())
        wider = max(0.0, LEAST_RANGE_C - (high - low)) / 2
        return low - wider, high + wider

    def draw(self, painter: QPainter) -> None:
        plain_text(painter, QRectF(14, 8, self.width() - 28, theme.base * 2.2), self.title, "body", "soft")
        sheet = self.sheet
        if sheet is None or not len(self.state):
            return
        rows, columns = sheet.grid.shape
        room = QRectF(14, theme.base * 3.4, self.width() - 28, self.height() - theme.base * 7.2)
        wide, high = columns * float(sheet.size[0]), rows * float(sheet.size[1])
        scale = min(room.width() / wide, room.height() / high)
        box = QRectF(room.left() + (room.width() - wide * scale) / 2, room.top(), wide * scale, high * scale)
        there = sheet.grid >= 0
        pixels = np.zeros((rows, columns, 4), dtype=np.uint8)
        pixels[there, :3] = colours_of(self.state[: len(sheet)], *self.ends)
        pixels[there, 3] = 255
        pixels = pixels[::-1, ::-1] if self.below else pixels[::-1]
        image = QImage(
            np.ascontiguousarray(pixels).tobytes(), columns, rows, 4 * columns, QImage.Format.Format_RGBA8888
        )
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(box, image)
        self._bodies(painter, box, scale)
        if self.ring is not None:
            x, y, radius = self.ring
            px = box.right() - x * scale if self.below else box.left() + x * scale
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for token, width in (("lit", 4.0), ("ink", 2.0)):
                painter.setPen(QPen(theme.colour(token), width))
                painter.drawEllipse(QPointF(px, box.bottom() - y * scale), radius * scale, radius * scale)
        self._legend(painter, QRectF(14, box.bottom() + theme.base * 0.8, self.width() - 28, theme.base * 3))

    def _bodies(self, painter: QPainter, box: QRectF, scale: float) -> None:
        sheet = self.sheet
        assert sheet is not None
        tones = colours_of(self.state[len(sheet) :], *self.ends)
        for k in range(len(sheet.lumps)):
            x, y = sheet.lumps.stands[k] @ sheet.xy
            size = max(5.0, 1000 * float(np.sqrt(sheet.lumps.contact[k] / BODY_W_PER_M2K)) * scale)
            px = box.right() - x * scale if self.below else box.left() + x * scale
            painter.setPen(QPen(theme.colour("lit"), 1.2))
            painter.setBrush(mixed(*(int(v) for v in tones[k])))
            painter.drawRect(QRectF(px - size / 2, box.bottom() - y * scale - size / 2, size, size))

    def _legend(self, painter: QPainter, room: QRectF) -> None:
        """The colours along a bar, with the temperatures where they turn, and where solder melts."""
        low, high = self.ends
        bar = QRectF(room.left(), room.top(), room.width(), theme.base * 0.8)
        for step in range(int(bar.width())):
            c = low + (high - low) * step / bar.width()
            tone = mixed(*(int(v) for v in colours_of(np.array(c), low, high)))
            painter.fillRect(QRectF(bar.left() + step, bar.top(), 1.5, bar.height()), tone)
        for c in _round_values(low, high):
            x = bar.left() + (c - low) / (high - low) * bar.width()
            words = write_celsius(c)
            left = min(max(x - 40, room.left() - 14), room.right() - 66)
            place = QRectF(left, bar.bottom() + 1, 80, theme.base * 1.8)
            plain_text(painter, place, words, "small", "soft", False, Qt.AlignmentFlag.AlignHCenter)
        if not low < self.melting < high:
            return
        x = bar.left() + (self.melting - low) / (high - low) * bar.width()
        painter.setPen(QPen(theme.colour("ink"), 2))
        painter.drawLine(int(x), int(bar.top()) - 3, int(x), int(bar.bottom()) + 2)


def _round_values(low: float, high: float) -> list[float]:
    """Three to six round temperatures between two."""
    step = next(s for s in (2, 5, 10, 20, 50, 100, 1000) if (high - low) / s <= 6)
    first = int(np.ceil(low / step)) * step
    return [float(c) for c in range(first, int(high) + 1, step)]
