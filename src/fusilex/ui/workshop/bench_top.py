"""The bench seen from above: every tool where it stands, marked where it wants looking after."""

from __future__ import annotations

from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen

from fusilex.bench.workshop.record_kinds import KINDS
from fusilex.bench.workshop.records import Records
from fusilex.bench.workshop.watch import watch
from fusilex.core.judgement import worst_first
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text

COLUMNS = 6
ROWS = -(-len(KINDS) // COLUMNS)
PLACES = {kind: (n % COLUMNS, n // COLUMNS) for n, kind in enumerate(KINDS)}
"""Where each kind stands: column and row."""


class BenchTop(Card):
    """Emits the kind that was clicked."""

    chosen = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.kind = desk, "jar"
        self.setAccessibleName("The workshop's bench")
        self.setMinimumHeight(round(theme.base * 24))

    def box(self, kind: str) -> QRectF:
        column, row = PLACES[kind]
        wide, high = (self.width() - 24) / COLUMNS, (self.height() - 24) / ROWS
        return QRectF(12 + column * wide, 12 + row * high, wide - 8, high - 8)

    def step(self, dx: int, dy: int) -> str:
        """The kind beside the one in hand."""
        column, row = PLACES[self.kind]
        wanted = (column + dx) % COLUMNS, (row + dy) % ROWS
        there = {place: kind for kind, place in PLACES.items()}
        while wanted not in there:
            wanted = ((wanted[0] + (dx or -1)) % COLUMNS, wanted[1])
        return there[wanted]

    def draw(self, painter: QPainter) -> None:
        batch = self.desk.batch
        for kind, made in KINDS.items():
            box, here = self.box(kind), kind == self.kind
            painter.setPen(QPen(theme.colour("ink" if here else "hair"), 2.5 if here else 1))
            painter.setBrush(theme.colour("bench"))
            painter.drawRoundedRect(box, 6, 6)
            art = QRectF(box.x() + 8, box.y() + 8, box.width() - 16, box.height() - theme.base * 3 - 8)
            painter.save()
            self._tool(painter, kind, art)
            painter.restore()
            count = len(batch.workshop[Records].all(made))
            name = QRectF(box.x() + 4, box.bottom() - theme.base * 2.6, box.width() - 8, theme.base * 2.4)
            words = f"{made.title}  {count}"
            plain_text(painter, name, words, "body", "ink", here, Qt.AlignmentFlag.AlignHCenter)
            if judged := worst_first(watch(batch, made)):
                judgement_mark(painter, QPointF(box.right() - 14, box.y() + 14), 7, judged[0].level)

    def _tool(self, painter: QPainter, kind: str, box: QRectF) -> None:
        """A plain drawing of the tool from above."""
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.setBrush(theme.colour("card"))
        middle, size = box.center(), min(box.width(), box.height())
        if kind in ("jar", "paste"):
            painter.drawEllipse(middle, size * 0.4, size * 0.4)
            painter.setBrush(theme.colour("paste"))
            painter.drawEllipse(middle, size * 0.28, size * 0.28)
        elif kind == "stencil":
            frame = QRectF(middle.x() - size * 0.7, middle.y() - size * 0.4, size * 1.4, size * 0.8)
            painter.drawRect(frame)
            painter.setBrush(theme.colour("metal"))
            painter.drawRect(frame.adjusted(size * 0.1, size * 0.1, -size * 0.1, -size * 0.1))
        elif kind in ("needle", "air"):
            painter.drawRoundedRect(QRectF(middle.x() - size * 0.7, middle.y() - size * 0.12, size, size * 0.24), 4, 4)
            tip = QPointF(middle.x() + size * 0.7, middle.y())
            painter.drawLine(QPointF(middle.x() + size * 0.3, middle.y()), tip)
            if kind == "air":
                painter.drawEllipse(tip, size * 0.12, size * 0.12)
        elif kind == "held":
            for n in range(4):
                high = size * (0.18 + 0.16 * n)
                left = middle.x() + (n - 2) * size * 0.32
                painter.drawRect(QRectF(left, middle.y() + size * 0.36 - high, size * 0.28, high))
        elif kind == "window":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            points = ((-0.7, 0.35), (-0.4, 0.05), (0.1, -0.05), (0.35, -0.35), (0.5, -0.35), (0.7, 0.3))
            for a, b in pairwise(points):
                start = QPointF(middle.x() + a[0] * size, middle.y() + a[1] * size)
                painter.drawLine(start, QPointF(middle.x() + b[0] * size, middle.y() + b[1] * size))
        elif kind == "placer":
            bed = QRectF(middle.x() - size * 0.6, middle.y() - size * 0.35, size * 1.2, size * 0.7)
            painter.drawRect(bed)
            for n in range(6):
                painter.drawEllipse(
                    QPointF(bed.x() + (n + 0.5) * bed.width() / 6, bed.bottom()), size * 0.07, size * 0.07
                )
            painter.setBrush(theme.colour("board"))
            painter.drawRect(bed.adjusted(size * 0.3, size * 0.12, -size * 0.3, -size * 0.2))
        elif kind == "oven":
            outer = QRectF(middle.x() - size * 0.6, middle.y() - size * 0.38, size * 1.2, size * 0.76)
            painter.drawRoundedRect(outer, 5, 5)
            painter.setBrush(theme.colour("care", 90))
            painter.drawRect(outer.adjusted(size * 0.12, size * 0.12, -size * 0.34, -size * 0.12))
        elif kind == "microscope":
            for dx in (-0.2, 0.2):
                painter.drawEllipse(QPointF(middle.x() + dx * size, middle.y()), size * 0.17, size * 0.17)
        elif kind == "instrument":
            body = QRectF(middle.x() - size * 0.32, middle.y() - size * 0.4, size * 0.64, size * 0.8)
            painter.drawRoundedRect(body, 4, 4)
            painter.setBrush(theme.colour("solder"))
            painter.drawRect(QRectF(body.x() + 5, body.y() + 5, body.width() - 10, body.height() * 0.3))
        elif kind in ("blade", "scrap"):
            long, wide = (size * 0.7, size * 0.12) if kind == "blade" else (size * 0.55, size * 0.28)
            painter.setBrush(theme.colour("metal" if kind == "blade" else "board"))
            painter.drawRect(QRectF(middle.x() - long, middle.y() - wide, 2 * long, 2 * wide))
        elif kind in ("firmware", "pins"):
            body = QRectF(middle.x() - size * 0.28, middle.y() - size * 0.28, size * 0.56, size * 0.56)
            for n in range(4 if kind == "firmware" else 2):
                y = body.y() + (n + 0.5) * body.height() / (4 if kind == "firmware" else 2)
                painter.drawLine(QPointF(body.x() - size * 0.14, y), QPointF(body.right() + size * 0.14, y))
            painter.setBrush(theme.colour("ink" if kind == "firmware" else "card"))
            painter.drawRect(body)
        elif kind == "fixture":
            for n in range(5):
                x = middle.x() + (n - 2) * size * 0.26
                painter.drawLine(QPointF(x, middle.y() + size * 0.3), QPointF(x, middle.y() - size * 0.2))
                painter.drawEllipse(QPointF(x, middle.y() - size * 0.26), size * 0.07, size * 0.07)
        elif kind == "power":
            for dx, token in ((-0.28, "stop"), (0.28, "ink")):
                painter.setBrush(theme.colour(token))
                painter.drawEllipse(QPointF(middle.x() + dx * size, middle.y()), size * 0.16, size * 0.16)
        elif kind == "label":
            tag = QRectF(middle.x() - size * 0.6, middle.y() - size * 0.3, size * 1.2, size * 0.6)
            painter.drawRoundedRect(tag, 4, 4)
            painter.setBrush(theme.colour("ink"))
            painter.drawRect(QRectF(tag.x() + size * 0.1, tag.y() + size * 0.1, size * 0.4, size * 0.4))
        elif kind == "costs":
            for n in range(3):
                at = QPointF(middle.x() + (n - 1) * size * 0.24, middle.y() + (1 - n) * size * 0.08)
                painter.drawEllipse(at, size * 0.22, size * 0.22)
        elif kind == "person":
            painter.drawEllipse(QPointF(middle.x(), middle.y() + size * 0.05), size * 0.34, size * 0.2)
            painter.drawEllipse(QPointF(middle.x(), middle.y() - size * 0.08), size * 0.16, size * 0.16)
        else:
            page = QRectF(middle.x() - size * 0.3, middle.y() - size * 0.38, size * 0.6, size * 0.76)
            painter.drawRect(page)
            for n in range(4):
                y = page.y() + (n + 1) * page.height() / 5
                painter.drawLine(QPointF(page.x() + 6, y), QPointF(page.right() - 6, y))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for kind in KINDS:
            if event and self.box(kind).contains(event.position()):
                self.chosen.emit(kind)
                return
