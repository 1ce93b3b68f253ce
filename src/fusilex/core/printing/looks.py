"""Where to look: the places that tell most about how a foil lies."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import shapely
from numpy.typing import ArrayLike, NDArray

FINE_MM = 0.6
"""Apertures up to this width (mm) are fine enough to see 0.02 mm in: a thirtieth of them, at ten times."""
MOST_SETS = 20_000


def fine_enough(width: ArrayLike) -> NDArray[np.int_]:
    """Indexes of the apertures, of n widths (mm), in which 0.02 mm shows; the finest quarter where none is so fine."""
    wide = np.asarray(width, dtype=float)
    limit = max(FINE_MM, float(np.quantile(wide, 0.25)) if len(wide) else 0.0)
    return np.flatnonzero(wide <= limit + 1e-9)


def telling_places(xy: ArrayLike, count: int = 2) -> list[int]:
    """Which of n places (n × 2, mm) to look at, `count` of them: those that make the determinant of the information on
    shift, turn and stretch greatest (D-optimal design).

    With σ the same everywhere that determinant grows with Σ|p − p̄|² alone, which is greatest on corners of the hull;
    where there are too many sets of corners, single places are exchanged as long as that helps (Fedorov 1972).

    >>> telling_places([(0, 0), (1, 1), (40, 0), (40, 30), (20, 15)], 2)
    [0, 3]
    """
    at = np.atleast_2d(np.asarray(xy, dtype=float))
    if len(at) <= count:
        return list(range(len(at)))
    corners = _corners(at)
    if len(corners) <= count:
        rest = [i for i in range(len(at)) if i not in corners]
        return sorted([*corners, *rest[: count - len(corners)]])
    if len(corners) ** count <= MOST_SETS:
        return sorted(max(combinations(corners, count), key=lambda some: spread(at[list(some)])))
    chosen = corners[:: max(1, len(corners) // count)][:count]
    best, better = spread(at[chosen]), True
    while better:
        better = False
        for k in range(count):
            for other in corners:
                tried = [*chosen[:k], other, *chosen[k + 1 :]]
                if other not in chosen and (value := spread(at[tried])) > best * (1 + 1e-12):
                    chosen, best, better = tried, value, True
    return sorted(chosen)


def spread(at: NDArray[np.float64]) -> float:
    """Σ|p − p̄|² of places (n × 2)."""
    return float(np.sum((at - at.mean(axis=0)) ** 2))


def _corners(at: NDArray[np.float64]) -> list[int]:
    """Indexes of the places on the corners of their hull, each place once."""
    hull = shapely.convex_hull(shapely.multipoints(at))
    index = {(x, y): i for i, (x, y) in reversed(list(enumerate(at.tolist())))}
    return sorted({index[x, y] for x, y in shapely.get_coordinates(hull).tolist()})
