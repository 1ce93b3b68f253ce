"""Temperature over time through the window's rooms and gates; beneath it on the same axis the time each probe was
molten.
"""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.core.quantities import write_celsius, write_fixed
from fusilex.core.reflow.gates import Gates, gates, last_to_melt, molten
from fusilex.core.reflow.record import Trace
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.chart import Axis, Chart
from fusilex.ui.widgets.glyphs import plain_text, text_height

_STROKES = ("ink", "brass", "go", "care")
_LINES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)


class Shown(Struct):
    """What the chart shows: the window, the probes' traces, a title; the trace that the gates hang on where that is not
    the first, and whether the run still goes on.
    """

    window: ProcessWindow
    traces: dict[str, Trace] = field(default_factory=dict)
    title: str = ""
    hang: Trace | None = None
    running: bool = False


class GateChart(Card):
    """Set `shown` and update."""

    def __init__(self, shown: Shown) -> None:
        super().__init__()
        self.shown = shown
        self.setMinimumHeight(260)
        self.setAccessibleName("Temperature over time against the paste's window")

    def draw(self, painter: QPainter) -> None:
        window, traces = self.shown.window, self.shown.traces
        gate = gates(window, self.shown.hang or next(iter(traces.values()), None))
        end = max([gate.melt + window.above_melting[1] + 90, *(float(x.time[-1]) for x in traces.values())])
        top = max([window.peak[1] + 25, *(float(x.temperature.max()) + 10 for x in traces.values())])
        title = QRectF(18, 10, self.width() - 36, text_height(self.shown.title, self.width() - 36, "body"))
        plain_text(painter, title, self.shown.title, "body", "soft")
        bars = theme.base * (3.2 + 2.6 * len(traces))
        left, over = theme.base * 5.8, title.bottom() + theme.base * 1.6
        area = QRectF(left, over, self.width() - theme.base * 8.2, self.height() - over - theme.base * 3.4 - bars)
        chart = Chart(area, Axis(0, end), Axis(0, top))
        chart.ticks_up(painter, range(0, int(top) + 1, 50), write_celsius)
        chart.ticks_across(painter, range(0, int(end) + 1, 60), lambda s: f"{s / 60:.0f} min")
        self._gates(painter, chart, gate)
        painter.setPen(QPen(theme.colour("brass"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(chart.at(0, window.melting), chart.at(end, window.melting))
        words = f"melts {write_fixed(window.melting, '°C', 0)}"
        above = QRectF(
            area.left() + 6, chart.at(0, window.melting).y() - theme.base * 2, theme.base * 16, theme.base * 2
        )
        plain_text(painter, above, words, "small", "brass", True)
        for i, trace in enumerate(traces.values()):
            self._trace(painter, chart, trace, i)
        if traces:
            self._bars(painter, chart)
        self.over(painter, chart)

    def over(self, painter: QPainter, chart: Chart) -> None:
        """What else lies over the curves."""

    def _gates(self, painter: QPainter, chart: Chart, gate: Gates) -> None:
        """The window as rooms the run goes through and bars it must cross: out of the soak, at the peak, back to
        solid.
        """
        window, at = self.shown.window, chart.at
        (low, high), melt = window.soak_band, window.melting
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("go", 34))
        painter.drawRect(QRectF(at(gate.soak_in, high), at(gate.soak_in + window.soak[1], low)))
        painter.drawRect(QRectF(at(gate.melt, window.peak[1]), at(gate.melt + window.above_melting[1], melt)))
        leave = (at(gate.soak_in + window.soak[0], high), at(gate.soak_in + window.soak[1], high))
        solid = (at(gate.melt + window.above_melting[0], melt), at(gate.melt + window.above_melting[1], melt))
        peak = (at(gate.peak, window.peak[0]), at(gate.peak, window.peak[1]))
        for (a, b), words, lean in ((leave, "leave the soak", -1), (solid, "solid again", 1), (peak, "", 0)):
            painter.setPen(QPen(theme.colour("go"), 6, cap=Qt.PenCapStyle.FlatCap))
            painter.drawLine(a, b)
            box = QRectF(
                a.x() - 60 if lean < 0 else b.x() + 8, a.y() - theme.base * 2.2, theme.base * 14, theme.base * 2
            )
            plain_text(painter, box, words, "small", "go", True)

    def _trace(self, painter: QPainter, chart: Chart, trace: Trace, i: int) -> None:
        """One probe's curve, and the first one's peak."""
        time, celsius = trace.time, trace.temperature
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour(_STROKES[i % 4]), 2.5, _LINES[i % 3]))
        for piece in trace.pieces:  # gaps stay open
            painter.drawPolyline(chart.line(time[piece], celsius[piece]))
        if i:
            return
        peak = int(np.argmax(celsius))
        beside = bool(trace.gaps[max(0, peak - 1) : peak + 1].any())  # the peak may be out of sight
        high = max(float(celsius[peak]), self.shown.window.peak[1] if beside else 0.0)
        words = ("at least " if beside else "") + write_celsius(float(celsius[peak]))
        spot = chart.at(float(time[peak]), high)
        box = QRectF(spot.x() - 100, spot.y() - theme.base * 2.4, 200, theme.base * 2.2)
        plain_text(painter, box, words, "body", "ink", True, Qt.AlignmentFlag.AlignHCenter)

    def _bars(self, painter: QPainter, chart: Chart) -> None:
        """When each probe was molten; the last to melt is lit."""
        window, traces = self.shown.window, self.shown.traces
        y = chart.area.bottom() + theme.base * 3.2
        plain_text(painter, QRectF(18, y, 400, theme.base * 2), "molten", "small", "soft")
        y += theme.base * 2.2
        last = last_to_melt(traces, window.melting)
        for i, (name, trace) in enumerate(traces.items()):
            plain_text(painter, QRectF(chart.area.left(), y - 2, 200, theme.base * 2.2), name, "body", "ink", True)
            held = molten(trace, window.melting)
            if held is not None:
                a, b = chart.x(held.start), chart.x(held.end)
                painter.setPen(QPen(theme.colour(_STROKES[i % 4]), 1.5))
                painter.setBrush(theme.colour("brass_fill" if name == last else "solder", 150))
                painter.drawRoundedRect(QRectF(a, y, b - a, theme.base * 1.7), 4, 4)
                words = f"{held.seconds:.0f} s" + ("   last to melt" if name == last and len(traces) > 1 else "")
                room = theme.base * (16 if name == last else 6)
                if b + room < self.width():
                    self._beside(painter, QPointF(b + 8, y - 1), words, "ink")
                else:
                    before = QRectF(a - room - 8, y - 1, room, theme.base * 2.2)
                    plain_text(painter, before, words, "body", "ink", False, Qt.AlignmentFlag.AlignRight)
            elif self.shown.running:
                now = bool(trace.temperature[-1] >= window.melting)
                words, token = ("molten now", "care") if now else ("not yet", "soft")
                self._beside(painter, QPointF(chart.area.left() + 160, y - 1), words, token)
            else:
                never = not (trace.temperature >= window.melting).any() and not trace.gaps.any()
                words, token = ("never molten", "stop") if never else ("not told by the record", "unknown")
                self._beside(painter, QPointF(chart.area.left() + 160, y - 1), words, token)
            y += theme.base * 2.5

    def _beside(self, painter: QPainter, at: QPointF, words: str, token: str) -> None:
        box = QRectF(at.x(), at.y(), theme.base * 22, theme.base * 2.2)
        plain_text(painter, box, words, "body", token, token != "ink")
