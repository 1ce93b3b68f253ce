"""A line's part three times: as it lies in its tape, as the head turns it, and as it lands on its pads."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.core.design.model import Part
from fusilex.core.machine.motion import short_turn
from fusilex.core.machine.tapes import Tape
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.canvas.paths import paths_of
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text, text_height

CENTRE = Qt.AlignmentFlag.AlignHCenter


class LyingCard(Card):
    """Set by `show_part`."""

    def __init__(self) -> None:
        super().__init__()
        self.part: Part | None = None
        self.tape: Tape | None = None
        self.fixed, self.words = 0.0, ""
        self.setMinimumHeight(round(theme.base * 12))
        self.setAccessibleName("How the part lies")

    def show_part(self, part: Part, tape: Tape | None, fixed: float, words: str) -> None:
        self.part, self.tape, self.fixed, self.words = part, tape, fixed, words
        self.setAccessibleName(f"How {part.ref} lies: {words}")
        self.update()

    @property
    def turn(self) -> float:
        """How far the head turns it, degrees to the left."""
        assert self.part is not None and self.tape is not None
        return float(short_turn(self.part.rotation_deg - self.tape.turn + self.fixed))

    def draw(self, painter: QPainter) -> None:
        if self.part is None:
            return
        width = self.width() - 28.0
        words = text_height(self.words, width, "small")
        plain_text(painter, QRectF(14, self.height() - words - 8, width, words), self.words, "small", "soft")
        if self.tape is None:
            return
        room = self.height() - words - 20 - theme.base * 2.4
        third = width / 3
        part = self.part
        size = max(part.package.size_x, part.package.size_y, 0.8)
        scale = min(room, third) / (2.6 * size)
        sure = "" if self.tape.sure else " (usual; look)"
        for k, (title, turned, pads) in enumerate(
            (
                (f"in its tape{sure}", self.tape.turn - self.fixed, False),
                (
                    f"turned {abs(self.turn):g}° {'left' if self.turn >= 0 else 'right'}"
                    if self.turn
                    else "not turned",
                    None,
                    False,
                ),
                (f"{part.ref} on its pads", part.rotation_deg, True),
            )
        ):
            middle = QPointF(14 + third * (k + 0.5), 10 + room / 2)
            plain_text(
                painter, QRectF(14 + third * k, 14 + room, third, theme.base * 2.2), title, "body", "ink", True, CENTRE
            )
            if turned is None:
                self._arrow(painter, middle, min(room, third) / 4)
                continue
            painter.save()
            painter.translate(middle)
            painter.scale(-scale if pads and part.side == "bottom" else scale, -scale)
            if pads:
                self._pads(painter, part)
            else:
                self._pocket(painter, size)
            ground = replace(part, x=0.0, y=0.0, rotation_deg=turned, side=part.side if pads else "top", pads=())
            painter.setBrush(Qt.BrushStyle.NoBrush)
            draw_part(painter, ground)
            painter.restore()

    def _pocket(self, painter: QPainter, size: float) -> None:
        """The pocket with the holes of the tape above it."""
        pen = QPen(theme.colour("soft"), 1.5)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(theme.colour("bench"))
        half = 0.72 * size
        painter.drawRect(QRectF(-half, -half, 2 * half, 2 * half))
        for x in (-0.9 * size, 0.0, 0.9 * size):
            painter.drawEllipse(QPointF(x, 1.05 * size), 0.14 * size, 0.14 * size)

    def _pads(self, painter: QPainter, part: Part) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("gold"))
        painter.save()
        painter.translate(-part.x, -part.y)
        for path in paths_of([pad.polygon for pad in part.pads]):
            painter.drawPath(path)
        painter.restore()

    def _arrow(self, painter: QPainter, middle: QPointF, radius: float) -> None:
        painter.setPen(QPen(theme.colour("brass"), 4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
        painter.drawArc(box, 90 * 16, round(self.turn * 16))
        painter.setPen(QPen(theme.colour("soft"), 2))
        painter.drawLine(middle, middle - QPointF(0, radius))
