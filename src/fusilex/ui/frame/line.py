"""The line: the batch's route as one copper trace with a pad per station; solder flows along it as work gets done."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from fusilex.bench.bench import Bench
from fusilex.bench.rooms import ROAD
from fusilex.ui.theme import theme


class Line(QWidget):
    """Navigation and state in one picture. Emits the station that was clicked."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.bench: Bench | None = None
        self.road = ROAD
        self.station = self.road.names[0]
        self.setFixedHeight(round(theme.base * 7.2))
        self.setMouseTracking(True)
        self.setAccessibleName("Stations of the batch")

    def show_bench(self, bench: Bench | None, station: str) -> None:
        self.bench, self.station = bench, station
        self.update()

    def counts(self) -> dict[str, int]:
        """Boards that are at each station now."""
        return {name: len(self.bench.state.at(name)) if self.bench else 0 for name in self.road.names}

    def done_shares(self) -> list[float]:
        """Share of the batch's boards that have gone past each station."""
        return self.road.shares_past(self.bench.state.boards.values() if self.bench else ())

    def _x(self, index: int) -> float:
        margin = max(self.width() / (2.4 * len(self.road.names)), theme.base * 5.8)
        return margin + index * (self.width() - 2 * margin) / (len(self.road.names) - 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() * 0.33
        counts, done = self.counts(), self.done_shares()
        for width, token, shares in ((7.0, "brass", None), (7.0, "solder", done)):
            painter.setPen(QPen(theme.colour(token), width, cap=Qt.PenCapStyle.FlatCap))
            for i in range(len(self.road.names) - 1):
                share = 1.0 if shares is None else shares[i]
                if share > 0:
                    painter.drawLine(
                        QPointF(self._x(i), y), QPointF(self._x(i) + (self._x(i + 1) - self._x(i)) * share, y)
                    )
        for i, name in enumerate(self.road.names):
            self._pad(painter, QPointF(self._x(i), y), name, counts[name], done[i] >= 1.0)

    def _pad(self, painter: QPainter, at: QPointF, name: str, count: int, done: bool) -> None:
        here = name == self.station
        radius = 15.0 if here else 11.5
        painter.setPen(QPen(theme.colour("ink" if here else "solder" if done else "brass"), 3.0 if here else 2.0))
        painter.setBrush(theme.colour("brass_fill" if here else "solder" if done else "card"))
        painter.drawEllipse(at, radius, radius)
        if count:
            painter.setFont(theme.font("body", bold=True))
            painter.setPen(theme.colour("now_ground" if here else "ink"))
            painter.drawText(
                QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius),
                Qt.AlignmentFlag.AlignCenter,
                str(count),
            )
        room = theme.base * 14
        box = QRectF(at.x() - room / 2, at.y() + 17, room, theme.base * 2)
        painter.setFont(theme.font("body", bold=here))
        painter.setPen(theme.colour("ink" if here or count else "soft"))
        painter.drawText(box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, name)
        if count:
            painter.setFont(theme.font("tiny"))
            painter.setPen(theme.colour("soft"))
            painter.drawText(
                box.translated(0, theme.base * 1.75),
                Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop,
                f"{count} board{'s' if count > 1 else ''} here",
            )

    def _at(self, event: QMouseEvent) -> str:
        nearest = min(range(len(self.road.names)), key=lambda i: abs(self._x(i) - event.position().x()))
        return self.road.names[nearest]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self.chosen.emit(self._at(event))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event:
            name = self._at(event)
            QToolTip.showText(event.globalPosition().toPoint(), f"{name}  {self.road.key(name)}", self)
