"""The best order of a few placements on two heads, exactly: a table over the sets of what is placed already.

For every set and every trip that may have come last, the least time (Held and Karp 1962); a trip places one part or
two, on either head, picked and placed in either order.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from fusilex.core.programme.plan import Hold
from fusilex.core.programme.ways import Draft, Ways, Xy

MOST = 8
"""Placements: 255 sets and 240 trips are done in a moment."""


def trips_of(ways: Ways, own: Sequence[int], heads: Sequence[Sequence[int]]) -> list[Draft]:
    """Every trip there may be of the parts `own`, by the heads that can carry each (of two)."""
    made = [ways.timed(Draft([(h, i)], [(h, i)])) for i in own for h in heads[i]]
    for i, j in combinations(own, 2):
        for a in heads[i]:
            for b in heads[j]:
                if a != b:
                    one, other = (a, i), (b, j)
                    orders: list[list[Hold]] = [[one, other], [other, one]]
                    made += [ways.timed(Draft(list(p), list(q))) for p in orders for q in orders]
    return made


def best_trips(
    ways: Ways, own: Sequence[int], heads: Sequence[Sequence[int]], start: Xy, end: Xy | None
) -> list[Draft]:
    """The trips that place all of `own` in the least time, from where the beam stands to where it is wanted, if it is
    wanted anywhere. Raises ValueError for more than `MOST` parts, or one that no head carries.
    """
    if len(own) > MOST or not all(len(heads[i]) for i in own):
        raise ValueError(f"at most {MOST} parts, each with a head")
    trips = trips_of(ways, own, heads)
    bit = {i: 1 << n for n, i in enumerate(own)}
    masks = np.array([sum(bit[i] for _, i in t.picks) for t in trips])
    cost = np.array([t.cost for t in trips])
    into = np.array([ways.leg(start, t.start) for t in trips])
    turn = np.array([t.turn for t in trips])
    between = np.array([[ways.leg(a.end, b.start) for b in trips] for a in trips])
    between = np.maximum(between, turn[:, None])
    out = np.array([max(ways.leg(t.end, end), t.turn) if end is not None else 0.0 for t in trips])
    whole = (1 << len(own)) - 1
    least = np.full((whole + 1, len(trips)), np.inf)
    came = np.full((whole + 1, len(trips)), -1)
    least[masks, np.arange(len(trips))] = into + cost
    for done in range(1, whole + 1):
        last = np.flatnonzero(np.isfinite(least[done]))
        free = np.flatnonzero((masks & done) == 0)
        if not len(last) or not len(free):
            continue
        total: NDArray[np.float64] = least[done, last][:, None] + between[np.ix_(last, free)] + cost[free]
        best = total.argmin(axis=0)
        value, to = total[best, np.arange(len(free))], done | masks[free]
        better = value < least[to, free] - 1e-12
        least[to[better], free[better]] = value[better]
        came[to[better], free[better]] = last[best[better]]
    found, done, k = [], whole, int((least[whole] + out).argmin())
    while k >= 0:
        found.append(trips[k])
        done, k = done & ~int(masks[k]), int(came[done, k])
    return found[::-1]
