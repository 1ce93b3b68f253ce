"""A fix that moves or turns many parts, drawn on the board before it is applied: as listed in red, after it pale."""

from __future__ import annotations

import numpy as np
import shapely
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.systematic import Correction
from fusilex.core.design.frames import board_to_part, part_to_board
from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import body_polygon
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.theme import theme

MOST_SHAPES = 2000
FOOTERS = {
    "transform": "red: as listed, pale: after the fix",
    "move-layers": "red: as it lies, pale: after the fix",
    "rotations": "red: pin 1 as listed, pale: where its pad is",
}


def draw_fix(painter: QPainter, canvas: BoardCanvas, design: Design, fix: Fix) -> None:
    """Draw what a fix of a kind in `FOOTERS` does to the parts of the side in view."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if fix.kind == "move-layers":
        _shapes_moved(painter, canvas, design, fix)
        return
    shown = [p for p in _parts_of(design, fix) if p.side == canvas.side]
    if fix.kind == "transform":
        correction = Correction(**fix.with_["correction"])
        for part in shown:
            _moved(painter, canvas, part, correction)
    else:
        for part in shown:
            _turned(painter, canvas, part, fix.with_["rotations"][part.ref])


def sides_of(design: Design, fix: Fix) -> set[str]:
    """The sides on which a fix of a kind in `FOOTERS` changes something."""
    if fix.kind == "move-layers":
        return {side for _, side in fix.with_["layers"] if side} or {"top", "bottom"}
    return {p.side for p in _parts_of(design, fix)}


def _shapes_moved(painter: QPainter, canvas: BoardCanvas, design: Design, fix: Fix) -> None:
    """The middles of pads, openings or holes where they are, and where they would be."""
    correction = Correction(**fix.with_["correction"])
    roles = {role for role, side in fix.with_["layers"] if side == canvas.side}
    shapes = next((x for role in ("copper", "paste") if role in roles and (x := design.layer(role, canvas.side))), None)
    if shapes is not None:
        at = shapely.get_coordinates(shapely.centroid(shapes.polygons[shapes.flashed]))
    else:
        at = np.array([[h.x, h.y] for h in design.holes]).reshape(-1, 2)
    for points, pens in ((at, _red()), (correction.apply(at), [QPen(theme.colour("lit"), 2)])):
        for pen in pens:
            painter.setPen(pen)
            for x, y in points[:MOST_SHAPES].tolist():
                painter.drawEllipse(canvas.to_px(x, y), 4, 4)


def _parts_of(design: Design, fix: Fix) -> list[Part]:
    """The parts that a fix of a kind in `FOOTERS` moves or turns."""
    if fix.kind == "transform":
        return [p for p in design.parts if p.side in fix.with_["sides"] and p.package.mount != "none"]
    turns = fix.with_["rotations"]
    return [p for p in design.parts if p.ref in turns and abs(turns[p.ref] - p.rotation_deg % 360) > 1e-6]


def _moved(painter: QPainter, canvas: BoardCanvas, part: Part, correction: Correction) -> None:
    """Where the list puts a body, and where the correction would."""
    listed = np.asarray(body_polygon(part).exterior.coords)
    before, after = (
        QPolygonF([canvas.to_px(x, y) for x, y in ring.tolist()]) for ring in (listed, correction.apply(listed))
    )
    for pen in _red():
        painter.setPen(pen)
        painter.drawPolygon(before)
    painter.setPen(QPen(theme.colour("lit"), 1, Qt.PenStyle.DashLine))
    painter.drawLine(before.boundingRect().center(), after.boundingRect().center())
    painter.setPen(QPen(theme.colour("lit"), 2))
    painter.setBrush(theme.colour("lit", 70))
    painter.drawPolygon(after)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _turned(painter: QPainter, canvas: BoardCanvas, part: Part, turn: float) -> None:
    """Two hands from a part's middle: to where its turn as listed puts pin 1, and to the pad of pin 1."""
    if (pad := part.pin_one) is None:
        return
    at = (part.x, part.y)
    pin = board_to_part(pad.polygon.centroid.coords[0], at, turn, part.side)
    middle = canvas.to_px(*at)
    before, after = (
        canvas.to_px(*part_to_board(pin, at, angle, part.side)[0].tolist()) for angle in (part.rotation_deg, turn)
    )
    for pen in _red():
        painter.setPen(pen)
        _hand(painter, middle, before)
    painter.setPen(QPen(theme.colour("lit"), 3))
    _hand(painter, middle, after)


def _hand(painter: QPainter, middle: QPointF, tip: QPointF) -> None:
    painter.drawLine(middle, tip)
    painter.drawEllipse(tip, 4, 4)


def _red() -> list[QPen]:
    return [QPen(theme.colour("lit"), 4), QPen(theme.colour("stop"), 2)]  # red alone is lost on green
