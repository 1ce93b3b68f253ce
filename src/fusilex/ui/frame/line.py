"""The line: the batch's route as one copper trace with a pad per step; solder flows along it as work gets done."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip

from fusilex.bench.record.bench import Bench
from fusilex.core.route.steps import Step, Steps
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text, shortened
from fusilex.ui.widgets.shown import Shown
from fusilex.ui.widgets.words import plain_tip

CENTRED = Qt.AlignmentFlag.AlignHCenter


class Line(Shown):
    """Navigation and state in one picture. Emits the step that was clicked. Where not all steps have room, those round
    the one in view are shown, and the trace runs off the edge.
    """

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.bench: Bench | None = None
        self.steps = Steps()
        self.setFixedHeight(round(theme.base * 7.2))
        self.setMouseTracking(True)
        self.setAccessibleName("Steps of the batch")

    def show_bench(self, bench: Bench | None) -> None:
        self.bench = bench
        self.steps = bench.route.steps if bench else Steps()
        self.look_again()

    def look(self) -> object:
        return self.steps, self.bench and self.bench.view.step, self.counts(), self.done_shares()

    def counts(self) -> dict[str, int]:
        """Boards that are at each step now."""
        return {step.id: len(self.bench.state.at(step.id)) if self.bench else 0 for step in self.steps}

    def done_shares(self) -> list[float]:
        """Share of the batch's boards that have gone past each step."""
        return self.bench.route.shares_past(self.bench.state.boards.values()) if self.bench else []

    @property
    def pitch(self) -> float:
        """From pad to pad, px."""
        return max(theme.base * 8.6, self.width() / max(1, len(self.steps) + 0.6))

    def _x(self, index: int) -> float:
        """Where a pad stands; the steps in view are those round the one looked at."""
        overflow = max(0.0, self.pitch * (len(self.steps) + 0.6) - self.width())
        here = self.steps.index(self.bench.view.step) if self.bench else 0
        shift = min(overflow, max(0.0, self.pitch * (here + 0.8) - self.width() / 2))
        return self.pitch * (index + 0.8) - shift

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() * 0.33
        counts, done = self.counts(), self.done_shares()
        for token, shares in (("brass", None), ("solder", done)):
            painter.setPen(QPen(theme.colour(token), 7.0, cap=Qt.PenCapStyle.FlatCap))
            for i in range(len(self.steps) - 1):
                share = 1.0 if shares is None else shares[i]
                if share > 0:
                    painter.drawLine(QPointF(self._x(i), y), QPointF(self._x(i) + self.pitch * share, y))
        for i, step in enumerate(self.steps):
            self._pad(painter, QPointF(self._x(i), y), step, counts[step.id], done[i] >= 1.0)

    def _pad(self, painter: QPainter, at: QPointF, step: Step, count: int, done: bool) -> None:
        assert self.bench
        here = step.id == self.bench.view.step
        radius = theme.base * (1.5 if here else 1.15)
        painter.setPen(QPen(theme.colour("ink" if here else "solder" if done else "brass"), 3.0 if here else 2.0))
        painter.setBrush(theme.colour("brass_fill" if here else "solder" if done else "card"))
        painter.drawEllipse(at, radius, radius)
        if count:
            painter.setFont(theme.font("tiny" if count > 99 and not here else "body", bold=True))
            painter.setPen(theme.colour("now_ground" if here else "ink"))
            box = QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(count))
        wide = self.pitch - 4
        name = QRectF(at.x() - wide / 2, at.y() + theme.base * 1.7, wide, theme.base * 2)
        plain_text(painter, name, step.station, "body", "ink" if here or count else "soft", here, CENTRED)
        below = name.translated(0, theme.base * 1.75)
        which = self.steps.label(step.id).removeprefix(step.station).strip()
        boards = "" if which else f" board{'s' if count > 1 else ''}"
        words = ", ".join(word for word in (which, f"{count}{boards} here" if count else "") if word)
        plain_text(painter, below, shortened(words, wide, size="tiny"), "tiny", "soft", False, CENTRED)

    def _at(self, event: QMouseEvent) -> str:
        nearest = min(range(len(self.steps)), key=lambda i: abs(self._x(i) - event.position().x()))
        return self.steps.ids[nearest]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and self.bench:
            self.chosen.emit(self._at(event))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event and self.bench:
            step = self._at(event)
            name, method = self.steps.label(step), self.steps.by_id[step].method
            words = "  ".join(word for word in (name, method, self.bench.route.key(step)) if word)
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(words), self)
