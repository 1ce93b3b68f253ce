"""The one chart of the stations: scales, bands between limits, ticks, dots."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text

GOLDEN = 0.618034  # dots that share a value are strewn by it, so that none hides another


class Axis(Struct, frozen=True):
    """From a value to its share of an axis, 0 to 1; logarithmic where `log`. Beyond its ends it stays at them."""

    low: float
    high: float
    log: bool = False

    def share(self, value: float) -> float:
        if self.log:
            value = min(max(value, self.low), self.high)
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)


class Chart(Struct, frozen=True):
    """An area with a scale across and, where there is one, a scale upwards."""

    area: QRectF
    across: Axis
    up: Axis = Axis(0.0, 1.0)

    def x(self, value: float) -> float:
        return self.area.left() + self.area.width() * self.across.share(value)

    def at(self, across: float, up: float) -> QPointF:
        return QPointF(self.x(across), self.area.bottom() - self.area.height() * self.up.share(up))

    def line(self, across: NDArray[np.float64], up: NDArray[np.float64]) -> QPolygonF:
        """Many points at once, on straight axes; no more of them than the screen can show."""
        step = max(1, int(2 * len(across) / max(self.area.width(), 1.0)))
        x = self.area.left() + self.area.width() / (self.across.high - self.across.low) * (
            across[::step] - self.across.low
        )
        y = self.area.bottom() - self.area.height() / (self.up.high - self.up.low) * (up[::step] - self.up.low)
        return QPolygonF(list(map(QPointF, x.tolist(), y.tolist())))

    def band(self, painter: QPainter, low: float, high: float, token: str) -> None:
        """The ground between two values, in a signal colour thinned out."""
        box = QRectF(self.x(low), self.area.top(), self.x(high) - self.x(low), self.area.height())
        painter.fillRect(box, theme.colour(token, 34))

    def limit(self, painter: QPainter, value: float, words: str = "", before: bool = False) -> None:
        """A dashed line through a value, its words beneath, before or after the line."""
        x = self.x(value)
        painter.setPen(QPen(theme.colour("ink"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, self.area.top()), QPointF(x, self.area.bottom()))
        wide = theme.base * 16
        box = QRectF(x - wide - 4 if before else x + 4, self.area.bottom() + 3, wide, theme.base * 2)
        align = Qt.AlignmentFlag.AlignRight if before else Qt.AlignmentFlag.AlignLeft
        plain_text(painter, box, words, "small", "soft", False, align)

    def ticks_across(self, painter: QPainter, values: Iterable[float], text: Callable[[float], str]) -> None:
        """Values beneath the area; one that would run into the one before it is left out."""
        free, wide = -math.inf, theme.base * 6
        for value in values:
            x = self.x(value)
            if x - wide / 2 >= free:
                box = QRectF(x - wide / 2, self.area.bottom() + 3, wide, theme.base * 2)
                plain_text(painter, box, text(value), "small", "soft", False, Qt.AlignmentFlag.AlignHCenter)
                free = x + wide / 2

    def ticks_up(self, painter: QPainter, values: Iterable[float], text: Callable[[float], str]) -> None:
        """Hairlines across the area with their values before it; values that would overlap keep their lines alone."""
        free = math.inf
        for value in values:
            y = self.at(self.across.low, value).y()
            painter.setPen(QPen(theme.colour("hair"), 1))
            painter.drawLine(QPointF(self.area.left(), y), QPointF(self.area.right(), y))
            if y + theme.base <= free:
                box = QRectF(0, y - theme.base, self.area.left() - theme.base * 0.6, theme.base * 2)
                plain_text(painter, box, text(value), "small", "soft", False, Qt.AlignmentFlag.AlignRight)
                free = y - theme.base

    def dots(self, painter: QPainter, dots: Iterable[tuple[float, str, float, bool]]) -> None:
        """Dots along the axis: (value, token, radius, ringed), strewn over the height."""
        for n, (value, token, radius, ringed) in enumerate(dots):
            up = self.area.top() + 8 + (self.area.height() - 16) * ((n * GOLDEN) % 1.0)
            painter.setPen(QPen(theme.colour("ink"), 2) if ringed else Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(token))
            painter.drawEllipse(QPointF(self.x(value), up), radius, radius)
