"""Parts drawn as bodies with their marks, in board millimetres."""

from __future__ import annotations

import math

import numpy as np
import shapely
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.core.design.frames import board_to_part
from fusilex.core.design.model import Part
from fusilex.ui.theme import theme

_FILL = {
    "capacitor": "body_chip",
    "chip": "body_chip",
    "connector": "body_light",
    "holder": "body_light",
    "terminal": "soft",
    "reed": "metal",
    "led": "body_light",
    "crystal": "metal",
    "electrolytic": "metal",
}


SPECK_PX = 6.0


def draw_part(painter: QPainter, part: Part, ghost: bool = False) -> None:
    """Draw a part's body where it sits; `painter` is in board mm (y up). `ghost` draws its outline only. Of a body of
    a few pixels nobody sees more than where it is.
    """
    body = part.package
    shape = painter.transform()
    small = max(body.size_x, body.size_y) * math.hypot(shape.m11(), shape.m12()) < SPECK_PX
    if small and not ghost and not part.rotation_deg % 90:
        wide, high = (body.size_y, body.size_x) if part.rotation_deg % 180 else (body.size_x, body.size_y)
        fill = theme.colour(_FILL.get(body.family, "body"))
        painter.fillRect(QRectF(part.x - wide / 2, part.y - high / 2, wide, high), fill)
        return
    painter.save()
    painter.translate(part.x, part.y)
    if part.side == "bottom":
        painter.scale(-1, 1)
    painter.rotate(part.rotation_deg)
    box = QRectF(-body.size_x / 2, -body.size_y / 2, body.size_x, body.size_y)
    if ghost:
        painter.setPen(_hair())
        painter.setBrush(theme.colour("lit", 60))
        painter.drawRect(box)
    else:
        _solid(painter, part, box)
    _mark(painter, part, box, ghost)
    painter.restore()


def _hair() -> QPen:
    pen = QPen(theme.colour("lit"), 2.0)
    pen.setCosmetic(True)
    return pen


def _solid(painter: QPainter, part: Part, box: QRectF) -> None:
    body = part.package
    painter.setPen(Qt.PenStyle.NoPen)
    if body.family in ("ic", "transistor", "diode") and part.pads:
        painter.setBrush(theme.colour("metal"))
        boxes = shapely.bounds([pad.polygon for pad in part.pads])
        corners = board_to_part(
            boxes[:, [0, 1, 2, 1, 2, 3, 0, 3]].reshape(-1, 2), (part.x, part.y), part.rotation_deg, part.side
        )
        low, high = (f(corners.reshape(-1, 4, 2), axis=1) for f in (np.min, np.max))
        for (x0, y0), (x1, y1) in zip(low.tolist(), high.tolist(), strict=True):
            painter.drawRect(QRectF(x0 + 0.04, y0 + 0.04, x1 - x0 - 0.08, y1 - y0 - 0.08))
    painter.setBrush(theme.colour(_FILL.get(body.family, "body")))
    if body.family in ("electrolytic", "inductor"):
        painter.setBrush(theme.colour("body"))
        painter.drawRoundedRect(box, 0.4, 0.4)
        painter.setBrush(theme.colour("metal" if body.family == "electrolytic" else "soft"))
        painter.drawEllipse(box.adjusted(0.3, 0.3, -0.3, -0.3))
        return
    painter.drawRoundedRect(box, 0.08, 0.08)
    if body.family in ("capacitor", "resistor", "chip", "led") and len(part.pads) == 2:
        painter.setBrush(theme.colour("metal"))
        along_x = box.width() >= box.height()
        end = 0.24 * (box.width() if along_x else box.height())
        for first in (True, False):
            if along_x:
                painter.drawRect(QRectF(box.left() if first else box.right() - end, box.top(), end, box.height()))
            else:
                painter.drawRect(QRectF(box.left(), box.top() if first else box.bottom() - end, box.width(), end))


def pin_one(part: Part) -> tuple[float, float] | None:
    """Centre of pin 1 in the part's own frame (mm), None where the files do not say which it is."""
    if (pad := part.pin_one) is None:
        return None
    x, y = board_to_part(pad.polygon.centroid.coords[0], (part.x, part.y), part.rotation_deg, part.side)[0]
    return float(x), float(y)


def _mark(painter: QPainter, part: Part, box: QRectF, ghost: bool) -> None:
    """Pin 1 as a dot in its corner; of two-pad parts the end with pin 1 as a bar."""
    at = pin_one(part) if part.package.polarised else None
    if at is None:
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(
        theme.colour("lit" if ghost or part.package.family in ("ic", "transistor", "diode", "electrolytic") else "go")
    )
    size = min(box.width(), box.height())
    if len(part.pads) == 2:
        thick = max(0.12, 0.14 * size)
        if abs(at[0]) >= abs(at[1]):
            x = box.left() + 0.26 * box.width() if at[0] < 0 else box.right() - 0.26 * box.width() - thick
            painter.drawRect(QRectF(x, box.top() + 0.03, thick, box.height() - 0.06))
        else:
            y = box.top() + 0.26 * box.height() if at[1] < 0 else box.bottom() - 0.26 * box.height() - thick
            painter.drawRect(QRectF(box.left() + 0.03, y, box.width() - 0.06, thick))
        return
    radius = min(0.3, max(0.12, 0.09 * size))
    x = max(box.left() + 2 * radius, min(box.right() - 2 * radius, at[0]))
    y = max(box.top() + 2 * radius, min(box.bottom() - 2 * radius, at[1]))
    painter.drawEllipse(QPointF(x, y), radius, radius)
