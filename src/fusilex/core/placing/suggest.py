"""Which points to teach: those that leave the least error at the worst part."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import ArrayLike, NDArray

FIDUCIAL_MM, PART_MM = 0.02, 0.05
"""How well a fiducial and the middle of a part are usually seen, standard error of a coordinate."""
MOST_CORNERS, MOST_SETS = 12, 20_000


class Candidate(Struct, frozen=True):
    """A point that may be taught: its name, place (mm) and how well it is seen (mm)."""

    name: str
    x: float
    y: float
    seen_mm: float = FIDUCIAL_MM


def corners_of(names: Sequence[str], xy: ArrayLike) -> list[Candidate]:
    """Parts at the corners of all that lies there, the outermost ones where these are many."""
    at = np.asarray(xy, dtype=float).reshape(-1, 2)
    hull = shapely.convex_hull(shapely.multipoints(at))
    ring = shapely.get_coordinates(hull)
    on = [i for i in range(len(at)) if np.hypot(*(ring - at[i]).T).min() < 1e-9]
    away = np.hypot(*(at[on] - at.mean(axis=0)).T)
    chosen = [on[k] for k in np.argsort(-away)[:MOST_CORNERS]]
    return [Candidate(names[i], float(at[i, 0]), float(at[i, 1]), PART_MM) for i in sorted(chosen)]


def standard_error(points: ArrayLike, seen_mm: ArrayLike, xy: ArrayLike) -> NDArray[np.float64]:
    """Standard placement error (mm, radial) at places (m × 2) by a similarity taught at points (n × 2), each seen with
    its own error: √trace(J M⁻¹ Jᵀ), M the information of the points.

    >>> standard_error([(0, 0), (10, 0)], [0.1, 0.1], [(5, 0)]).round(4).tolist()  # 0.1 √(2/2)
    [0.1]
    """
    weight = 1 / np.asarray(seen_mm, dtype=float) ** 2
    at = _rows(points)
    information = np.einsum("n,nki,nkj->ij", weight, at, at)
    rows = _rows(xy)
    return np.asarray(np.sqrt(np.einsum("nki,ij,nkj->n", rows, np.linalg.inv(information), rows)))


def one_more(known: Sequence[Candidate], candidates: Sequence[Candidate], xy: ArrayLike) -> Candidate | None:
    """The candidate that leaves the least error at the worst place when it is taught beside those that are known; None
    where there is no other.
    """
    names = {c.name for c in known}
    others = [c for c in candidates if c.name not in names]

    def worst(other: Candidate) -> float:
        every = [*known, other]
        return float(standard_error([(c.x, c.y) for c in every], [c.seen_mm for c in every], xy).max())

    return min(others, key=worst) if others else None


def suggest(
    candidates: Sequence[Candidate], xy: ArrayLike, count: int, known: Sequence[Candidate] = ()
) -> tuple[list[Candidate], float]:
    """The `count` points, those that are `known` among them, that leave the least error at the worst of the places
    (m × 2, mm), and that error (mm). Raises ValueError for fewer than two points, or fewer candidates than asked for.
    """
    if count < 2:
        raise ValueError("a transform needs at least two taught points")
    every, first = [*known, *candidates], tuple(range(len(known)))
    if len(every) < count:
        raise ValueError(f"{count} points to teach, but there are {len(every)}")
    at = np.array([[c.x, c.y] for c in every])
    seen = np.array([c.seen_mm for c in every])
    best: tuple[float, tuple[int, ...]] | None = None
    for tried, more in enumerate(combinations(range(len(known), len(every)), count - len(known))):
        some = (*first, *more)
        own = at[list(some)]
        if np.ptp(own, axis=0).max() < 1e-6 or tried > MOST_SETS:
            continue
        worst = float(standard_error(own, seen[list(some)], xy).max())
        if best is None or worst < best[0] - 1e-12:
            best = worst, some
    if best is None:
        raise ValueError("the points coincide: teach points far apart")
    return [every[i] for i in best[1]], best[0]


def to_teach(
    fiducials: Sequence[Candidate], corners: Sequence[Candidate], xy: ArrayLike, count: int
) -> tuple[list[Candidate], float]:
    """The points to teach in the order of their names, and the error they leave (mm), as `suggest`: fiducials, and
    parts at the corners only where those are too few.
    """
    enough = len(fiducials) >= count
    chosen, error = suggest(fiducials, xy, count) if enough else suggest(corners, xy, count, fiducials)
    return sorted(chosen, key=lambda c: c.name), error


def _rows(xy: ArrayLike) -> NDArray[np.float64]:
    """Derivatives (n × 2 × 4) of a similarity's places by shift, cosine and sine."""
    at = np.atleast_2d(np.asarray(xy, dtype=float))
    x, y, one, none = at[:, 0], at[:, 1], np.ones(len(at)), np.zeros(len(at))
    return np.stack([np.stack([one, none, x, -y], axis=1), np.stack([none, one, y, x], axis=1)], axis=1)
