"""The rack of batches: each with its board and its route, newest first; type to find a design, serial or lot."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from fusilex.bench.record.batch_list import Glance, Listed, glance, listed
from fusilex.bench.report.papers import local_time
from fusilex.core.problems import BadInput
from fusilex.journal.store import Journal
from fusilex.ui.frame.batches.thumbnails import kept
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.widgets.glyphs import plain_text, shortened
from fusilex.ui.widgets.words import plain_label

ROLE = Qt.ItemDataRole.UserRole
CENTRED = Qt.AlignmentFlag.AlignHCenter


class Row(QStyledItemDelegate):
    """Paints one batch: the board at the left, the route with its counts at the right."""

    def __init__(self, journal: Journal, here: int) -> None:
        super().__init__()
        self.journal, self.here = journal, here
        self._seen: dict[int, Glance | str] = {}
        self._boards: dict[str, QPixmap | None] = {}

    def glance(self, batch: int) -> Glance | str:
        """What a batch looks like, or why nobody can tell; looked up when it is first in view."""
        if batch not in self._seen:
            try:
                self._seen[batch] = glance(self.journal, batch)
            except BadInput as problem:
                self._seen[batch] = f"{problem} Enter shows it as far as it can be read."
        return self._seen[batch]

    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        return QSize(100, round(theme.base * 8.4))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        assert painter
        row: Listed = index.data(ROLE)  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        box = QRectF(option.rect).adjusted(3, 3, -3, -3)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("ink" if chosen else "hair"), 2.5 if chosen else 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        seen = self.glance(row.id)
        plate = QRectF(box.x() + 8, box.y() + 8, theme.base * 9.4, box.height() - 16)
        if isinstance(seen, Glance):
            self._board(painter, plate, seen.files)
        left = plate.right() + 14
        room = box.right() - left - 12
        here = "on the screen" if row.id == self.here else ""
        state = ", ".join(word for word in (here, row.words) if word)
        told = f"opened {local_time(row.opened_at)}" + (f"    {state}" if state else "")
        line = QRectF(left, box.y() + 8, room, theme.base * 2.2)
        plain_text(painter, line, shortened(row.name, room * 0.5, 1, "lead", True), "lead", "ink", True)
        plain_text(painter, line, told, "small", "soft", False, Qt.AlignmentFlag.AlignRight)
        if isinstance(seen, Glance):
            self._route(painter, QRectF(left, line.bottom(), room, box.bottom() - line.bottom()), seen)
        else:
            plain_text(painter, line.translated(0, theme.base * 2.6), shortened(seen, room, 2), "body", "stop")
        painter.restore()

    def _board(self, painter: QPainter, plate: QRectF, files: str) -> None:
        if files not in self._boards:
            self._boards[files] = kept(files)
        picture = self._boards[files]
        if picture is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("board"))
            painter.drawRoundedRect(plate, 4, 4)
            return
        scale = min(plate.width() / picture.width(), plate.height() / picture.height())
        size = picture.size() * scale
        at = QRectF(plate.center().x() - size.width() / 2, plate.center().y() - size.height() / 2, 1, 1)
        painter.drawPixmap(QRectF(at.x(), at.y(), size.width(), size.height()), picture, QRectF(picture.rect()))

    def _route(self, painter: QPainter, box: QRectF, seen: Glance) -> None:
        """The line small: a pad a step, boards on it; boards that are done at its end."""
        pads = [*seen.counts, ("Done", seen.done)]
        pitch, y = box.width() / len(pads), box.y() + theme.base * 1.6
        painter.setPen(QPen(theme.colour("brass"), 4))
        painter.drawLine(QPointF(box.x() + pitch / 2, y), QPointF(box.right() - pitch / 2, y))
        for n, (name, count) in enumerate(pads):
            at = QPointF(box.x() + (n + 0.5) * pitch, y)
            radius = theme.base * (1.05 if count else 0.5)
            painter.setPen(QPen(theme.colour("solder" if name == "Done" else "brass"), 2))
            painter.setBrush(theme.colour("card"))
            painter.drawEllipse(at, radius, radius)
            if count:
                place = QRectF(at.x() - 24, at.y() - theme.base * 0.85, 48, 22)
                plain_text(painter, place, str(count), "small", "ink", True, CENTRED)
                below = QRectF(at.x() - 50, at.y() + theme.base * 1.2, 100, 22)
                plain_text(painter, below, name, "tiny", "soft", False, CENTRED)


class Batches(QDialog):
    """Chosen by Enter or a double click. `act` does something with the batch in hand: rename, rest, write."""

    def __init__(self, parent: QWidget, journal: Journal, here: int, act: Callable[[str, Listed], None]) -> None:
        super().__init__(parent)
        self.journal, self.act = journal, act
        self.chosen: int | None = None
        self.setWindowTitle("Batches")
        self.resize(round(theme.base * 96), round(theme.base * 60))
        self.line, self.rack = QLineEdit(), QListWidget()
        self.line.setPlaceholderText("Find a design, serial, lot, or a state such as paused")
        self.line.setAccessibleName("Find a batch")
        self.rack.setAccessibleName("Batches")
        self.rack.setItemDelegate(Row(journal, here))
        self.rack.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.rack.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        keys = "Enter  open    F2  rename    F5  pause or take up    F6  close    F7  put away    F8  write as a zip"
        self.said = plain_label(keys, wrapped=True)
        column = QVBoxLayout(self)
        for widget in (self.line, self.rack, self.said):
            column.addWidget(widget)
        self.line.textChanged.connect(self.show_found)
        self.rack.itemDoubleClicked.connect(lambda _: self._open())
        self.show_found()
        self.line.setFocus()

    def show_found(self, text: str = "") -> None:
        """Batches that have the text; the first one is in hand."""
        self.rack.clear()
        for row in listed(self.journal, text or self.line.text()):
            item = QListWidgetItem()
            item.setData(ROLE, row)
            item.setText(row.name)
            self.rack.addItem(item)
        self.rack.setCurrentRow(0)

    @property
    def row(self) -> Listed | None:
        """The batch in hand."""
        item = self.rack.currentItem()
        return item.data(ROLE) if item else None

    def _open(self) -> None:
        if self.row:
            self.chosen = self.row.id
            self.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        acts = {Qt.Key.Key_F2: "rename", Qt.Key.Key_F5: "pause", Qt.Key.Key_F6: "close", Qt.Key.Key_F7: "archive"}
        acts[Qt.Key.Key_F8] = "write"
        key, count = Qt.Key(event.key()), self.rack.count()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open()
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up) and count:
            by = 1 if key == Qt.Key.Key_Down else -1
            self.rack.setCurrentRow(max(0, min(count - 1, self.rack.currentRow() + by)))
        elif key in acts and self.row:
            at = self.rack.currentRow()
            self.act(acts[key], self.row)
            self.show_found()
            self.rack.setCurrentRow(min(at, self.rack.count() - 1))
        else:
            super().keyPressEvent(event)
