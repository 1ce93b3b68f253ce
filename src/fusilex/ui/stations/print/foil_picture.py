"""Two loupes through the foil, far apart, and between them the panel with its hinge and what to move."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from msgspec import Struct, field
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.bench.stations.print.stencil import Place, Sheet
from fusilex.core.judgement import Judgement
from fusilex.core.panel.layout import Panel
from fusilex.core.printing.alignment import Move
from fusilex.core.quantities import write_fixed, write_length
from fusilex.ui.canvas.paths import paths_of
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, shortened

CENTRE = Qt.AlignmentFlag.AlignHCenter
LEAST_FIELD, MOST_FIELD, WIDTHS = 2.4, 7.0, 13.0


class Shown(Struct):
    """What the picture shows: places (two of them in the loupes), what is seen there, and what follows from it."""

    sheet: Sheet
    panel: Panel
    places: Sequence[Place]
    current: int
    seen: dict[Place, tuple[float, float]]
    noted: set[Place]
    hinge: str
    holding: str
    moves: Sequence[Move] = ()
    below: bool = False
    times: int = 1
    judged: Sequence[Judgement] = ()
    fit: str = ""
    lines: list[str] = field(default_factory=list)


class FoilPicture(QWidget):
    """Paints what it was handed; a drag in a loupe says how far the paste picture was pulled (mm)."""

    dragged = pyqtSignal(float, float)
    taken = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.shown: Shown | None = None
        self._loupes: list[tuple[int, QRectF, float]] = []
        self._drag: QPointF | None = None
        self._kept: dict[tuple[int, Place, float], tuple[list[QPainterPath], list[QPainterPath], str]] = {}
        self.setMinimumHeight(round(theme.base * 30))
        self.setAccessibleName("The foil in two loupes")

    def show_foil(self, shown: Shown) -> None:
        if self.shown is None or self.shown.sheet is not shown.sheet:
            self._kept.clear()
        self.shown = shown
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("bench"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        if self.shown is None:
            return
        self._loupes = []
        if not self.shown.places:
            told = "This side has too few openings to see in how the foil lies: align it by eye."
            plain_text(painter, QRectF(20, 20, self.width() - 40, 60), told, "lead", "soft")
            return
        foot = theme.base * 9.4
        words = theme.base * 5.0
        middle = max(self.width() * 0.34, theme.base * 17)
        size = min((self.width() - middle) / 2 - 20, self.height() - foot - words - 16)
        first = self.shown.current - self.shown.current % 2
        for n, left in ((first, 10.0), (first + 1, self.width() - size - 10.0)):
            if n < len(self.shown.places):
                self._loupe(painter, n, QRectF(left, 10, size, size), words)
        self._middle(painter, QRectF(size + 24, 10, self.width() - 2 * size - 48, size + words))
        self._verdict(painter, QRectF(14, self.height() - foot, self.width() - 28, foot - 8))

    def _loupe(self, painter: QPainter, n: int, circle: QRectF, words: float) -> None:
        shown = self.shown
        assert shown is not None
        place = shown.places[n]
        pads, apertures, name, span = self._near(place)
        scale = circle.width() / span
        dx, dy = shown.seen.get(place, (0.0, 0.0))
        clip = QPainterPath()
        clip.addEllipse(circle)
        painter.save()
        painter.setClipPath(clip)
        painter.fillRect(circle, theme.colour("board"))
        painter.translate(circle.center())
        painter.scale(scale, -scale)
        painter.translate(-place[0], -place[1])
        for path in pads:
            painter.fillPath(path, theme.colour("gold"))
        painter.translate(dx * shown.times, dy * shown.times)
        painter.setPen(QPen(theme.colour("silk"), 2.0 / scale))
        painter.setBrush(theme.colour("paste", 130))
        for path in apertures:
            painter.drawPath(path)
        painter.restore()
        lit = n == shown.current
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("brass" if lit else "ink"), 5 if lit else 3))
        painter.drawEllipse(circle)
        self._bar(painter, circle, scale)
        under = QRectF(circle.left() - 8, circle.bottom() + 6, circle.width() + 16, theme.base * 2.2)
        plain_text(
            painter, under, f"{name}{'' if place in shown.noted else '  not noted yet'}", "body", "ink", True, CENTRE
        )
        plain_text(painter, under.translated(0, theme.base * 2.1), said_offset(dx, dy), "body", "soft", False, CENTRE)
        self._loupes.append((n, circle, scale))

    def _near(self, place: Place) -> tuple[list[QPainterPath], list[QPainterPath], str, float]:
        """Pads and apertures round a place, whose it is, and the width of the field (mm)."""
        assert self.shown is not None
        sheet = self.shown.sheet
        apertures = sheet.apertures
        i = int(np.argmin(np.hypot(apertures.x - place[0], apertures.y - place[1])))
        span = min(max(WIDTHS * float(apertures.width[i]), LEAST_FIELD), MOST_FIELD)
        key = (id(sheet), place, span)
        if key not in self._kept:
            box = shapely.box(*(c - span for c in place), *(c + span for c in place))
            near = [
                paths_of(shapes[shapely.intersects(shapes, box)]) if len(shapes) else []
                for shapes in (sheet.pads, apertures.polygons)
            ]
            self._kept[key] = near[0], near[1], apertures.refs[i]
        pads, holes, ref = self._kept[key]
        return pads, holes, f"{ref} pad {apertures.pins[i]}" if ref else "an opening", span

    def _bar(self, painter: QPainter, circle: QRectF, scale: float) -> None:
        length = 0.5 if circle.width() / scale < 5 else 1.0
        y, half = circle.bottom() - circle.height() * 0.11, length * scale / 2
        times = f", drawn {self.shown.times} times as far" if self.shown and self.shown.times > 1 else ""
        wide = theme.base * (9 if times else 3.4)
        painter.setPen(Qt.PenStyle.NoPen)  # a plate: the bar may lie over pads
        painter.setBrush(theme.colour("board", 215))
        painter.drawRoundedRect(
            QRectF(circle.center().x() - wide, y - theme.base * 2, 2 * wide, theme.base * 2.6), 4, 4
        )
        painter.setPen(QPen(theme.colour("silk"), 2))
        painter.drawLine(QPointF(circle.center().x() - half, y), QPointF(circle.center().x() + half, y))
        box = QRectF(circle.center().x() - wide, y - theme.base * 2, 2 * wide, theme.base * 2)
        plain_text(painter, box, f"{write_fixed(length, 'mm', 2)}{times}", "small", "silk", False, CENTRE)

    def _middle(self, painter: QPainter, box: QRectF) -> None:
        """The panel as it lies, with the hinge and an arrow for each end that has to move."""
        shown = self.shown
        assert shown is not None
        panel = shown.panel
        text = theme.base * 7.4
        room = box.adjusted(theme.base * 5.2, theme.base * 7.0, -theme.base * 5.2, -text)
        scale = min(room.width() / panel.width, room.height() / panel.height)
        at = QRectF(0, 0, panel.width * scale, panel.height * scale)
        at.moveCenter(room.center())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("track"))
        painter.drawRect(at)
        painter.setBrush(theme.colour("board"))
        for cell in panel.cells:
            x0, y0, x1, y1 = panel.box(cell)
            x0, x1 = (panel.width - x1, panel.width - x0) if shown.below else (x0, x1)
            painter.drawRect(
                QRectF(at.left() + x0 * scale, at.bottom() - y1 * scale, (x1 - x0) * scale, (y1 - y0) * scale)
            )
        thick = theme.base * 0.9
        bar = {
            "top": QRectF(at.left() - 4, at.top() - thick - 4, at.width() + 8, thick),
            "bottom": QRectF(at.left() - 4, at.bottom() + 4, at.width() + 8, thick),
            "left": QRectF(at.left() - thick - 4, at.top() - 4, thick, at.height() + 8),
            "right": QRectF(at.right() + 4, at.top() - 4, thick, at.height() + 8),
        }[shown.hinge]
        painter.setBrush(theme.colour("brass_fill" if shown.holding == "tape" else "metal"))
        painter.drawRect(bar)
        what = "tape as hinge" if shown.holding == "tape" else "frame with stops"
        top = bar.top() - theme.base * 2.4 if shown.hinge != "bottom" else bar.bottom() + 4
        plain_text(painter, QRectF(box.left(), top, box.width(), theme.base * 2), what, "small", "soft", False, CENTRE)
        for n, (x, y) in enumerate(shown.places):
            dot = QPointF(at.left() + x * scale, at.bottom() - y * scale)
            painter.setPen(QPen(theme.colour("lit"), 1.6))
            painter.setBrush(theme.colour("brass" if n == shown.current else "board"))
            painter.drawEllipse(dot, 4.5, 4.5)
        for move in shown.moves:
            start = QPointF(at.left() + move.at[0] * scale, at.bottom() - move.at[1] * scale)
            _arrow(painter, start, move.x, move.y)
        under = QRectF(box.left(), box.bottom() - text + 6, box.width(), text)
        plain_text(painter, under, shown.fit, "body", "ink", False, CENTRE)

    def _verdict(self, painter: QPainter, box: QRectF) -> None:
        shown = self.shown
        assert shown is not None
        painter.setPen(QPen(theme.colour("hair"), 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, RADIUS, RADIUS)
        if not shown.judged:
            words = "Shift the pale openings until they lie as you see them in the loupe, at two places or more."
            plain_text(painter, box.adjusted(16, 10, -16, -6), words, "body", "soft")
            return
        worst = shown.judged[0]
        judgement_mark(painter, QPointF(box.left() + 22, box.top() + 22), 8, worst.level)
        wide = box.width() - 60
        head = shortened(worst.headline, wide, 1, "lead", True)
        plain_text(painter, QRectF(box.left() + 42, box.top() + 9, wide, 30), head, "lead", "ink", True)
        because = ", ".join(b.text() for b in worst.quantities)
        told = shortened(because, wide, 1, "body")
        line = theme.base * 2.3
        plain_text(painter, QRectF(box.left() + 42, box.top() + 9 + line, wide, 24), told, "body", "soft")
        words = "; ".join(m.words for m in shown.moves)
        plain_text(
            painter, QRectF(box.left() + 42, box.top() + 9 + 2 * line, wide, 24), shortened(words, wide), "body", "ink"
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for n, circle, _ in self._loupes:
            if event and circle.contains(event.position()):
                self._drag = event.position()
                self.taken.emit(n)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None or self.shown is None or not self._loupes:
            return
        scale = next((s for n, _, s in self._loupes if n == self.shown.current), self._loupes[0][2]) * self.shown.times
        step = event.position() - self._drag
        self._drag = event.position()
        self.dragged.emit(step.x() / scale, -step.y() / scale)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None


def said_offset(dx: float, dy: float) -> str:
    """``right 0.10  up 0.14 mm``: how far paste lies from its pad."""
    parts = [
        f"{plus if value > 0 else minus} {write_fixed(abs(value), 'mm', 2)}"
        for value, plus, minus in ((dx, "right", "left"), (dy, "up", "down"))
        if abs(value) >= 5e-4
    ]
    return "   ".join(parts) or "on its pad"


def _arrow(painter: QPainter, start: QPointF, dx: float, dy: float) -> None:
    """An arrow whose length grows with the root of the move, with its size beside it."""
    size = math.hypot(dx, dy)
    if size < 0.005:
        return
    reach = theme.base * (1.6 + 4.5 * math.sqrt(min(size, 1.0)))
    end = start + QPointF(dx / size * reach, -dy / size * reach)
    angle = math.atan2(end.y() - start.y(), end.x() - start.x())
    painter.setPen(QPen(theme.colour("stop"), 3))
    painter.drawLine(start, end)
    for turn in (2.6, -2.6):
        painter.drawLine(end, end + QPointF(9 * math.cos(angle + turn), 9 * math.sin(angle + turn)))
    words = write_length(round(size, 2))
    box = QRectF(0, 0, theme.base * 7, theme.base * 1.9)
    aside = QPointF(0, theme.base * (1.5 if dy < 0 else -1.5))  # clear of an arrow that lies level
    beyond = aside if abs(dy) <= abs(dx) else (end - start) * (theme.base * 1.5 / reach)
    box.moveCenter(end + beyond)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("bench", 230))
    painter.drawRoundedRect(box, 4, 4)
    plain_text(painter, box, words, "small", "stop", True, CENTRE)
