"""Expected, read, and a dot strip of one pair over all boards on a logarithmic scale."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFontMetricsF, QPainter

from fusilex.bench.boards import Board
from fusilex.bench.stations.test.events import NO_BEEP
from fusilex.bench.stations.test.planning import leaves_open, level_of
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.evidence import Level
from fusilex.core.units import show_resistance
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.chart import Axis, Chart
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text

LOW_OHM, HIGH_OHM, OPEN_OHM = 0.1, 1e8, 1e9
"""What the strip spans; readings beyond are drawn at its ends, an open circuit at the last."""
_SAID = (
    {Level.GO: "well", Level.STOP: "not well", Level.CARE: "low"},
    {Level.GO: "joined", Level.STOP: "not joined"},
)


def said_of(desk: Desk, board: Board, pair: ProbePair) -> Level | None:
    """The worse of what a reading says of joint or bridge, and of the parts between; None for one that was not read."""
    level = level_of(desk.batch, board, pair)
    if level is not Level.GO or board.readings[pair.key][1] == NO_BEEP:
        return level
    return pair.value_level(board.readings[pair.key][0], leaves_open(desk.batch))


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
        words = {
            "above": f"above {show_resistance(pair.limit)}",
            "below": f"below {show_resistance(pair.limit)}",
            "between": f"{show_resistance(pair.least)} to {show_resistance(pair.most)}",
        }[pair.want]
        fits = QFontMetricsF(theme.font("head", True)).horizontalAdvance(words) <= box.width()
        plain_text(painter, above, words, "head" if fits else "body", "ink", True)
        nets = QRectF(box.x(), box.y() + theme.base * 5.2, box.width(), box.height() - theme.base * 5)
        how = f"; {pair.shown.words}" if pair.shown.words else ""
        told = f"{pair.a.net} to {pair.b.net}{self._parts_give(pair)}{how}"
        plain_text(painter, nets, told, "small", "soft")

    def _read(self, painter: QPainter, pair: ProbePair, box: QRectF) -> None:
        board = self.desk.bench.board
        reading, level = board.readings.get(pair.key), said_of(self.desk, board, pair)
        token = "soft" if level is None else level.value
        quiet = reading is not None and reading[1] == NO_BEEP
        text = "–" if reading is None else NO_BEEP if quiet else show_resistance(reading[0])
        plain_text(painter, QRectF(box.x(), box.y(), box.width(), theme.base * 2), "read", "small", "soft")
        large = QRectF(box.x(), box.y() + theme.base * 1.4, box.width() + 30, theme.base * 5)
        plain_text(painter, large, text, "head" if quiet else "huge", token, True)
        if level is not None:
            low = box.bottom() - theme.base
            judgement_mark(painter, QPointF(box.x() + 10, low), 7, level)
            said = QRectF(box.x() + 26, low - theme.base, box.width(), theme.base * 2)
            word = _SAID[pair.purpose == "joined"].get(level, level.words)
            plain_text(painter, said, word, "body", token, True)

    @staticmethod
    def _parts_give(pair: ProbePair) -> str:
        if math.isnan(pair.expected):
            return ", a resistor between them has no value that can be read"
        return "" if math.isinf(pair.expected) else f", parts give {show_resistance(pair.expected)}"

    def _strip(self, painter: QPainter, pair: ProbePair, chart: Chart) -> None:
        state, area = self.desk.bench.state, chart.area
        good = {"above": (pair.limit, OPEN_OHM), "below": (LOW_OHM, pair.limit), "between": (pair.least, pair.most)}
        low, high = (min(OPEN_OHM, max(LOW_OHM, v)) for v in good[pair.want])
        title = QRectF(area.left(), 10, area.width(), theme.base * 2)
        plain_text(painter, title, f"{pair.key} on all boards", "small", "soft")
        chart.band(painter, LOW_OHM, low, "stop")
        chart.band(painter, low, high, "go")
        chart.band(painter, high, OPEN_OHM, "stop")

        def place(ohm: float) -> float:
            return OPEN_OHM if math.isinf(ohm) else min(ohm, HIGH_OHM)

        ticks = sorted(
            {LOW_OHM, pair.limit, 1e6, OPEN_OHM} if pair.want != "between" else {LOW_OHM, low, high, OPEN_OHM}
        )
        chart.ticks_across(painter, ticks, lambda v: "OL" if v == OPEN_OHM else show_resistance(v))
        quiet = math.sqrt(max(low, LOW_OHM) * min(high, OPEN_OHM))  # somewhere above what beeps: nobody knows where
        read = [
            (
                quiet if b.readings[pair.key][1] == NO_BEEP else b.readings[pair.key][0],
                said_of(self.desk, b, pair),
                b.serial == self.desk.bench.view.board,
            )
            for b in state.boards.values()
            if pair.key in b.readings
        ]
        chart.dots(painter, ((place(v), (s or Level.UNKNOWN).value, 6 if here else 4, here) for v, s, here in read))
