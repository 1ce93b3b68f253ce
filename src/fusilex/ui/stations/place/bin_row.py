"""The bins around the one in hand, as they stand in the tray."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.bench.batch import Batch
from fusilex.bench.stations.place.hand import next_by_hand
from fusilex.core.kit.quantities import PullLine
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text, shortened

CENTRED = Qt.AlignmentFlag.AlignHCenter


class BinRow(QWidget):
    """As many as there is room for, the one in hand in the middle."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(round(theme.base * 7.2))
        self.setAccessibleName("Bins")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        batch = self.desk.batch
        part = next_by_hand(batch, batch.board) if batch.board.step == batch.step.id else None
        placed = {p.ref for p in batch.parts_of(batch.step.id)}
        lines = [line for line in batch.lines if any(ref in placed for ref in line.refs)]
        if part is None or not lines:
            return
        here = lines.index(batch.line_of[part.ref])
        fits = max(3, int(self.width() / (theme.base * 10.5)))
        first = max(0, min(here - fits // 2, len(lines) - fits))
        width = self.width() / min(fits, len(lines))
        for k, line in enumerate(lines[first : first + fits]):
            self._bin(painter, QRectF(k * width, 1, width - 6, self.height() - 3), batch, line, first + k == here)

    def _bin(self, painter: QPainter, box: QRectF, batch: Batch, line: PullLine, lit: bool) -> None:
        painter.setPen(QPen(theme.colour("ink" if lit else "hair"), 3 if lit else 1))
        painter.setBrush(theme.colour("brass_fill" if lit else "card"))
        painter.drawRoundedRect(box, 5, 5)
        token, left = "now_ground" if lit else "ink", batch.left_in_bin(line.key)
        words = f"bin {batch.bin_number[line.key]}, " + ("not counted" if left is None else f"{left} left")
        wide = box.width() - 8
        count = QRectF(box.x() + 4, box.bottom() - theme.base * 2.1, wide, theme.base * 2)
        plain_text(painter, count, shortened(words, wide, size="small"), "small", token, False, CENTRED)
        name = QRectF(box.x() + 4, box.y() + theme.base * 0.5, wide, theme.base * 4)
        plain_text(painter, name, shortened(line.name, wide, 2, "body", True), "body", token, True, CENTRED)
