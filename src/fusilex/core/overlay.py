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
    areas = np.isin(shapely.get_type_id(pieces), (GeometryType.POLYGON, GeometryType.MULTIPOLYGON)).all()
    if areas and len(pieces) > 1 and _apart(pieces):  # as most cut-outs of a ground pour are
        return shapely.multipolygons(shapely.get_parts(pieces))
    return shapely.union_all(pieces, grid_size=GRID_MM)


def pairs_meeting(shapes: NDArray[np.object_], most: int) -> list[tuple[int, int]]:
    """Pairs (i < j) of shapes that meet, the first `most` of them in the order of i.

    >>> pairs_meeting(np.array([shapely.box(n, 0, n + 1.5, 1) for n in range(4)]), 2)
    [(0, 1), (1, 2)]
    """
    tree, found = shapely.STRtree(shapes), list[tuple[int, int]]()
    for first in range(0, len(shapes), 16):  # heaps are met a few at a time
        if len(found) >= most:
            break
        of, which = tree.query(shapes[first : first + 16], predicate="intersects")
        found += sorted((i, j) for i, j in zip((of + first).tolist(), which.tolist(), strict=True) if i < j)
    return found[:most]


def _apart(pieces: NDArray[np.object_]) -> bool:
    """True when each meets itself alone. A few are asked first, then more: heaps are found out early."""
    tree, at, count = shapely.STRtree(pieces), 0, 16
    while at < len(pieces):
        asked = pieces[at : at + count]
        if tree.query(asked, predicate="intersects").shape[1] > len(asked):
            return False
        at, count = at + count, 2 * count
    return True


def shared_by(a: Any, b: Any) -> Any:
    """What two shapes, or two arrays of them pair by pair, have in common (mm)."""
    return shapely.intersection(a, b, grid_size=GRID_MM)


def without(a: Any, b: Any) -> Any:
    """A shape, or each of an array, less another (mm)."""
    return shapely.difference(a, b, grid_size=GRID_MM)
