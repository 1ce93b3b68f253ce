"""Polygons into painter paths, in board millimetres."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainterPath, QPolygonF
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from fusilex.core.board.model import Design

SIMPLER_MM = 0.004


def path_of(shapes: Iterable[BaseGeometry]) -> QPainterPath:
    """One path of many polygons, holes kept by winding."""
    path = QPainterPath()
    from PyQt6.QtCore import Qt

    path.setFillRule(Qt.FillRule.WindingFill)
    for polygon in shapely.get_parts(list(shapes)):
        if isinstance(polygon, Polygon) and not polygon.is_empty:
            oriented = shapely.geometry.polygon.orient(polygon)
            for ring in (oriented.exterior, *oriented.interiors):
                path.addPolygon(QPolygonF([QPointF(x, y) for x, y in np.asarray(ring.coords)]))
    return path


class BoardArt:
    """Painter paths of one design, made per side when first asked for."""

    def __init__(self, design: Design) -> None:
        self.design = design
        self._made: dict[tuple[str, str], QPainterPath] = {}

    def path(self, what: str, side: str) -> QPainterPath:
        """`what` is substrate, copper, exposed, paste or silk."""
        key = what, side
        if key not in self._made:
            self._made[key] = path_of(self._shapes(what, side))
        return self._made[key]

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
        return [shapely.simplify(shapely.union_all(layer.polygons), SIMPLER_MM)]
