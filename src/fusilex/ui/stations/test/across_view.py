"""The same measurement on all boards: a dot each, limits, the odd one named, the golden board beside them."""

from __future__ import annotations

import csv
import io
import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.now import Now
from fusilex.bench.stations.test.functions import instrument_doubt, measured_lots
from fusilex.core.evidence import Level
from fusilex.core.judgement import worst_first
from fusilex.core.measuring.lots import Lot, judge_lots
from fusilex.core.measuring.spread import CPK_FROM, ODD_FROM
from fusilex.core.wording import worded
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.chart import Axis, Chart
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

RIGHT = Qt.AlignmentFlag.AlignRight
_ROOM = 0.15


class Strip(Card):
    """Dots of one measurement, in the order of boards, upwards by value."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.lot: Lot | None = None
        self.setMinimumHeight(round(theme.base * 16))

    def show_lot(self, lot: Lot | None) -> None:
        self.lot = lot
        self.setAccessibleName(f"{lot.name} of {len(lot.taken)} boards" if lot else "No measurement")
        self.update()

    def draw(self, painter: QPainter) -> None:
        lot = self.lot
        if lot is None:
            words = "Nothing was measured on any board yet: that begins in the picture before this one."
            plain_text(painter, QRectF(16, 12, self.width() - 32.0, theme.base * 5), words, "body", "soft")
            return
        title = QRectF(16, 10, self.width() - 32.0, theme.base * 2.4)
        plain_text(painter, title, f"{lot.name}, {len(lot.taken)} boards", "lead", "ink", True)
        area = QRectF(theme.base * 6, theme.base * 4, self.width() - theme.base * 12, self.height() - theme.base * 7.5)
        chart = Chart(area, Axis(-0.5, max(1, len(lot.taken)) - 0.5), _up(lot))
        limits = {v for t in lot.taken for v in (t.low, t.high) if math.isfinite(v)}
        self._limits(painter, chart, sorted(limits), lot.unit)
        if lot.reference_value is not None:
            y = chart.at(0, lot.reference_value).y()
            painter.setPen(QPen(theme.colour("gold"), 2.5))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            box = QRectF(area.right() + 4, y - theme.base, theme.base * 6, theme.base * 2)
            plain_text(painter, box, "golden", "small", "soft")
        odd = {t.board: z for t, z in lot.odd}
        for n, t in enumerate(lot.taken):
            at = chart.at(n, t.value)
            here = t.board == self.desk.bench.view.board
            token = "care" if t.board in odd and t.level is not Level.STOP else t.level.value
            painter.setPen(QPen(theme.colour("ink"), 2.5) if here else Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(token))
            radius = 7.0 if here or t.board in odd else 5.0
            if t.board in odd:
                side = radius * 1.3  # a shape of its own, not colour alone
                painter.drawPolygon(
                    QPointF(at.x(), at.y() - side), QPointF(at.x() + side, at.y()),
                    QPointF(at.x(), at.y() + side), QPointF(at.x() - side, at.y()),
                )  # fmt: skip
            else:
                painter.drawEllipse(at, radius, radius)
            if here or t.board in odd or t.level is Level.STOP:
                box = QRectF(at.x() - 60, at.y() - theme.base * 2.6, 120, theme.base * 2)
                name = f"{t.board.rpartition('-')[2]}  {t.value:g}"
                plain_text(painter, box, name, "small", "ink", True, Qt.AlignmentFlag.AlignHCenter)
        below = QRectF(area.left(), area.bottom() + 4, area.width(), theme.base * 2)
        plain_text(painter, below, "boards in the order in which they were measured", "small", "soft")

    def _limits(self, painter: QPainter, chart: Chart, limits: list[float], unit: str) -> None:
        for value in limits:
            y = chart.at(0, value).y()
            painter.setPen(QPen(theme.colour("ink"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(chart.area.left(), y), QPointF(chart.area.right(), y))
            box = QRectF(0, y - theme.base, chart.area.left() - 8, theme.base * 2)
            plain_text(painter, box, f"{value:g} {unit}".strip(), "small", "soft", False, RIGHT)


def _up(lot: Lot) -> Axis:
    """From below the lowest reading or limit to above the highest."""
    golden = [] if lot.reference_value is None else [lot.reference_value]
    values = [t.value for t in lot.taken] + golden + [v for t in lot.taken for v in (t.low, t.high) if math.isfinite(v)]
    low, high = min(values), max(values)
    room = (high - low) * _ROOM or abs(high) * _ROOM or 1.0
    return Axis(low - room, high + room)


class AcrossView(View):
    name = "Across boards"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        columns = (
            Column("measurement", 4),
            Column("boards", 1, True),
            Column("odd", 3),
            Column("Cpk", 2, True),
            Column("instrument", 5),
        )
        self.lots = Rows("Measurements", columns, "Nothing was measured yet.")
        self.strip = Strip(desk)
        self.column.addWidget(self.strip, 3)
        self.column.addWidget(self.lots, 2)
        self.found: list[Lot] = []
        self.lots.picked.connect(lambda _: self.refresh())

    def refresh(self) -> None:
        self.found = measured_lots(self.batch)
        doubted = {name: worded("test.instrument", why) for name, why in instrument_doubt(self.batch).items()}
        rows, marks = [], []
        for lot in self.found:
            odd = ", ".join(t.board.rpartition("-")[2] for t, _ in lot.odd[:4])
            cpk = f"{lot.capability.cpk:.2f}" if lot.capability else f"from {CPK_FROM} on"
            few = "too few to tell" if len(lot.taken) < ODD_FROM else "none"
            rows.append((lot.name, str(len(lot.taken)), odd or few, cpk, doubted.get(lot.name, "")))
            judged = worst_first(judge_lots([lot]))
            marks.append(judged[0].level if judged else None)
        self.lots.show_rows(rows, marks)
        self.strip.show_lot(self.found[self.lots.chosen] if self.found else None)

    def now(self) -> Now | None:
        doubted = instrument_doubt(self.batch)
        if doubted:
            name, why = next(iter(doubted.items()))
            said = worded("test.instrument", why)
            return Now("The instrument first", f"{name}: {said}. Measure the golden board again (Tab, then G).")
        lot = self.found[self.lots.chosen] if self.found else None
        if lot and lot.odd:
            t, z = lot.odd[0]
            return Now(f"{t.board} is the odd one", f"{lot.name} reads {t.value:g} {lot.unit}, z {z:.1f}.")
        return Now("No board is odd", "Up and Down choose a measurement.") if lot else None

    def keys(self) -> list[Key]:
        return [
            Key("Up Down", "measurement", lambda key: self.lots.step(1 if key == "Down" else -1)),
            Key("E", "write the readings", lambda _: self._out()),
        ]

    def _out(self) -> None:
        self.desk.save_file("Write the readings", "readings.csv", self.write)

    def write(self, name: str) -> None:
        """Readings as CSV, as `fusilex readings` takes them."""
        text = io.StringIO()
        out = csv.writer(text, lineterminator="\n")
        out.writerow(("board", "measurement", "value", "unit", "low", "high", "uncertainty"))
        for lot in measured_lots(self.batch):
            for t in lot.taken:
                ends = ("" if math.isinf(v) else f"{v:g}" for v in (t.low, t.high))
                out.writerow((t.board, t.measurement, repr(t.value), t.unit, *ends, f"{t.uncertainty:g}"))
        self.desk.write(name, text.getvalue().encode(), "The readings are written.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        lot = self.found[self.lots.chosen] if self.found else None
        if lot is None:
            return "", []
        values = sorted(t.value for t in lot.taken)
        rows = [("middle", f"{values[len(values) // 2]:g} {lot.unit}"), ("from", f"{values[0]:g} to {values[-1]:g}")]
        if lot.capability:
            rows.append(("Cpk, least with 95 %", f"{lot.capability.least:.2f}"))
        return lot.name, rows
