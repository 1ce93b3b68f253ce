"""Rows and columns painted on a card: a header, one row lit, scrolled so that it is in view."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPen, QWheelEvent

from fusilex.core.evidence import Level
from fusilex.core.shown import shown
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, shortened, text_height

MOST_LINES = 3


class Column(Struct, frozen=True):
    """`share` of the width that numbers leave; numbers stand right, and are never cut."""

    title: str
    share: float
    right: bool = False


class Rows(Card):
    """Set `columns` once and `rows` when they change; `marks` gives a row a judgement shape. `chosen` follows keys and
    clicks. Where there is no room for all words beside one another, they wrap.
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
    def _top(self) -> float:
        return theme.base * 5.6

    def _line(self) -> float:
        """Height of a row: as many lines as its longest cell takes."""
        edges = self._edges()
        one = QFontMetricsF(theme.font()).height()
        lines = 1
        for row in self.rows:
            for (_, width), text in zip(edges, row, strict=False):
                if len(text) * theme.base > width:
                    lines = max(lines, round(text_height(text, width) / one))
        return theme.base * 2.5 + (min(lines, MOST_LINES) - 1) * one

    def draw(self, painter: QPainter) -> None:
        wide = self.width() - 32.0
        plain_text(painter, QRectF(16, 10, wide, theme.base * 2.4), self.title, "lead", "ink", True)
        if not self.rows:
            plain_text(painter, QRectF(16, 14 + theme.base * 3, wide, 200), self.empty, "body", "soft")
            return
        edges, line = self._edges(), self._line()
        for column, (x, width) in zip(self.columns, edges, strict=True):
            box = QRectF(x, theme.base * 3.5, width, theme.base * 2.4)
            self._cell(painter, box, column.title, "small", "soft", False, column.right)
        fits = max(1, int((self.height() - self._top - 8) / line))
        self._first = max(0, min(self._first, len(self.rows) - fits, self.chosen))
        self._first = max(self._first, self.chosen - fits + 1)
        for k, row in enumerate(self.rows[self._first : self._first + fits]):
            self._row(painter, self._first + k, row, self._top + k * line, line, edges)
        if len(self.rows) > fits:
            words = f"{self._first + 1} to {min(len(self.rows), self._first + fits)} of {len(self.rows)}"
            box = QRectF(16, 12, wide, theme.base * 2.4)
            plain_text(painter, box, words, "small", "soft", False, Qt.AlignmentFlag.AlignRight)

    def _row(
        self,
        painter: QPainter,
        index: int,
        row: tuple[str, ...],
        y: float,
        line: float,
        edges: Sequence[tuple[float, float]],
    ) -> None:
        lit = index == self.chosen
        if lit:
            painter.setPen(QPen(theme.colour("ink"), 1.5))
            painter.setBrush(theme.colour("brass_fill", 70))
            painter.drawRoundedRect(QRectF(8, y, self.width() - 16, line - 2), 5, 5)
        if index < len(self.marks) and (mark := self.marks[index]) is not None:
            judgement_mark(painter, QPointF(20, y + line / 2 - 1), 5, mark)
        for n, (column, (x, width), text) in enumerate(zip(self.columns, edges, row, strict=False)):
            self._cell(painter, QRectF(x, y, width, line - 2), text, "body", "ink", lit and n == 0, column.right)

    def _edges(self) -> list[tuple[float, float]]:
        """Left edge and width of each column: numbers and short names get what they need, words share the rest."""
        left = 34.0 if self.marks else 18.0
        room = self.width() - left - 18.0
        metrics = QFontMetricsF(theme.font("body", True))
        needs = [
            max([metrics.horizontalAdvance(row[n]) for row in self.rows[:200] if n < len(row)] or [0.0]) + 12
            for n in range(len(self.columns))
        ]
        needs = [max(w, metrics.horizontalAdvance(c.title) + 12) for w, c in zip(needs, self.columns, strict=True)]
        total = sum(c.share for c in self.columns)
        widths = [room * c.share / total for c in self.columns]
        fixed = [c.right or need <= theme.base * 6 for c, need in zip(self.columns, needs, strict=True)]
        if any(need > width for need, width in zip(needs, widths, strict=True)) and not all(fixed):
            spare = room - sum(need for need, f in zip(needs, fixed, strict=True) if f)
            words = sum(c.share for c, f in zip(self.columns, fixed, strict=True) if not f)
            widths = [
                need if f else max(theme.base * 5, spare * c.share / words)
                for c, need, f in zip(self.columns, needs, fixed, strict=True)
            ]
        edges, x = [], left
        for width in widths:
            edges.append((x, width - 10))
            x += width
        return edges

    def _cell(self, painter: QPainter, box: QRectF, text: str, size: str, token: str, bold: bool, right: bool) -> None:
        painter.setFont(theme.font(size, bold))
        painter.setPen(theme.colour(token))
        words = shortened(shown(text, lines=True), box.width(), MOST_LINES, size, bold)
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        wrap = Qt.TextFlag.TextDontClip if right else Qt.TextFlag.TextWordWrap
        painter.drawText(box, int(side | Qt.AlignmentFlag.AlignVCenter) | wrap, words)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and self.rows:
            index = self._first + int((event.position().y() - self._top) // self._line())
            if event.position().y() >= self._top and 0 <= index < len(self.rows):
                self.step(index - self.chosen)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event:
            self.step(-1 if event.angleDelta().y() > 0 else 1)
