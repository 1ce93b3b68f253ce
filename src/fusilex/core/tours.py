"""Short ways over many places, with a bound that no way can be shorter than.

SciPy is loaded when it is first asked for: that takes as long as the window takes to open.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

NEIGHBOURS, ROUNDS = 10, 60
MOST_DENSE, ASCENTS = 700, 160
Order = NDArray[np.int_]


def length(xy: ArrayLike, order: ArrayLike) -> float:
    """Length (mm) of the way over places (n × 2) in an order."""
    at = np.asarray(xy, dtype=float).reshape(-1, 2)[np.asarray(order, dtype=int)]
    return float(np.hypot(*np.diff(at, axis=0).T).sum())


def short_path(xy: ArrayLike, start: int | None = None) -> Order:
    """An order (n) in which to visit places (n × 2), open at both ends, beginning at `start` where that is given:
    nearest next, then pieces turned round (2-opt, Croes 1958) and moved (Or 1976) as long as that shortens the way.

    >>> short_path([(0, 0), (3, 0), (1, 0), (2, 0)]).tolist()
    [0, 2, 3, 1]
    """
    at = np.asarray(xy, dtype=float).reshape(-1, 2)
    if len(at) < 3:
        return np.arange(len(at)) if start in (None, 0) else np.arange(len(at))[::-1]
    first = start if start is not None else int(np.argmin(at.sum(axis=1)))
    path = _nearest_next(at, first)
    for _ in range(ROUNDS):
        turned = _turned(at, path, start is not None)
        shifted = _shifted(at, path, start is not None)
        if not (turned or shifted):
            break
    return np.array(path)


def _nearest_next(at: NDArray[np.float64], first: int) -> list[int]:
    from scipy.spatial import cKDTree

    left = np.ones(len(at), dtype=bool)
    path, here = [first], first
    left[first] = False
    tree = cKDTree(at)
    while len(path) < len(at):
        k = NEIGHBOURS
        while True:
            _, near = tree.query(at[here], k=min(k, len(at)))
            free = [int(i) for i in np.atleast_1d(near) if left[i]]
            if free or k >= len(at):
                break
            k *= 4
        here = free[0]
        left[here] = False
        path.append(here)
    return path


def _turned(at: NDArray[np.float64], path: list[int], held: bool) -> bool:
    """Turn round the stretches whose turning shortens the way, in place; True when one was."""
    better, n = False, len(path)
    for i in range(1 if held else 0, n - 1):
        here = at[np.array(path)]
        before = np.hypot(*(here[i] - here[i - 1])) if i else 0.0
        ends = np.arange(i + 1, n)
        to_end = np.hypot(*(here[ends] - here[i - 1]).T) if i else np.zeros(len(ends))
        after_was = np.append(np.hypot(*np.diff(here[i + 1 :], axis=0).T), 0.0)
        after_is = np.append(np.hypot(*(here[i + 2 :] - here[i]).T), 0.0)
        gain = before + after_was - to_end - after_is
        best = int(np.argmax(gain))
        if gain[best] > 1e-9:
            j = int(ends[best])
            path[i : j + 1] = path[i : j + 1][::-1]
            better = True
    return better


def _shifted(at: NDArray[np.float64], path: list[int], held: bool) -> bool:
    """Put runs of one to three places where they are less of a detour, in place; True when one was."""
    better = False
    for size in (1, 2, 3):
        i = 1 if held else 0
        while i + size <= len(path) and size < len(path):
            run, rest = path[i : i + size], path[:i] + path[i + size :]
            here = at[np.array(rest)]
            saved = _detour(at, path[i - 1] if i else None, run, path[i + size] if i + size < len(path) else None)
            gaps = np.hypot(*np.diff(here, axis=0).T)
            first, last = np.hypot(*(here - at[run[0]]).T), np.hypot(*(here - at[run[-1]]).T)
            cost = np.concatenate([[np.inf if held else last[0]], first[:-1] + last[1:] - gaps, [first[-1]]])
            back = np.concatenate([[np.inf if held else first[0]], last[:-1] + first[1:] - gaps, [last[-1]]])
            turned = back.min() < cost.min()
            where = int(np.argmin(back if turned else cost))
            if saved - min(cost.min(), back.min()) > 1e-9:
                path[:] = rest[:where] + (run[::-1] if turned else run) + rest[where:]
                better = True
            i += 1
    return better


def _detour(at: NDArray[np.float64], before: int | None, run: list[int], after: int | None) -> float:
    """What the way saves without a run of places."""
    total = 0.0
    if before is not None:
        total += float(np.hypot(*(at[run[0]] - at[before])))
    if after is not None:
        total += float(np.hypot(*(at[run[-1]] - at[after])))
    if before is not None and after is not None:
        total -= float(np.hypot(*(at[after] - at[before])))
    return total


def path_bound(xy: ArrayLike) -> float:
    """What no open way over places (n × 2) is shorter than (mm): a spanning tree of theirs, raised by penalties on
    places where it branches (Held and Karp 1970).

    >>> path_bound([(0, 0), (1, 0), (2, 0), (3, 0)])
    3.0
    """
    at = np.unique(np.asarray(xy, dtype=float).reshape(-1, 2), axis=0)
    if len(at) < 2:
        return 0.0
    if len(at) == 2 or len(at) > MOST_DENSE:
        return _tree_length(at)
    apart = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1))
    # a place that is nowhere joins both ends of the way: it becomes a round tour
    n = len(at) + 1
    cost = np.zeros((n, n))
    cost[:-1, :-1] = apart
    penalty, best, step = np.zeros(n), _tree_length(at), float(apart[apart > 0].min() + apart.mean() / 10)
    for turn in range(ASCENTS):
        paid = cost + penalty[:, None] + penalty[None]
        degree, total = _one_tree(paid)
        best = max(best, total)  # the penalties sum to nothing: as many edges as places
        if (degree == 2).all():
            break
        penalty += step * (1 - turn / ASCENTS) * (degree - 2)
    return best


def _one_tree(cost: NDArray[np.float64]) -> tuple[NDArray[np.int_], float]:
    """Degrees and cost of the cheapest spanning tree of all places but the last, with the last joined by its two
    cheapest edges.
    """
    from scipy.sparse.csgraph import minimum_spanning_tree

    inner = cost[:-1, :-1]
    low = float(inner.min()) - 1.0  # edges of cost zero would be taken for none
    tree = minimum_spanning_tree(inner - low).tocoo()
    degree = np.zeros(len(cost), dtype=int)
    np.add.at(degree, tree.row, 1)
    np.add.at(degree, tree.col, 1)
    two = np.argsort(cost[-1, :-1])[:2]
    degree[two] += 1
    degree[-1] = 2
    return degree, float(tree.data.sum()) + low * len(tree.data) + float(cost[-1, two].sum())


def _tree_length(at: NDArray[np.float64]) -> float:
    """Length of the shortest tree over places (n × 2): its edges are edges of their Delaunay triangles."""
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import minimum_spanning_tree
    from scipy.spatial import Delaunay, QhullError

    try:
        corners = Delaunay(at).simplices
        edges = np.unique(np.sort(np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [0, 2]]])), axis=0)
    except (QhullError, ValueError):  # all in one line
        order = np.lexsort(at.T)
        edges = np.array(list(pairwise(order.tolist())))
    apart = np.hypot(*(at[edges[:, 0]] - at[edges[:, 1]]).T)
    graph = csr_array((apart, (edges[:, 0], edges[:, 1])), shape=(len(at), len(at)))
    return float(minimum_spanning_tree(graph).sum())
