"""Unions, intersections and differences of shapes, snapped to a grid of a nanometre.

In plain floating point the library accepts a result whose area is up to a tenth off, and where edges all but
coincide, as those of a shape and of the same shape turned or shrunk and grown again do, it sometimes returns one.
Snapped to a grid, overlays are exact to it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import GeometryType
from shapely.geometry.base import BaseGeometry

GRID_MM = 1e-6


def union_of(shapes: NDArray[np.object_] | Sequence[BaseGeometry]) -> BaseGeometry:
    """All shapes in one (mm).

    >>> float(union_of([shapely.box(0, 0, 2, 1), shapely.box(1, 0, 3, 1)]).area)
    3.0
    """
    pieces = np.asarray(shapes, dtype=object)
    if np.isin(shapely.get_type_id(pieces), (GeometryType.POLYGON, GeometryType.MULTIPOLYGON)).all():
        met, _ = shapely.STRtree(pieces).query(pieces, predicate="intersects")
        if len(met) == len(pieces) > 1:  # each meets itself alone, as most cut-outs of a ground pour do
            return shapely.multipolygons(shapely.get_parts(pieces))
    return shapely.union_all(pieces, grid_size=GRID_MM)


def shared_by(a: Any, b: Any) -> Any:
    """What two shapes, or two arrays of them pair by pair, have in common (mm)."""
    return shapely.intersection(a, b, grid_size=GRID_MM)


def without(a: Any, b: Any) -> Any:
    """A shape, or each of an array, less another (mm)."""
    return shapely.difference(a, b, grid_size=GRID_MM)
