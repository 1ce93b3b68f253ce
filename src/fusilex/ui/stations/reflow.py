"""Reflow: the paste's window as rooms and gates, the logged probes through them, and who was molten when."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from fusilex.bench.commands import RecordReflow
from fusilex.bench.judging import judgements
from fusilex.core.judgement import Level
from fusilex.core.problems import BadInput
from fusilex.core.reflow.profile import crossings
from fusilex.core.reflow.record import Trace, trace_of
from fusilex.core.reflow.windows import WINDOWS, ProcessWindow
from fusilex.core.units import show_temperature
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.temperature_log import TemperatureLog, read_log
from fusilex.ui.card import Card
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import plain_text
from fusilex.ui.head import Units
from fusilex.ui.keys import Key
from fusilex.ui.station import Station
from fusilex.ui.theme import theme

_STROKES = ("ink", "brass", "go", "care")


@dataclass(frozen=True)
class Gates:
    """What a run must pass, hung on its own times (s): entry into the soak, melting, peak. Temperatures °C."""

    soak_in: float
    melt: float
    peak: float


def gates(window: ProcessWindow, trace: Trace | None) -> Gates:
    """Gates of a run at its first probe; without a run those of a run through the middle of the window."""
    low, high = window.soak_band
    soak_in = (low - 25) / 1.5
    melt = soak_in + sum(window.soak) / 2 + (window.melting - high) / 1.5
    nominal = Gates(soak_in, melt, melt + sum(window.above_melting) / 4)
    if trace is None:
        return nominal
    time, celsius = trace.time, trace.temperature
    first = [crossings(time, celsius, level)[0] for level in (low, window.melting)]
    return Gates(
        float(first[0][0]) if len(first[0]) else nominal.soak_in,
        float(first[1][0]) if len(first[1]) else nominal.melt,
        float(time[np.argmax(celsius)]),
    )


class GateChart(Card):
    """Temperature over time, and beneath it on the same axis the time each probe was molten."""

    def __init__(self, station: Reflow) -> None:
        super().__init__()
        self.station = station
        self.setMinimumHeight(260)
        self.setAccessibleName("Temperature over time against the paste's window")

    def draw(self, painter: QPainter) -> None:
        window, traces = self.station.window_rule, self.station.traces
        gate = gates(window, next(iter(traces.values()), None))
        end = max([gate.melt + window.above_melting[1] + 90, *(float(x.time[-1]) for x in traces.values())])
        top = max([window.peak[1] + 25, *(float(x.temperature.max()) + 10 for x in traces.values())])
        bars = theme.base * (3.2 + 2.6 * len(traces))
        area = QRectF(
            theme.base * 5.8, theme.base * 4.2, self.width() - theme.base * 8.2, self.height() - theme.base * 7.6 - bars
        )

        def at(t: float, c: float) -> QPointF:
            return QPointF(area.left() + area.width() * t / end, area.bottom() - area.height() * c / top)

        plain_text(painter, QRectF(18, 10, self.width() - 36, 24), self.station.title, "body", "soft")
        for c in range(0, int(top) + 1, 50):
            painter.setPen(QPen(theme.colour("hair"), 1))
            painter.drawLine(at(0, c), at(end, c))
            plain_text(
                painter,
                QRectF(0, at(0, c).y() - theme.base, theme.base * 5.2, 20),
                show_temperature(c, Units.fahrenheit),
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignRight,
            )
        for minute in range(int(end // 60) + 1):
            plain_text(
                painter,
                QRectF(at(minute * 60, 0).x() - 30, area.bottom() + 3, 60, 20),
                f"{minute} min",
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignHCenter,
            )
        self._gates(painter, window, gate, at)
        painter.setPen(QPen(theme.colour("brass"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(at(0, window.melting), at(end, window.melting))
        melts = f"melts {show_temperature(window.melting, Units.fahrenheit)}"
        plain_text(
            painter,
            QRectF(area.left() + 6, at(0, window.melting).y() - theme.base * 2, 200, 22),
            melts,
            "small",
            "brass",
            True,
        )
        if traces:
            self._probes(painter, traces, at, area, window)

    def _gates(
        self, painter: QPainter, window: ProcessWindow, gate: Gates, at: Callable[[float, float], QPointF]
    ) -> None:
        """The window as rooms the run goes through and bars it must cross: out of the soak, at the peak, back to solid."""
        (low, high), melt = window.soak_band, window.melting
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("go", 34))
        painter.drawRect(QRectF(at(gate.soak_in, high), at(gate.soak_in + window.soak[1], low)))
        painter.drawRect(QRectF(at(gate.melt, window.peak[1]), at(gate.melt + window.above_melting[1], melt)))
        bars = (
            (at(gate.soak_in + window.soak[0], high), at(gate.soak_in + window.soak[1], high), "leave the soak", -1),
            (
                at(gate.melt + window.above_melting[0], melt),
                at(gate.melt + window.above_melting[1], melt),
                "solid again",
                1,
            ),
            (at(gate.peak, window.peak[0]), at(gate.peak, window.peak[1]), "", 0),
        )
        for a, b, words, lean in bars:
            painter.setPen(QPen(theme.colour("go"), 6, cap=Qt.PenCapStyle.FlatCap))
            painter.drawLine(a, b)
            box = QRectF(a.x() - 60 if lean < 0 else b.x() + 8, a.y() - theme.base * 2.2, 160, 20)
            plain_text(painter, box, words, "small", "go", True)

    def _probes(
        self,
        painter: QPainter,
        traces: dict[str, Trace],
        at: Callable[[float, float], QPointF],
        area: QRectF,
        window: ProcessWindow,
    ) -> None:
        y = area.bottom() + theme.base * 3.6
        plain_text(painter, QRectF(18, y - theme.base * 0.4, 400, 20), "molten", "small", "soft")
        y += theme.base * 1.8
        for i, (name, trace) in enumerate(traces.items()):
            time, celsius = trace.time, trace.temperature
            step = max(1, int(len(time) / area.width()) + 1)  # no finer than the screen
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(
                QPen(
                    theme.colour(_STROKES[i % 4]),
                    2.5,
                    [Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine][i % 3],
                )
            )
            for piece in trace.pieces:  # gaps stay open
                run = zip(time[piece][::step].tolist(), celsius[piece][::step].tolist(), strict=True)
                painter.drawPolyline(QPolygonF([at(t, c) for t, c in run]))
            peak = int(np.argmax(celsius))
            beside = bool(trace.gaps[max(0, peak - 1) : peak + 1].any())  # the peak may be out of sight
            if i == 0:
                plain_text(
                    painter,
                    QRectF(
                        at(float(time[peak]), 0).x() - 100,
                        at(0, max(float(celsius[peak]), window.peak[1] if beside else 0.0)).y() - theme.base * 2.4,
                        200,
                        22,
                    ),
                    ("at least " if beside else "") + show_temperature(float(celsius[peak]), Units.fahrenheit),
                    "body",
                    "ink",
                    True,
                    Qt.AlignmentFlag.AlignHCenter,
                )
            up, down = crossings(time, celsius, window.melting)
            plain_text(painter, QRectF(area.left(), y - 2, 200, 22), name, "body", "ink", True)
            if len(up) and len(down):
                a, b = at(float(up[0]), 0).x(), at(float(down[-1]), 0).x()
                painter.setPen(QPen(theme.colour(_STROKES[i % 4]), 1.5))
                painter.setBrush(
                    theme.colour("brass_fill" if i == int(self.station.last_to_melt or 0) else "solder", 150)
                )
                painter.drawRoundedRect(QRectF(a, y, b - a, theme.base * 1.7), 4, 4)
                words = f"{molten_s(up, down):.0f} s" + (
                    "   last to melt" if i == self.station.last_to_melt and len(traces) > 1 else ""
                )
                plain_text(painter, QRectF(b + 8, y - 1, 220, 22), words, "body", "ink")
            else:
                never = not (celsius >= window.melting).any() and not trace.gaps.any()
                words, token = ("never molten", "stop") if never else ("not told by the record", "unknown")
                plain_text(painter, QRectF(area.left() + 160, y - 1, 300, 22), words, "body", token, True)
            y += theme.base * 2.5


def molten_s(up: np.ndarray, down: np.ndarray) -> float:
    """Seconds from first melting to last freezing."""
    return float(down[-1] - up[0])


class Reflow(Station):
    name = "Reflow"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.window_name = self.bench.paste
        self.shown: TemperatureLog | None = None
        self.traces: dict[str, Trace] = {}
        self._of: str | None = None
        self.chart = GateChart(self)
        self.column.addWidget(self.chart, 1)
        self.add_strip()

    @property
    def window_rule(self) -> ProcessWindow:
        return WINDOWS[self.window_name]

    @property
    def title(self) -> str:
        number = self._load_number()
        if number is None:
            return f"The {self.window_name} window as gates; the log of a run is drawn through them"
        load = self.bench.state.loads[number - 1]
        untold = any(j.level is Level.UNKNOWN for j in judgements(self.bench, "Reflow"))
        index = "not told by the record" if untold else "outside" if load["index"] is None else round(load["index"])
        return f"Load {number}, panel {load['panel']}, {load['log_name']}    window index {index}, up to 100 is inside"

    @property
    def last_to_melt(self) -> int | None:
        if not self.traces:
            return None
        firsts = [crossings(x.time, x.temperature, self.window_rule.melting)[0] for x in self.traces.values()]
        return int(np.argmax([f[0] if len(f) else np.inf for f in firsts]))

    def _load_number(self) -> int | None:
        loads = self.bench.state.loads
        return self.bench.board.load or (loads[-1]["number"] if loads else None)

    def refresh(self) -> None:
        number = self._load_number()
        if number is None:
            self.shown, self._of, self.window_name, self.traces = None, None, self.bench.paste, {}
        else:
            load = self.bench.state.loads[number - 1]
            self.window_name = load["window"]
            if self._of != load["log"]:
                self.shown = read_log(self.bench.journal.attachment(load["log"]), load["log_name"])
                self._of = load["log"]
                made = {name: trace_of(self.shown.time_s, v) for name, v in self.shown.probes_c.items()}
                self.traces = {name: trace for name, trace in made.items() if trace is not None}
        self.chart.update()

    def keys(self) -> list[Key]:
        return [
            Key("L", "open the run's log", lambda _: self._open()),
            Key(
                "Space",
                "read",
                lambda _: self.acknowledge() or self.desk.say("Run the oven, then open its log with L."),
            ),
            Key("Tab", "next panel", lambda _: self.next_panel()),
        ]

    def _open(self) -> None:
        if not self.acknowledge():
            self.desk.choose_file(
                f"Log of the run with panel {self.bench.board.panel}",
                "Temperature logs (*.csv *.txt *.tsv);;All files (*)",
                self.record,
            )

    def record(self, name: str) -> None:
        """Record a run from a log file for the panel in hand."""
        try:
            data = read_one(Path(name))
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        serial, panel = self.bench.board.serial, self.bench.board.panel
        window = WINDOWS[self.bench.paste].name
        if self.desk.do(RecordReflow(panel, window, Path(name).name, data), f"Load recorded for panel {panel}."):
            self.go_on(serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        rule = self.window_rule
        f = Units.fahrenheit
        return f"{self.window_name.capitalize()} window", [
            ("soak band", f"{show_temperature(rule.soak_band[0], f)} to {show_temperature(rule.soak_band[1], f)}"),
            ("time in it", f"{rule.soak[0]:g} to {rule.soak[1]:g} s"),
            ("above melting", f"{rule.above_melting[0]:g} to {rule.above_melting[1]:g} s"),
            ("peak", f"{show_temperature(rule.peak[0], f)} to {show_temperature(rule.peak[1], f)}"),
            ("heating, cooling", f"up to {rule.heating[1]:g} and {rule.cooling[1]:g} °C/s"),
        ]
