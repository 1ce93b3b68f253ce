"""The order of trips: each ends at a place and is followed by a pick, so that the way back is the shortest of all.

Which trip follows which is an assignment (each is left once and entered once); where that falls into rings, they are
joined where it costs least (Karp 1979).
"""

from __future__ import annotations

import numpy as np

from fusilex.core.programme.job import Floats, Ints


def best_order(cost: Floats) -> tuple[Ints, float]:
    """An order of n trips and the least cost that any order has, by what each costs after each (n + 1 × n + 1): the
    last row is the way in, the last column the way out.
    """
    from scipy.optimize import linear_sum_assignment

    n = len(cost) - 1
    if n <= 0:
        return np.arange(max(n, 0)), float(cost.sum())
    bound = cost.copy()
    np.fill_diagonal(bound, 1e6 if n else 0.0)
    _, after = linear_sum_assignment(bound)
    least = float(bound[np.arange(n + 1), after].sum())
    after = _one_ring(bound, after)
    order, here = [], int(after[n])
    while here != n:
        order.append(here)
        here = int(after[here])
    return np.array(order), least


def _one_ring(cost: Floats, after: Ints) -> Ints:
    after = after.copy()
    every = np.arange(len(after))
    while True:
        ring = _rings(after)
        if ring.max() == 0:
            return after
        now = cost[every, after]
        gain = cost[:, after] + cost[:, after].T - now[:, None] - now[None]
        gain[ring[:, None] == ring[None]] = np.inf
        joined = np.arange(ring.max() + 1)
        used = np.zeros(len(after), dtype=bool)
        best = np.argmin(gain, axis=1)
        for i in np.argsort(gain[every, best]).tolist():
            j = int(best[i])
            a, b = _root(joined, int(ring[i])), _root(joined, int(ring[j]))
            if a != b and not used[i] and not used[j]:
                joined[a] = b
                used[[i, j]] = True
                after[i], after[j] = after[j], after[i]


def _root(joined: Ints, ring: int) -> int:
    while joined[ring] != ring:
        ring = int(joined[ring])
    return ring


def _rings(after: Ints) -> Ints:
    """The number of the ring that each belongs to."""
    found = np.full(len(after), -1)
    number = 0
    for start in range(len(after)):
        here = start
        if found[here] >= 0:
            continue
        while found[here] < 0:
            found[here] = number
            here = int(after[here])
        number += 1
    return found
