"""Whose a pad is where no file names it: the part's in whose middle it and another pad lie, or that is nearest."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

TWIN_MM = 0.1
"""How far a pad may be from where its twin, across the middle of a part, says it is."""
TWIN_SHARE, USUAL, ROOM_MM, LEAST_MM = 0.6, 2.0, 0.5, 1.5
"""A twin counts as so much nearer. A body that nobody knows reaches so many times as far as its twins usually lie, and
so much further; one without twins this far.
"""


def whose(
    pads: NDArray[np.float64], at: NDArray[np.float64], reach: NDArray[np.float64], known: NDArray[np.bool_]
) -> NDArray[np.int_]:
    """For each pad's middle (n × 2, mm) the part (middles m × 2, mm) that it belongs to, -1 for none: the nearest by
    the reach of its body (m, mm). What a name that nobody knows says of its size takes no pads from others: such a body
    reaches as far as pads that lie about its middle in pairs.

    >>> two = np.array([[0.0, 0.0], [3.0, 0.0]])
    >>> pads = np.array([[-0.5, 0.0], [0.5, 0.0], [2.5, 0.0], [3.5, 0.0]])
    >>> whose(pads, two, np.array([2.0, 20.0]), np.array([True, False])).tolist()
    [0, 0, 1, 1]
    """
    found = np.full(len(pads), -1)
    if not len(pads) or not len(at):
        return found
    tree = shapely.STRtree(shapely.points(pads))
    part, pad = tree.query(shapely.points(at), predicate="dwithin", distance=reach)
    away = np.hypot(*(pads[pad] - at[part]).T)
    others, _ = tree.query(shapely.points(2 * at[part] - pads[pad]), predicate="dwithin", distance=TWIN_MM)
    twin = np.zeros(len(pad), dtype=bool)
    twin[others] = True
    twin &= away > TWIN_MM
    order = np.flatnonzero(twin)[np.lexsort((away[twin], pad[twin]))]
    own = order[np.unique(pad[order], return_index=True)[1]]  # each pad's nearest part that it lies about in a pair
    far = reach.copy()
    for j in np.flatnonzero(~known):
        pairs = away[own[part[own] == j]]
        far[j] = min(reach[j], USUAL * float(np.median(pairs)) + ROOM_MM if len(pairs) else LEAST_MM)
    score = away / far[part]
    inside = score <= 1.0
    score = np.where(twin, TWIN_SHARE * score, score)
    order = np.flatnonzero(inside)[np.lexsort((score[inside], pad[inside]))]
    best = order[np.unique(pad[order], return_index=True)[1]]
    found[pad[best]] = part[best]
    return found
