"""Areas that convex shapes share, many pairs at once: the general overlay takes a hundred times as long."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.overlay import GRID_MM

Points = NDArray[np.float64]
BENT = 1e-6
"""Sine of a turn to the right that a convex shape may have by rounding."""
LEVEL, ON_IT = 1e-10, 1e-12
"""What counts as parallel, and as lying on a line (mm²)."""
AT_ONCE = 2_000_000
"""Pairs of a side and a half-plane that are worked out at once."""


def convex(corners: Points) -> NDArray[np.bool_]:
    """True for polygons, of corners (n, m, 2) counter-clockwise, that turn left all the way round."""
    along = np.roll(corners, -1, axis=1) - corners
    length = np.hypot(along[..., 0], along[..., 1])
    if not corners.shape[1]:
        return np.zeros(len(corners), dtype=bool)
    # a corner that is repeated to fill up has no side of its own: what comes next is the side back to the first corner
    nxt = np.where((length == 0)[..., None], along[:, -1:], along)
    after = np.roll(nxt, -1, axis=1)
    cross = along[..., 0] * after[..., 1] - along[..., 1] * after[..., 0]
    scale = length * np.hypot(after[..., 0], after[..., 1])
    return np.asarray((cross >= -BENT * scale).all(axis=1) & (length > 0).any(axis=1))


def corners_of(polygons: NDArray[np.object_]) -> Points:
    """Corners (n, m, 2) of n polygons without holes, counter-clockwise, the last one repeated to fill up."""
    coordinates, which = shapely.get_coordinates(shapely.get_exterior_ring(polygons), return_index=True)
    counts = np.bincount(which, minlength=len(polygons)) - 1  # rings end where they begin
    most = int(counts.max(initial=0))
    if not most:
        return np.zeros((len(polygons), 0, 2))
    starts = np.concatenate([[0], np.cumsum(counts + 1)[:-1]])
    steps = np.minimum(np.arange(most)[None], counts[:, None] - 1)
    x, y = coordinates[starts[:, None] + steps].transpose(2, 0, 1)
    clockwise = ((x - x[:, :1]) * (np.roll(y, -1, 1) - np.roll(y, 1, 1))).sum(axis=1) < 0
    steps = np.where(clockwise[:, None], counts[:, None] - 1 - steps, steps)
    return np.asarray(coordinates[starts[:, None] + steps])


def shared_area(a: NDArray[np.object_], b: NDArray[np.object_]) -> NDArray[np.float64]:
    """Area (n) that polygons a and b (n each) have in common, pair by pair.

    >>> square = np.array([shapely.box(0, 0, 2, 2)])
    >>> float(shared_area(square, np.array([shapely.box(1, 1, 3, 3)]))[0])
    1.0
    """
    shared = np.zeros(len(a))
    whole = (shapely.get_num_interior_rings(a) == 0) & (shapely.get_num_interior_rings(b) == 0)
    plain = np.flatnonzero(whole)
    first, second = corners_of(a[plain]), corners_of(b[plain])
    fit = convex(first) & convex(second)
    shared[plain[fit]] = shared_areas(first[fit], second[fit])
    bent = np.setdiff1d(np.arange(len(a)), plain[fit])
    if len(bent):
        shared[bent] = shapely.area(shapely.intersection(a[bent], b[bent], grid_size=GRID_MM))
    return shared


def shared_areas(a: Points, b: Points) -> NDArray[np.float64]:
    """Area (n) that the convex polygons of corners a (n, k, 2) and b (n, m, 2), counter-clockwise, have in common.

    The edge of what they share is made of the pieces of a's sides within b and of b's sides within a; the area is half
    the sum of their cross products (Green's theorem). A side that both have counts once.

    >>> square = np.array([[[0.0, 0], [2, 0], [2, 2], [0, 2]]])
    >>> float(shared_areas(square, square)[0]), float(shared_areas(square, square + [0.5, 1])[0])
    (4.0, 1.5)
    """
    middle = b[:, :1]  # small numbers lose less
    a, b = a - middle, b - middle
    step = max(1, AT_ONCE // max(1, a.shape[1] * b.shape[1]))
    made = [
        _within(a[n : n + step], b[n : n + step], True) + _within(b[n : n + step], a[n : n + step], False)
        for n in range(0, len(a), step)
    ]
    return np.maximum(np.concatenate(made), 0.0) if made else np.zeros(0)


def _within(a: Points, b: Points, edge: bool) -> NDArray[np.float64]:
    """Half the sum of cross products of the pieces of a's sides within b (Cyrus and Beck 1978), those on b's edge
    counted where `edge`.
    """
    ax, ay = (np.ascontiguousarray(a[..., k])[:, :, None] for k in (0, 1))
    bx, by = (np.ascontiguousarray(b[..., k])[:, None, :] for k in (0, 1))
    ux, uy = np.roll(ax, -1, 1) - ax, np.roll(ay, -1, 1) - ay
    sx, sy = np.roll(bx, -1, 2) - bx, np.roll(by, -1, 2) - by
    # how far inside each half-plane of b a side of a starts, and how fast it goes inwards
    inside = sx * (ay - by) - sy * (ax - bx)
    inwards = sx * uy - sy * ux
    size = np.hypot(sx, sy)
    level = np.abs(inwards) <= LEVEL * size * np.hypot(ux, uy)
    with np.errstate(divide="ignore", invalid="ignore"):
        meets = -inside / inwards
    first = np.where(~level & (inwards > 0), meets, 0.0).max(axis=2)
    last = np.where(~level & (inwards < 0), meets, 1.0).min(axis=2)
    out: NDArray[np.bool_] = np.zeros(first.shape, dtype=bool)
    if level.any():  # along a side of b: outside it, or on it, where the way round decides
        on_edge = np.abs(inside) <= ON_IT * (1.0 + size)
        back = sx * ux + sy * uy <= 0
        without = np.where(on_edge, back, inside < 0) if edge else on_edge | (inside < 0)
        out = np.asarray((level & (size > 0) & without).any(axis=2))
    first, last = np.maximum(first, 0.0), np.minimum(last, 1.0)
    px, py = (s[..., 0] + first * u[..., 0] for s, u in ((ax, ux), (ay, uy)))
    qx, qy = (s[..., 0] + last * u[..., 0] for s, u in ((ax, ux), (ay, uy)))
    return np.asarray(0.5 * np.where((last > first) & ~out, px * qy - py * qx, 0.0).sum(axis=1))
