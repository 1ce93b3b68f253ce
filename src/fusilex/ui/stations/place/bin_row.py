"""The bins around the one in hand, as they stand in the tray: dragged into one's own order, clicked to take from."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QApplication, QWidget

from fusilex.bench.stations.place.hand import bins_in_order
from fusilex.core.design.model import Part
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text, shortened

CENTRED = Qt.AlignmentFlag.AlignHCenter


class _Bin(Struct, frozen=True):
    """A bin as it is painted: `left` in it by its count, None where nobody counted; `lit` where it is in hand."""

    box: QRectF
    key: str
    name: str
    number: int
    left: int | None
    lit: bool
    theme: str


class BinRow(QWidget):
    """As many as there is room for, that of the part `in_hand` in the middle. `taken` is told a bin's key, `moved` that
    of a bin and of the one that it was dropped on.
    """

    taken = pyqtSignal(str)
    moved = pyqtSignal(str, str)

    def __init__(self, desk: Desk, in_hand: Callable[[], Part | None]) -> None:
        super().__init__()
        self.desk, self.in_hand = desk, in_hand
        self.setFixedHeight(round(theme.base * 7.2))
        self.setAccessibleName("Bins")
        self._shown: list[_Bin] = []
        self._pressed, self._at, self._from = "", QPointF(), QPointF()

    def look_again(self) -> None:
        """Paint the bins that are otherwise than they were painted."""
        before, now = self._shown, self._bins()
        if [bin.box for bin in before] != [bin.box for bin in now]:
            self.update()
        for was, bin in zip(before, now, strict=False):
            if was != bin:
                self.update(bin.box.toAlignedRect().adjusted(-2, -2, 2, 2))

    def _bins(self) -> list[_Bin]:
        """What the row shows."""
        batch, part = self.desk.batch, self.in_hand()
        lines = bins_in_order(batch)
        if part is None or not lines:
            return []
        here = lines.index(batch.line_of[part.ref])
        fits = max(3, int(self.width() / (theme.base * 10.5)))
        first = max(0, min(here - fits // 2, len(lines) - fits))
        width = self.width() / min(fits, len(lines))
        return [
            _Bin(
                QRectF(k * width, 1, width - 6, self.height() - 3),
                line.key,
                line.name,
                batch.bin_number[line.key],
                batch.left_in_bin(line.key),
                first + k == here,
                theme.tokens.name,
            )
            for k, line in enumerate(lines[first : first + fits])
        ]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._shown = self._bins()
        wanted = QRectF(event.rect() if event else self.rect())
        for bin in self._shown:
            if bin.box.intersects(wanted):
                self._bin(painter, bin)
        if self._dragging and (over := self.bin_at(self._at)):
            to = next(bin.box for bin in self._shown if bin.key == over)
            painter.setPen(QPen(theme.colour("brass"), 4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(to, 5, 5)

    def _bin(self, painter: QPainter, bin: _Bin) -> None:
        box, lit, left = bin.box, bin.lit, bin.left
        painter.setPen(QPen(theme.colour("ink" if lit else "hair"), 3 if lit else 1))
        painter.setBrush(theme.colour("brass_fill" if lit else "card"))
        painter.drawRoundedRect(box, 5, 5)
        token = "now_ground" if lit else "ink"
        words = f"bin {bin.number}, " + ("not counted" if left is None else f"{left} left")
        wide = box.width() - 8
        count = QRectF(box.x() + 4, box.bottom() - theme.base * 2.1, wide, theme.base * 2)
        plain_text(painter, count, shortened(words, wide, size="small"), "small", token, False, CENTRED)
        name = QRectF(box.x() + 4, box.y() + theme.base * 0.5, wide, theme.base * 4)
        plain_text(painter, name, shortened(bin.name, wide, 2, "body", True), "body", token, True, CENTRED)

    # the mouse

    @property
    def _dragging(self) -> bool:
        far = (self._at - self._from).manhattanLength() >= QApplication.startDragDistance()
        return bool(self._pressed) and far

    def bin_at(self, at: QPointF) -> str:
        """The key of the bin under a point, '' between them."""
        return next((bin.key for bin in self._shown if bin.box.contains(at)), "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._at = self._from = event.position()
            self._pressed = self.bin_at(self._at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._pressed:
            self._at = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor if self._dragging else Qt.CursorShape.ArrowCursor)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self._pressed:
            return
        self._at = event.position()
        was, dragged, over = self._pressed, self._dragging, self.bin_at(self._at)
        self._pressed = ""
        self.unsetCursor()
        self.update()
        if dragged and over and over != was:
            self.moved.emit(was, over)
        elif not dragged:
            self.taken.emit(was)
