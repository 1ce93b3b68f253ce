"""The passes of a programme: low parts before tall ones, and nothing where the nozzle would strike what stands."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from fusilex.core.machine.model import Nozzle
from fusilex.core.programme.job import Floats, Ints

SAME = 1e-6


def bands(height: Floats, step: float) -> Ints:
    """The band of each height (n): a band holds heights that differ by up to a step (mm); with a step of 0 all are one.

    >>> bands(np.array([0.5, 4.5, 1.2, 5.0]), 1.0).tolist()
    [0, 1, 0, 1]
    """
    if step <= 0:
        return np.zeros(len(height), dtype=int)
    band = np.zeros(len(height), dtype=int)
    first, number = -np.inf, -1
    for i in np.argsort(height, kind="stable").tolist():
        if height[i] > first + step + SAME:
            first, number = float(height[i]), number + 1
        band[i] = number
    return band


def strikes(
    xy: Floats, box: Floats, height: Floats, nozzle: Sequence[Nozzle], clearance: float
) -> list[tuple[int, int]]:
    """Pairs (i, j) of placements where the nozzle that puts down i would strike j if that stood already.

    `box` (n × 4, mm) are the bodies as they lie, `height` (n) how tall they are. Down to the top of i, the nozzle is
    beside j where j is taller; it strikes where its radius at that height and a clearance reach j's body.
    """
    widest = max(n.profile[-1][1] for n in nozzle) if len(nozzle) else 0.0
    tree = shapely.STRtree(shapely.box(*box.T))
    near = tree.query(shapely.points(xy), predicate="dwithin", distance=widest + clearance)
    found = []
    for i, j in near.T.tolist():
        if i == j or height[j] <= height[i] + SAME:
            continue
        x = max(box[j, 0] - xy[i, 0], 0.0, xy[i, 0] - box[j, 2])
        y = max(box[j, 1] - xy[i, 1], 0.0, xy[i, 1] - box[j, 3])
        if np.hypot(x, y) < nozzle[i].radius(height[j] - height[i]) + clearance - SAME:
            found.append((i, j))
    return found


def levels(band: Ints, pairs: Sequence[tuple[int, int]], height: Floats) -> Ints:
    """The pass of each placement (n), from 0: bands in order, and within a band what would be struck goes on in a later
    pass than what is put down beside it.

    >>> levels(np.array([0, 0, 1]), [(0, 1)], np.array([0.5, 0.9, 3.0])).tolist()
    [0, 1, 2]
    """
    later = np.zeros(len(band), dtype=int)
    before: dict[int, list[int]] = {}
    for i, j in pairs:
        if band[i] == band[j]:
            before.setdefault(j, []).append(i)
    for j in np.argsort(height, kind="stable").tolist():
        later[j] = max((int(later[i]) + 1 for i in before.get(j, ())), default=0)
    return np.unique(np.column_stack([band, later]), axis=0, return_inverse=True)[1].reshape(-1)


def travel_height(level: Ints, height: Floats, board_z: float, margin: float, stands: float = 0.0) -> float:
    """The height to travel at (mm): what is carried hangs below the tip and passes over all that may stand by then,
    the highest of which `stands` on the board before the first (mm above it).

    >>> travel_height(np.array([0]), np.array([0.5]), 0.0, 1.0, stands=7.7)
    9.2
    """
    order = np.lexsort((height, level))
    highest = 0.0
    for number in np.unique(level[order]).tolist():
        own = height[level == number]
        ranked = np.sort(own)
        beside = float(ranked[-2]) if len(ranked) > 1 else 0.0
        highest = max(highest, max(stands, beside) + float(ranked[-1]))
        stands = max(stands, float(ranked[-1]))
    return board_z + highest + margin
