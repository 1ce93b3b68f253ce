"""Polygons into painter paths, in board millimetres."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPolygonF
from shapely.geometry.base import BaseGeometry

from fusilex.core.board.model import Design

POLYGON = 3  # shapely's type number
POINTS_PER_PATH = 60


def paths_of(shapes: Iterable[BaseGeometry]) -> list[QPainterPath]:
    """Painter paths of polygons, which may overlap; holes are kept by winding.

    Many short paths: Qt fills one path of thousands of edges ten times slower than the same polygons one by one.
    """
    pieces = shapely.get_parts(list(shapes))
    polygons = shapely.orient_polygons(pieces[(shapely.get_type_id(pieces) == POLYGON) & ~shapely.is_empty(pieces)])
    rings, owner = shapely.get_rings(polygons, return_index=True)
    coordinates, ring = shapely.get_coordinates(rings, return_index=True)
    paths: list[QPainterPath] = []
    last = -1
    for points, polygon in zip(np.split(coordinates, np.flatnonzero(np.diff(ring)) + 1), owner, strict=len(owner) > 0):
        if polygon != last and (not paths or paths[-1].elementCount() > POINTS_PER_PATH):
            paths.append(QPainterPath())
            paths[-1].setFillRule(Qt.FillRule.WindingFill)
        last = polygon
        paths[-1].addPolygon(QPolygonF(list(map(QPointF, points[:, 0].tolist(), points[:, 1].tolist()))))
    return paths


class BoardArt:
    """Painter paths of one design, made per side when first asked for."""

    def __init__(self, design: Design) -> None:
        self.design = design
        self._made: dict[tuple[str, str], list[QPainterPath]] = {}

    def paths(self, what: str, side: str) -> list[QPainterPath]:
        """`what` is substrate, copper, exposed, paste or silk."""
        key = what, side
        if key not in self._made:
            self._made[key] = paths_of(self._shapes(what, side))
        return self._made[key]

    def draw(self, painter: QPainter, what: str, side: str) -> None:
        """Fill a layer with the painter's brush; the painter is in board mm."""
        for path in self.paths(what, side):
            painter.drawPath(path)

    def _shapes(self, what: str, side: str) -> list[BaseGeometry]:
        design = self.design
        if what == "substrate":
            return [design.outline]
        if what == "exposed":
            copper, mask = design.layer("copper", side), design.layer("mask", side)
            if copper is None:
                return []
            if mask is None:
                return [p for p, flashed in zip(copper.polygons, copper.flashed, strict=True) if flashed]
            a, b = copper.tree.query(mask.polygons, predicate="intersects")
            return list(shapely.intersection(mask.polygons[a], copper.polygons[b]))
        layer = design.layer(what, side)
        if layer is None or not len(layer):
            return []
        return list(layer.polygons)
