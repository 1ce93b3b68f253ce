"""Polygons into painter paths, in board millimetres."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPixmap, QPolygonF
from PyQt6.QtWidgets import QWidget
from shapely import GeometryType
from shapely.geometry.base import BaseGeometry

from fusilex.core.design.model import Design

POINTS_PER_PATH, MOST_PATHS = 60, 2500
PLAIN_CORNERS, UNSEEN_MM = 12, 0.003
"""Corners that nobody sees are not painted: areas want more of them than eyes do."""


def paths_of(shapes: Sequence[BaseGeometry] | np.ndarray) -> list[QPainterPath]:
    """Painter paths of polygons, which may overlap; holes are kept by winding.

    Many short paths: Qt fills one path of thousands of edges ten times slower than the same polygons one by one. All
    corners are handed to Qt at once, in one polygon that is then cut up, because a call for every corner takes most
    of the time.
    """
    polygons = _polygons(np.asarray(shapes, dtype=object))
    if not len(polygons):
        return []
    many = shapely.get_num_coordinates(polygons) > PLAIN_CORNERS
    polygons[many] = shapely.simplify(polygons[many], UNSEEN_MM, preserve_topology=False)
    polygons = polygons[~shapely.is_empty(polygons)]
    rings, owner = shapely.get_rings(polygons, return_index=True)
    outer = np.diff(owner, prepend=-1) != 0
    astray = shapely.is_ccw(rings) != outer
    rings[astray] = shapely.reverse(rings[astray])
    coordinates, ring = shapely.get_coordinates(rings, return_index=True)
    starts = np.flatnonzero(np.diff(ring, prepend=-1))
    lengths = np.diff(starts, append=len(coordinates))
    corners = _qpolygon(coordinates)
    longest = max(POINTS_PER_PATH, len(coordinates) // MOST_PATHS)
    paths: list[QPainterPath] = []
    room = 0
    for start, length, first in zip(starts.tolist(), lengths.tolist(), outer.tolist(), strict=True):
        if first and room <= 0:  # a polygon's holes stay with it
            path, room = QPainterPath(), longest
            path.setFillRule(Qt.FillRule.WindingFill)
            paths.append(path)
        path.addPolygon(corners.mid(start, length))
        room -= length
    return paths


def _polygons(shapes: np.ndarray) -> np.ndarray:
    """The polygons among shapes and in collections of them."""
    kinds = shapely.get_type_id(shapes)
    parts = shapely.get_parts(shapes[kinds > GeometryType.POLYGON])
    parts = parts[shapely.get_type_id(parts) == GeometryType.POLYGON]
    found = np.concatenate([shapes[kinds == GeometryType.POLYGON], parts])
    return np.asarray(found[~shapely.is_empty(found)])


def _qpolygon(points: np.ndarray) -> QPolygonF:
    polygon = QPolygonF()
    polygon.fill(QPointF(), len(points))
    memory = polygon.data()
    memory.setsize(points.size * 8)
    np.frombuffer(memory, dtype=np.float64)[:] = points.ravel()  # type: ignore[call-overload]
    return polygon


def seen_mm(painter: QPainter) -> QRectF:
    """What a painter in board mm can paint at all."""
    return painter.transform().inverted()[0].mapRect(QRectF(painter.viewport()))


class BoardArt:
    """Painter paths of one design, made per side when first asked for."""

    def __init__(self, design: Design) -> None:
        self.design = design
        self._made: dict[tuple[str, str], list[QPainterPath]] = {}
        self._boxes: dict[tuple[str, str], NDArray[np.float64]] = {}
        x0, y0, x1, y1 = design.outline.bounds
        self._board = QRectF(x0, y0, x1 - x0, y1 - y0)
        self._holes: NDArray[np.float64] | None = None

    def paths(self, what: str, side: str) -> list[QPainterPath]:
        """`what` is substrate, flashes (of the copper) or the role of a layer."""
        key = what, side
        if key not in self._made:
            self._made[key] = paths_of(self._shapes(what, side))
        return self._made[key]

    def paths_in(self, what: str, side: str, seen: QRectF) -> list[QPainterPath]:
        """Those that may reach into what is seen (mm), by their boxes."""
        key, paths = (what, side), self.paths(what, side)
        if key not in self._boxes:
            boxes = [path.controlPointRect().getCoords() for path in paths]
            self._boxes[key] = np.array(boxes, dtype=float).reshape(-1, 4)
        x0, y0, x1, y1 = self._boxes[key].T
        there = (x1 >= seen.left()) & (x0 <= seen.right()) & (y1 >= seen.top()) & (y0 <= seen.bottom())
        return [paths[n] for n in np.flatnonzero(there).tolist()]

    def holes_in(self, seen: QRectF) -> list[list[float]]:
        """Middle and radius (mm) of the holes that reach into what is seen."""
        if self._holes is None:
            made = [[h.x, h.y, h.diameter / 2] for h in self.design.holes]
            self._holes = np.array(made, dtype=float).reshape(-1, 3)
        x, y, r = self._holes.T
        low, high = (seen.left(), seen.top()), (seen.right(), seen.bottom())
        there = (x + r >= low[0]) & (x - r <= high[0]) & (y + r >= low[1]) & (y - r <= high[1])
        found: list[list[float]] = self._holes[there].tolist()
        return found

    def draw(self, painter: QPainter, what: str, side: str) -> None:
        """Fill a layer, or the ``exposed`` copper, with the painter's brush; the painter is in board mm."""
        if what != "exposed":
            self._fill(painter, what, side)
        elif self.design.layer("mask", side) is None:
            self._fill(painter, "flashes", side)
        else:
            self._fill_exposed(painter, side)

    def _fill(self, painter: QPainter, what: str, side: str) -> None:
        seen = seen_mm(painter)
        whole = seen.contains(self._board)
        for path in self.paths(what, side) if whole else self.paths_in(what, side, seen):
            painter.drawPath(path)

    def _fill_exposed(self, painter: QPainter, side: str) -> None:
        """Copper in the mask's windows, put together as pictures: cutting the shapes themselves takes ten times as
        long.
        """
        shown = self._picture(painter, "copper", side)
        on = QPainter(shown)
        on.setCompositionMode(QPainter.CompositionMode.CompositionMode_DestinationIn)
        on.drawPixmap(0, 0, self._picture(painter, "mask", side))
        on.end()
        painter.save()
        painter.resetTransform()
        painter.drawPixmap(0, 0, shown)
        painter.restore()

    def _picture(self, painter: QPainter, what: str, side: str) -> QPixmap:
        """A layer as the painter would fill it, on a picture of its own."""
        picture = _beside(painter)
        on = QPainter(picture)
        on.setRenderHints(painter.renderHints())
        on.setPen(Qt.PenStyle.NoPen)
        on.setBrush(painter.brush())
        on.setTransform(painter.transform())
        self._fill(on, what, side)
        on.end()
        return picture

    def _shapes(self, what: str, side: str) -> Sequence[BaseGeometry] | np.ndarray:
        if what == "substrate":
            return [self.design.outline]
        layer = self.design.layer("copper" if what == "flashes" else what, side)
        if layer is None:
            return []
        return layer.polygons[layer.flashed] if what == "flashes" else layer.polygons


def _beside(painter: QPainter) -> QPixmap:
    """An empty picture as large as what the painter paints on."""
    device = painter.device()
    assert device is not None
    ratio = device.devicePixelRatioF()
    pixels = ratio if isinstance(device, QWidget) else 1.0  # a widget's size is in logical pixels
    picture = QPixmap(QSize(round(device.width() * pixels), round(device.height() * pixels)))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    return picture
