"""Rows and columns painted on a card: a header, one row lit, scrolled so that it is in view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPen, QWheelEvent

from fusilex.core.judgement import Level
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text


@dataclass(frozen=True)
class Column:
    """`share` of the width; numbers stand right."""

    title: str
    share: float
    right: bool = False


class Rows(Card):
    """Set `columns` once and `rows` when they change; `marks` gives a row a judgement shape. `chosen` follows keys
    and clicks.
    """

    picked = pyqtSignal(int)

    def __init__(self, title: str, columns: Sequence[Column] = (), empty: str = "") -> None:
        super().__init__()
        self.title, self.columns, self.empty = title, list(columns), empty
        self.rows: list[tuple[str, ...]] = []
        self.marks: list[Level | None] = []
        self.chosen = 0
        self._first = 0
        self.setAccessibleName(title)

    def show_rows(self, rows: Sequence[tuple[str, ...]], marks: Sequence[Level | None] = ()) -> None:
        self.rows, self.marks = list(rows), list(marks)
        self.chosen = max(0, min(self.chosen, len(self.rows) - 1))
        lit = ", ".join(self.rows[self.chosen]) if self.rows else self.empty
        self.setAccessibleName(f"{self.title}: {lit}")
        self.update()

    def step(self, step: int) -> None:
        if self.rows:
            self.chosen = max(0, min(len(self.rows) - 1, self.chosen + step))
            self.picked.emit(self.chosen)
            self.update()

    @property
    def _line(self) -> float:
        return theme.base * 2.5

    @property
    def _top(self) -> float:
        return theme.base * 5.6

    def _fits(self) -> int:
        return max(1, int((self.height() - self._top - 8) / self._line))

    def draw(self, painter: QPainter) -> None:
        plain_text(painter, QRectF(16, 10, self.width() - 32, theme.base * 2.4), self.title, "lead", "ink", True)
        if not self.rows:
            plain_text(painter, QRectF(16, 14 + theme.base * 3, self.width() - 32, 200), self.empty, "body", "soft")
            return
        edges = self._edges()
        for column, (x, width) in zip(self.columns, edges, strict=True):
            self._cell(
                painter,
                QRectF(x, theme.base * 3.5, width, self._line),
                column.title,
                "small",
                "soft",
                False,
                column.right,
            )
        fits = self._fits()
        self._first = max(0, min(self._first, len(self.rows) - fits, self.chosen))
        self._first = max(self._first, self.chosen - fits + 1)
        for k, row in enumerate(self.rows[self._first : self._first + fits]):
            y, index = self._top + k * self._line, self._first + k
            if index == self.chosen:
                painter.setPen(QPen(theme.colour("ink"), 1.5))
                painter.setBrush(theme.colour("brass_fill", 70))
                painter.drawRoundedRect(QRectF(8, y, self.width() - 16, self._line - 2), 5, 5)
            if index < len(self.marks) and (mark := self.marks[index]) is not None:
                judgement_mark(painter, QPointF(20, y + self._line / 2 - 1), 5, mark)
            for column, (x, width), text in zip(self.columns, edges, row, strict=False):
                self._cell(
                    painter,
                    QRectF(x, y, width, self._line - 2),
                    text,
                    "body",
                    "ink",
                    index == self.chosen and x == edges[0][0],
                    column.right,
                )
        if len(self.rows) > fits:
            words = f"{self._first + 1} to {min(len(self.rows), self._first + fits)} of {len(self.rows)}"
            plain_text(
                painter,
                QRectF(16, 12, self.width() - 32, 24),
                words,
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignRight,
            )

    def _edges(self) -> list[tuple[float, float]]:
        left = 34.0 if self.marks else 18.0
        room = self.width() - left - 18.0
        total = sum(c.share for c in self.columns)
        edges, x = [], left
        for column in self.columns:
            width = room * column.share / total
            edges.append((x, width - 10))
            x += width
        return edges

    def _cell(self, painter: QPainter, box: QRectF, text: str, size: str, token: str, bold: bool, right: bool) -> None:
        painter.setFont(theme.font(size, bold))
        painter.setPen(theme.colour(token))
        shown = QFontMetricsF(theme.font(size, bold)).elidedText(text, Qt.TextElideMode.ElideRight, box.width())
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        painter.drawText(box, int(side | Qt.AlignmentFlag.AlignVCenter), shown)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and self.rows:
            index = self._first + int((event.position().y() - self._top) // self._line)
            if event.position().y() >= self._top and 0 <= index < len(self.rows):
                self.step(index - self.chosen)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event:
            self.step(-1 if event.angleDelta().y() > 0 else 1)
