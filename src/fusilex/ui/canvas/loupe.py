"""The loupe: a round magnifier with its own scale bar, pinned to a spot of a canvas."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from fusilex.core.design.model import Pad, Part
from fusilex.core.quantities import MM, write
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text, text_height

MARK = {"none": "no polarity", "known": "the mark shows pin 1", "unknown": "pin 1 by silk and sheet"}
"""What to say beside a part, by its polarity."""


KEPT_PLACES = 40
"""Places of which the bare board is kept: a batch goes over the same ones board by board."""


class Loupe(QWidget):
    """Shows a part as it must land: its pads, its body as a ghost, its marks."""

    def __init__(self, canvas: BoardCanvas) -> None:
        super().__init__()
        self.canvas = canvas
        self.part: Part | None = None
        self.pad: Pad | None = None
        self.ghost = True
        self._under: dict[tuple[object, ...], QPixmap] = {}
        self.title = ""
        self.detail = ""
        self.setMinimumSize(round(theme.base * 12), round(theme.base * 12))
        self.setAccessibleName("Loupe")

    def look_at(
        self, part: Part | None, title: str = "", detail: str = "", ghost: bool = True, pad: Pad | None = None
    ) -> None:
        """Show a part; with a ring about a `pad` of it."""
        self.part, self.title, self.detail, self.ghost, self.pad = part, title, detail, ghost, pad
        self.update()

    def field_mm(self) -> float:
        """Width of the field: the part and half as much again, in steps a person can remember."""
        if self.part is None:
            return 5.0
        boxes = [p.polygon.bounds for p in self.part.pads] or [
            (self.part.x - 1, self.part.y - 1, self.part.x + 1, self.part.y + 1)
        ]
        span = max(
            max(b[2] for b in boxes) - min(b[0] for b in boxes),
            max(b[3] for b in boxes) - min(b[1] for b in boxes),
            self.part.package.size_x,
            self.part.package.size_y,
        )
        return next(step for step in (2.5, 4, 6, 9, 14, 22, 40, 400) if step >= 1.45 * span)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.part is None or self.canvas.pictures is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        title = text_height(self.title, self.width(), "body", True)
        words = title + text_height(self.detail, self.width(), "small") + 12
        size = min(self.width() - 8.0, self.height() - words)
        circle = QRectF((self.width() - size) / 2, 4, size - 4, size - 4)
        clip = QPainterPath()
        clip.addEllipse(circle)
        painter.save()
        painter.setClipPath(clip)
        painter.fillRect(circle, theme.colour("bench"))
        scale = size / self.field_mm()
        painter.translate(circle.center())
        painter.scale(-scale if self.canvas.side == "bottom" else scale, -scale)
        painter.translate(-self.part.x, -self.part.y)
        self._layers(painter)
        reach = self.field_mm() / 2
        for other in self.canvas.parts_on(self.canvas.cell):
            body = max(other.package.size_x, other.package.size_y)
            near = max(abs(other.x - self.part.x), abs(other.y - self.part.y)) <= reach + body
            if near and other.side == self.canvas.side and other.ref != self.part.ref:
                draw_part(painter, other)
        draw_part(painter, self.part, self.ghost)
        if self.pad:
            self._ring(painter, self.pad)
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("ink"), 4))
        painter.drawEllipse(circle)
        self._bar(painter, circle, scale)
        plain_text(
            painter,
            QRectF(0, circle.bottom() + 8, self.width(), words),
            self.title,
            "body",
            "ink",
            True,
            Qt.AlignmentFlag.AlignHCenter,
        )
        plain_text(
            painter,
            QRectF(0, circle.bottom() + 8 + title, self.width(), words),
            self.detail,
            "small",
            "soft",
            False,
            Qt.AlignmentFlag.AlignHCenter,
        )

    def _layers(self, painter: QPainter) -> None:
        """The bare board under the glass: painted once a place, and copied from then on."""
        canvas, shape = self.canvas, painter.transform()
        assert canvas.pictures
        ratio = self.devicePixelRatioF()
        lies = shape.m11(), shape.m22(), shape.dx(), shape.dy()
        name = canvas.pictures, canvas.side, canvas.layers, theme.tokens.name, ratio, self.width(), self.height(), lies
        kept = self._under.pop(name, None)
        if kept is None:
            kept = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            kept.setDevicePixelRatio(ratio)
            kept.fill(Qt.GlobalColor.transparent)
            on = QPainter(kept)
            on.setRenderHints(painter.renderHints())
            on.setTransform(shape)
            canvas.pictures.paint_layers(on, canvas.side, canvas.layers)
            on.end()
        self._under = {**dict(list(self._under.items())[1 - KEPT_PLACES :]), name: kept}
        painter.save()
        painter.resetTransform()
        painter.drawPixmap(0, 0, kept)
        painter.restore()

    def _ring(self, painter: QPainter, pad: Pad) -> None:
        x0, y0, x1, y1 = pad.polygon.bounds
        pen = QPen(theme.colour("stop"), 3.5)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        grow = 0.35 * max(x1 - x0, y1 - y0)
        painter.drawEllipse(QRectF(x0, y0, x1 - x0, y1 - y0).adjusted(-grow, -grow, grow, grow))

    def _bar(self, painter: QPainter, circle: QRectF, scale: float) -> None:
        length = 10 ** math.floor(math.log10(self.field_mm() / 3))
        length = next(length * m for m in (5, 2, 1) if length * m <= self.field_mm() / 3)
        y, half = circle.bottom() - circle.height() * 0.1, length * scale / 2
        words, wide, high = write(length, MM, 4), max(half, theme.base * 2) + 6, theme.base * 2
        painter.setPen(Qt.PenStyle.NoPen)  # a plate: the bar may lie over a pale part
        painter.setBrush(theme.colour("board", 200))
        painter.drawRoundedRect(QRectF(circle.center().x() - wide, y - high, 2 * wide, high + 5), 4, 4)
        painter.setPen(QPen(theme.colour("silk"), 2))
        painter.drawLine(QPointF(circle.center().x() - half, y), QPointF(circle.center().x() + half, y))
        plain_text(
            painter,
            QRectF(circle.center().x() - wide, y - high, 2 * wide, high),
            words,
            "small",
            "silk",
            False,
            Qt.AlignmentFlag.AlignHCenter,
        )
