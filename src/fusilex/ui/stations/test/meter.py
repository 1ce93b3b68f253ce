"""Expected, read, and a dot strip of one pair over all boards on a logarithmic scale."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFontMetricsF, QPainter

from fusilex.core.electrical.probes import ProbePair
from fusilex.core.judgement import Level
from fusilex.core.units import show_resistance
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.chart import Axis, Chart
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text

LOW_OHM, HIGH_OHM, OPEN_OHM = 0.1, 1e8, 1e9
"""What the strip spans; readings beyond are drawn at its ends, an open circuit at the last."""
_SAID = {Level.GO: "apart", Level.STOP: "joined"}


class Meter(Card):
    """Shows a pair."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.pair: ProbePair | None = None
        self.setMinimumHeight(round(theme.base * 9.5))
        self.setMaximumHeight(round(theme.base * 11))
        self.setAccessibleName("Expected and read resistance")

    def show_pair(self, pair: ProbePair | None) -> None:
        self.pair = pair
        self.update()

    def draw(self, painter: QPainter) -> None:
        pair = self.pair
        if pair is None:
            words = "There is no pair of pads to probe on this board."
            plain_text(painter, QRectF(18, 12, self.width() - 36, theme.base * 2.2), words, "body", "soft")
            return
        first, second = self.width() * 0.27, self.width() * 0.2
        self._wanted(painter, pair, QRectF(18, 10, first - 24, self.height() - 16))
        self._read(painter, pair, QRectF(first + 6, 10, second, self.height() - 16))
        left = first + second + 34
        area = QRectF(left, theme.base * 3.2, self.width() - left - 30, self.height() - theme.base * 6.4)
        self._strip(painter, pair, Chart(area, Axis(LOW_OHM, OPEN_OHM, log=True)))

    def _wanted(self, painter: QPainter, pair: ProbePair, box: QRectF) -> None:
        line = theme.base * 2
        plain_text(painter, QRectF(box.x(), box.y(), box.width(), line), "want", "small", "soft")
        above = QRectF(box.x(), box.y() + line * 0.9, box.width(), theme.base * 3)
        words = f"above {show_resistance(pair.limit)}"
        fits = QFontMetricsF(theme.font("head", True)).horizontalAdvance(words) <= box.width()
        plain_text(painter, above, words, "head" if fits else "body", "ink", True)
        nets = QRectF(box.x(), box.y() + theme.base * 5.2, box.width(), box.height() - theme.base * 5)
        plain_text(painter, nets, f"{pair.a.net} to {pair.b.net}{self._parts_give(pair)}", "small", "soft")

    def _read(self, painter: QPainter, pair: ProbePair, box: QRectF) -> None:
        reading = self.desk.bench.board.readings.get(pair.key)
        level = None if reading is None else pair.level(reading[0])
        token = "soft" if level is None else level.value
        text = "–" if reading is None else show_resistance(reading[0])
        plain_text(painter, QRectF(box.x(), box.y(), box.width(), theme.base * 2), "read", "small", "soft")
        large = QRectF(box.x(), box.y() + theme.base * 1.4, box.width() + 30, theme.base * 5)
        plain_text(painter, large, text, "huge", token, True)
        if level is not None:
            low = box.bottom() - theme.base
            judgement_mark(painter, QPointF(box.x() + 10, low), 7, level)
            said = QRectF(box.x() + 26, low - theme.base, box.width(), theme.base * 2)
            plain_text(painter, said, _SAID.get(level, "can't tell"), "body", token, True)

    @staticmethod
    def _parts_give(pair: ProbePair) -> str:
        if math.isnan(pair.expected):
            return ", a resistor between them has no value that can be read"
        return "" if math.isinf(pair.expected) else f", parts give {show_resistance(pair.expected)}"

    def _strip(self, painter: QPainter, pair: ProbePair, chart: Chart) -> None:
        state, area = self.desk.bench.state, chart.area
        title = QRectF(area.left(), 10, area.width(), theme.base * 2)
        plain_text(painter, title, f"{pair.key} on all boards", "small", "soft")
        chart.band(painter, LOW_OHM, pair.limit, "stop")
        chart.band(painter, pair.limit, OPEN_OHM, "go")

        def place(ohm: float) -> float:
            return OPEN_OHM if math.isinf(ohm) else min(ohm, HIGH_OHM)

        ticks = (LOW_OHM, pair.limit, 1e6, OPEN_OHM)
        chart.ticks_across(painter, ticks, lambda v: "OL" if v == OPEN_OHM else show_resistance(v))
        read = [
            (b.readings[pair.key][0], b.serial == self.desk.bench.view.board)
            for b in state.boards.values()
            if pair.key in b.readings
        ]
        chart.dots(painter, ((place(v), pair.level(v).value, 6 if here else 4, here) for v, here in read))
