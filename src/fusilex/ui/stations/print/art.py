"""A board's apertures as paths, by how much at risk they are; made once for what they depend on."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from fusilex.core.evidence import Level
from fusilex.ui.canvas.paths import paths_of
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text

LEVELS = (Level.GO, Level.CARE, Level.STOP)


class ApertureArt:
    """Paths of apertures by level, kept while `key` stays the same."""

    def __init__(self) -> None:
        self._key: object = None
        self._paths: list[tuple[Level, list[QPainterPath]]] = []

    def paint(
        self,
        painter: QPainter,
        canvas: BoardCanvas,
        key: object,
        polygons: NDArray[np.object_],
        levels: NDArray[np.int_],
    ) -> None:
        """Fill the apertures in board mm, each level in its own way."""
        if key != self._key:
            self._key = key
            self._paths = [(level, paths_of(polygons[levels == i])) for i, level in enumerate(LEVELS)]
        painter.setTransform(canvas.transform(), True)
        for level, paths in self._paths:
            painter.setPen(QPen(theme.level(level), 0.0 if level is Level.GO else 0.14))
            painter.setBrush(theme.colour("paste") if level is Level.GO else theme.level(level))
            for path in paths:
                painter.drawPath(path)
        painter.resetTransform()


def wrong_side(painter: QPainter, canvas: BoardCanvas, side: str) -> bool:
    """Say that the other side is printed here, where the board lies the wrong way up; True when it does."""
    if canvas.side == side:
        return False
    box = QRectF(0, canvas.height() / 2 - 20, canvas.width(), 40)
    words = f"At this step the {side} is printed"
    plain_text(painter, box, words, "lead", "lit", True, Qt.AlignmentFlag.AlignHCenter)
    return True


def name_part(painter: QPainter, canvas: BoardCanvas, ref: str, words: str) -> None:
    """Outline a part and say something above it."""
    if canvas.art is None or (part := canvas.art.design.part_by_ref.get(ref)) is None:
        return
    frame = canvas.outline_part(painter, part)
    box = QRectF(frame.left() - 80, frame.top() - theme.base * 2.2, frame.width() + 160, 24)
    plain_text(painter, box, words, "body", "lit", True, Qt.AlignmentFlag.AlignHCenter)


def draw_look_order(
    painter: QPainter, canvas: BoardCanvas, at: Sequence[tuple[float, float]], done: Sequence[bool]
) -> None:
    """The way over the risky few: a thin line, numbers at its stops, ticked off as they are looked at."""
    points = [canvas.to_px(x, y) for x, y in at]
    painter.setPen(QPen(theme.colour("lit", 150), 1.4, Qt.PenStyle.DotLine))
    for a, b in pairwise(points):
        painter.drawLine(a, b)
    for n, (point, over) in enumerate(zip(points, done, strict=True), 1):
        size = theme.base * 1.7
        box = QRectF(point.x() + 5, point.y() - size - 3, size, size)
        painter.setPen(QPen(theme.colour("lit"), 1.2))
        painter.setBrush(theme.colour("solder" if over else "board", 220))
        painter.drawEllipse(box)
        painter.setFont(theme.font("tiny", True))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), "✓" if over else str(n))
