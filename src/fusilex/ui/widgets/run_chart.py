"""Values in the order they came, with the band they usually stay in: what changed, and since when."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.chart import Axis, Chart
from fusilex.ui.widgets.glyphs import plain_text


class Dot(Struct, frozen=True):
    """One value, its name, and how it is drawn: ``ink``, ``care``, ``stop``, or hollow where it stands `apart`."""

    value: float
    name: str
    token: str = "ink"
    apart: bool = False


class RunChartCard(Card):
    """Dots joined in order over a band about a middle, with words above and beneath."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.title, self.said, self.unit, self.empty = "", "", "", ""
        self.dots: Sequence[Dot] = ()
        self.middle, self.low, self.high = 0.0, 0.0, 0.0
        self.setMinimumHeight(round(theme.base * 11))
        self.setMaximumHeight(round(theme.base * 15))
        self.setAccessibleName(name)

    def show_run(
        self, title: str, dots: Sequence[Dot], middle: float, band: tuple[float, float], said: str = ""
    ) -> None:
        self.title, self.dots, self.middle, self.said = title, dots, middle, said
        self.low, self.high = band
        self.update()

    def draw(self, painter: QPainter) -> None:
        plain_text(painter, QRectF(18, 8, self.width() - 36, theme.base * 2.2), self.title, "body", "ink", True)
        if not self.dots:
            box = QRectF(18, 12 + theme.base * 2.2, self.width() - 36, theme.base * 5)
            plain_text(painter, box, self.empty, "body", "soft")
            return
        values = [dot.value for dot in self.dots]
        low, high = min(*values, self.low), max(*values, self.high)
        room = max(high - low, 1e-9) * 0.12
        up = Axis(low - room, high + room)
        left = theme.base * 6
        area = QRectF(left, theme.base * 3.2, self.width() - left - 24, self.height() - theme.base * 7.4)
        chart = Chart(area, Axis(0.4, max(len(values), 8) + 0.6), up)
        top, bottom = chart.at(0.4, self.high).y(), chart.at(0.4, self.low).y()
        painter.fillRect(QRectF(area.left(), top, area.width(), bottom - top), theme.colour("go", 34))
        painter.setPen(QPen(theme.colour("go"), 1.6))
        line = chart.at(0.4, self.middle).y()
        painter.drawLine(QPointF(area.left(), line), QPointF(area.right(), line))
        for value in (self.high, self.middle, self.low):
            box = QRectF(0, chart.at(0.4, value).y() - theme.base, left - theme.base * 0.6, theme.base * 2)
            plain_text(painter, box, f"{value:.2f}", "small", "soft", False, Qt.AlignmentFlag.AlignRight)
        points = [chart.at(n, dot.value) for n, dot in enumerate(self.dots, 1)]
        painter.setPen(QPen(theme.colour("soft"), 1.2))
        for a, b in pairwise(points):
            painter.drawLine(a, b)
        for at, dot in zip(points, self.dots, strict=True):
            self._dot(painter, at, dot)
        chart.ticks_across(painter, range(1, len(values) + 1), lambda n: self.dots[int(n) - 1].name)
        box = QRectF(18, area.bottom() + theme.base * 2.2, self.width() - 42, theme.base * 2)
        token = next((d.token for d in reversed(self.dots) if d.token != "ink"), "soft")
        plain_text(painter, box, self.said, "small", token, True, Qt.AlignmentFlag.AlignRight)

    def _dot(self, painter: QPainter, at: QPointF, dot: Dot) -> None:
        painter.setPen(QPen(theme.colour(dot.token), 2))
        painter.setBrush(theme.colour("card" if dot.apart else dot.token))
        if dot.token == "stop":
            painter.drawRect(QRectF(at.x() - 4.5, at.y() - 4.5, 9, 9))
        elif dot.token == "care":
            painter.save()
            painter.translate(at)
            painter.rotate(45)
            painter.drawRect(QRectF(-4.5, -4.5, 9, 9))
            painter.restore()
        else:
            painter.drawEllipse(at, 4.5, 4.5)
