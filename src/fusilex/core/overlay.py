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
    if not areas or len(pieces) < 2 or (group := _groups(pieces)) is None:
        return shapely.union_all(pieces, grid_size=GRID_MM)
    size = np.bincount(group, minlength=len(pieces))
    heaps = [pieces[group == k] for k in np.flatnonzero(size > 1)]
    if len(heaps) == 1 and len(heaps[0]) == len(pieces):
        return shapely.union_all(pieces, grid_size=GRID_MM)
    joined = [shapely.union_all(heap, grid_size=GRID_MM) for heap in heaps]
    return shapely.multipolygons(shapely.get_parts([*pieces[size[group] == 1], *joined]))


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


MOST_TOUCHING = 40
"""So many pairs a piece, and they lie in a heap: what touches what is no help any more."""


def _groups(pieces: NDArray[np.object_]) -> NDArray[np.int_] | None:
    """For each piece the first of those it hangs together with; None for a heap. A few are asked first, then more."""
    tree, at, count, pairs = shapely.STRtree(pieces), 0, 16, 0
    found: list[NDArray[np.int_]] = [np.zeros((2, 0), dtype=int)]
    while at < len(pieces):
        of, which = tree.query(pieces[at : at + count], predicate="intersects")
        found.append(np.stack([of + at, which])[:, of + at < which])
        pairs += found[-1].shape[1]
        if pairs > MOST_TOUCHING * (at + count):
            return None
        at, count = at + count, 2 * count
    return hanging_together(len(pieces), *np.concatenate(found, axis=1))


def hanging_together(count: int, a: NDArray[np.int_], b: NDArray[np.int_]) -> NDArray[np.int_]:
    """The first of each one's group (count), where pairs (a, b) hang together.

    >>> hanging_together(5, np.array([1, 3]), np.array([2, 1])).tolist()
    [0, 1, 1, 1, 4]
    """
    first = np.arange(count)
    while True:
        low, before = np.minimum(first[a], first[b]), first.copy()
        np.minimum.at(first, before[a], low)
        np.minimum.at(first, before[b], low)
        first = first[first]
        if (first == before).all():
            return first


def shared_by(a: Any, b: Any) -> Any:
    """What two shapes, or two arrays of them pair by pair, have in common (mm)."""
    return shapely.intersection(a, b, grid_size=GRID_MM)


def without(a: Any, b: Any) -> Any:
    """A shape, or each of an array, less another (mm)."""
    return shapely.difference(a, b, grid_size=GRID_MM)
