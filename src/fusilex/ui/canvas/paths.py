"""Polygons into painter paths, in board millimetres."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator

import numpy as np
import shapely
from PyQt6.QtCore import QByteArray, QDataStream, Qt
from PyQt6.QtGui import QPainter, QPainterPath
from shapely.geometry.base import BaseGeometry

from fusilex.core.board.model import Design, Layer

POLYGON = 3  # shapely's type number
POINTS_PER_PATH, MOST_PATHS = 60, 2500


_ELEMENT = np.dtype([("type", ">i4"), ("x", ">f8"), ("y", ">f8")])
_MOVE, _LINE = 0, 1


def paths_of(shapes: Iterable[BaseGeometry]) -> list[QPainterPath]:
    """Painter paths of polygons, which may overlap; holes are kept by winding.

    Many short paths: Qt fills one path of thousands of edges ten times slower than the same polygons one by one. They are handed
    over in the form in which Qt streams paths, because a call for every corner takes most of the time otherwise.
    """
    pieces = shapely.get_parts(list(shapes))
    polygons = shapely.orient_polygons(pieces[(shapely.get_type_id(pieces) == POLYGON) & ~shapely.is_empty(pieces)])
    if not len(polygons):
        return []
    rings, owner = shapely.get_rings(polygons, return_index=True)
    coordinates, ring = shapely.get_coordinates(rings, return_index=True)
    starts = np.flatnonzero(np.diff(ring, prepend=-1))
    elements = np.empty(len(coordinates), dtype=_ELEMENT)
    elements["type"] = _LINE
    elements["type"][starts] = _MOVE
    elements["x"], elements["y"] = coordinates.T
    firsts = starts[np.flatnonzero(np.diff(owner, prepend=-1))]  # where each polygon begins
    longest = max(POINTS_PER_PATH, len(coordinates) // MOST_PATHS)
    return [_path(elements[i:j]) for i, j in _chunks(firsts, len(coordinates), longest)]


def _chunks(firsts: np.ndarray, total: int, longest: int) -> list[tuple[int, int]]:
    """Stretches of whole polygons, each closed as soon as it has `longest` corners."""
    chunks, start = [], 0
    for edge in [*firsts[1:].tolist(), total]:
        if edge - start > longest or edge == total:
            chunks.append((start, edge))
            start = edge
    return chunks


def _path(elements: np.ndarray) -> QPainterPath:
    last = int(np.flatnonzero(elements["type"] == _MOVE)[-1])
    data = (
        struct.pack(">i", len(elements)) + elements.tobytes() + struct.pack(">ii", last, Qt.FillRule.WindingFill.value)
    )
    path = QPainterPath()
    QDataStream(QByteArray(data)) >> path  # type: ignore[operator]
    return path


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
            return list(_shown(mask, copper))
        layer = design.layer(what, side)
        if layer is None or not len(layer):
            return []
        return list(layer.polygons)


def _shown(mask: Layer, copper: Layer) -> Iterator[BaseGeometry]:
    """Copper that shows in the mask's windows. Most pads lie whole in their window, or windows whole on copper: only the others are cut."""
    window, pad = copper.tree.query(mask.polygons)
    shapely.prepare(copper.polygons)
    touching = shapely.intersects(copper.polygons[pad], mask.polygons[window])
    window, pad = window[touching], pad[touching]
    filled = shapely.covers(copper.polygons[pad], mask.polygons[window])
    yield from mask.polygons[window[filled]]
    window, pad = window[~filled], pad[~filled]
    shapely.prepare(mask.polygons)
    whole = shapely.covers(mask.polygons[window], copper.polygons[pad])
    yield from copper.polygons[pad[whole]]
    yield from shapely.intersection(mask.polygons[window[~whole]], copper.polygons[pad[~whole]])
