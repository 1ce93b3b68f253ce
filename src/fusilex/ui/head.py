"""Head of the frame: design and batch, the clocks that matter now, units."""

from __future__ import annotations

from datetime import UTC, datetime

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from fusilex.bench.session import Bench
from fusilex.ui.glyphs import plain_text
from fusilex.ui.theme import theme


class Units:
    """The user's units, kept for the session and remembered."""

    inch = False
    fahrenheit = False


class Head(QWidget):
    """Painted whole; a click on the units switches them."""

    units_clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.bench: Bench | None = None
        self.setFixedHeight(round(theme.base * 5.2))
        self.setAccessibleName("Batch and clocks")

    def show_bench(self, bench: Bench | None) -> None:
        self.bench = bench
        self.update()

    def clocks(self) -> list[tuple[str, str]]:
        """(what, value) of the clocks worth watching now."""
        if self.bench is None:
            return []
        state = self.bench.state
        found = []
        waiting = [
            p
            for p in state.prints
            if any(b.print_number == p["number"] and b.load is None and not b.scrapped for b in state.boards.values())
        ]
        if waiting:
            found.append(("paste out", _ago(waiting[0]["at"])))
        if state.prints:
            found.append(("prints", str(len(state.prints))))
        if state.loads:
            found.append(("last oven run", _ago(state.loads[-1]["at"])))
        return found

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        x = 20.0
        name = self.bench.state.opened["design"] if self.bench else "Fusilex"
        painter.setFont(theme.font("head", bold=True))
        painter.setPen(theme.colour("ink"))
        width = QFontMetricsF(painter.font()).horizontalAdvance(name)
        painter.drawText(QRectF(x, 0, width + 4, self.height()), Qt.AlignmentFlag.AlignVCenter, name)
        x += width + 18
        units = f"{'°F' if Units.fahrenheit else '°C'}  {'inch' if Units.inch else 'mm'}"
        cells = [*self.clocks(), ("units", units)]
        left = self.width() - 16.0
        for what, value in reversed(cells):
            metrics = QFontMetricsF(theme.font("body"))
            wide = max(metrics.horizontalAdvance(what), metrics.horizontalAdvance(value)) + 26
            left -= wide
            if left < x + 120:
                break
            plain_text(
                painter, QRectF(left, middle - metrics.height() - 1, wide, metrics.height()), what, "small", "soft"
            )
            plain_text(painter, QRectF(left, middle, wide, metrics.height() + 2), value, "body", "ink")
        if self.bench:
            state = self.bench.state
            panels = len(state.panels)
            text = f"batch {state.opened['batch']}    {len(state.boards)} boards" + (
                f" in {panels} panel{'s' if panels > 1 else ''}" if panels < len(state.boards) else ""
            )
            painter.setFont(theme.font("body"))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(x, 3, max(0.0, left - x - 10), self.height()), Qt.AlignmentFlag.AlignVCenter, text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.position().x() > self.width() - 110:
            self.units_clicked.emit()


def _ago(at: str) -> str:
    seconds = max(0, int((datetime.now(UTC) - datetime.fromisoformat(at)).total_seconds()))
    return f"{seconds // 3600} h {seconds % 3600 // 60:02d}" if seconds >= 3600 else f"{seconds // 60} min"
