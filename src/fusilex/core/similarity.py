"""Least squares similarity from where points are drawn to where they were seen, and how well it is known."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

import numpy as np
from msgspec import Struct
from numpy.typing import ArrayLike, NDArray

Points = NDArray[np.float64]
SAME_MM, SEEN_MM = 0.01, 0.02
FALSE_ALARM = 0.01
"""Share of clean fits in which a good point may be called wrong."""


class Residuals:
    __slots__ = ()
    """How far measured points lie off a fit: `residuals` (n × 2, mm)."""

    residuals: Points

    @property
    def residual_mm(self) -> NDArray[np.float64]:
        """Length of each residual, n, mm."""
        return np.asarray(np.hypot(self.residuals[:, 0], self.residuals[:, 1]))

    @property
    def rms_mm(self) -> float:
        return float(np.sqrt(np.mean(self.residual_mm**2)))


class Similarity(Residuals, Struct, frozen=True, eq=False):
    """measured = scale · R(turn) · design + (dx, dy), fitted to n ≥ 2 points by least squares.

    `residuals` (n × 2, mm) are measured minus fitted; `sigma` is the standard error of one coordinate (mm), NaN when
    two points leave no freedom to tell. `rigid` where the scale was held at 1. `known` are degrees
    of freedom by which sigma was known before.
    """

    dx: float
    dy: float
    rotation_deg: float
    scale: float
    residuals: Points
    sigma: float
    centre: tuple[float, float]
    spread: float
    rigid: bool = False
    known: float = 0.0

    def apply(self, xy: ArrayLike) -> Points:
        """Design points (n × 2, mm) in the machine's frame."""
        angle = np.radians(self.rotation_deg)
        matrix = self.scale * np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        return np.asarray(np.atleast_2d(np.asarray(xy, dtype=float)) @ matrix + (self.dx, self.dy))

    @property
    def freedom(self) -> float:
        """Degrees of freedom that tell sigma: two a point, less the four of the transform, or three of a rigid one."""
        return 2 * len(self.residuals) - (3 if self.rigid else 4) + self.known

    def predicted_error(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Standard placement error (mm, radial) expected at design points (n × 2) from the fit's covariance.

        For a similarity the variance of both fitted coordinates at p is σ²(1/n + |p − c|²/S), S the summed squared
        distance of the points from their centre c; without stretch that of a coordinate has only the distance across.
        """
        d2 = np.sum((np.atleast_2d(np.asarray(xy, dtype=float)) - self.centre) ** 2, axis=1)
        variance = 2.0 / len(self.residuals) + (1.0 if self.rigid else 2.0) * d2 / self.spread
        return np.asarray(self.sigma * np.sqrt(variance))

    def error_within(self, xy: ArrayLike, share: float = 0.95) -> NDArray[np.float64]:
        """Placement error (mm, radial) that `share` of fits stay under at design points (n × 2); NaN without freedom.

        The squared error over twice its estimated variance follows F(2, ν), whose quantile is (ν/2)((1 −
        share)^(−2/ν) − 1).

        >>> three = fit_similarity([(0, 0), (40, 0), (0, 30)], [(0.01, 0), (40, 0), (0, 30.01)])
        >>> ratio = three.error_within([(40, 30)]) / three.predicted_error([(40, 30)])
        >>> float(ratio[0].round(2))  # √F(2, 2): what three points can know
        4.36
        """
        if self.freedom <= 0:
            return np.full(len(np.atleast_2d(np.asarray(xy, dtype=float))), np.nan)
        quantile = self.freedom / 2 * ((1 - share) ** (-2 / self.freedom) - 1)
        return np.asarray(self.predicted_error(xy) * np.sqrt(quantile))


class Fitted(Protocol):
    """What a transform says of its own fit."""

    @property
    def residuals(self) -> Points: ...

    @property
    def rms_mm(self) -> float: ...

    @property
    def freedom(self) -> float: ...


Fit = Callable[[ArrayLike, ArrayLike], Fitted]


def fit_similarity(
    design: ArrayLike, measured: ArrayLike, rigid: bool = False, before: tuple[float, float] = (0.0, 0.0)
) -> Similarity:
    """Least squares similarity (Umeyama 1991, without reflection) from design to measured points, both n × 2, mm;
    without stretch where `rigid`. `before` is what was known of sigma (mm) and by how many degrees of freedom; it is
    pooled with what the residuals say.

    Raises ValueError for fewer than two points or points that coincide.

    >>> round(fit_similarity([(0, 0), (10, 0)], [(1, 0), (1, 20)]).scale, 9)
    2.0
    """
    a, b = np.atleast_2d(np.asarray(design, dtype=float)), np.atleast_2d(np.asarray(measured, dtype=float))
    if len(a) < 2 or a.shape != b.shape:
        raise ValueError("a transform needs at least two taught points")
    ca, cb = a.mean(axis=0), b.mean(axis=0)
    u, v = a - ca, b - cb
    spread = float(np.sum(u**2))
    if spread < 1e-6:
        raise ValueError("the taught points coincide: teach points far apart")
    cos = float(np.sum(u * v)) / spread
    sin = float(np.sum(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])) / spread
    if rigid:
        cos, sin = np.cos(np.arctan2(sin, cos)), np.sin(np.arctan2(sin, cos))
    matrix = np.array([[cos, sin], [-sin, cos]])
    shift = cb - ca @ matrix
    residuals = b - (a @ matrix + shift)
    freedom = 2 * len(a) - (3 if rigid else 4) + before[1]  # see Similarity.freedom
    squares = float(np.sum(residuals**2)) + before[1] * before[0] ** 2
    sigma = float(np.sqrt(squares / freedom)) if freedom > 0 else float("nan")
    return Similarity(
        float(shift[0]),
        float(shift[1]),
        float(np.degrees(np.arctan2(sin, cos))),
        float(np.hypot(cos, sin)),
        residuals,
        sigma,
        (float(ca[0]), float(ca[1])),
        spread,
        rigid,
        before[1],
    )


def one_each(names: Sequence[str], design: ArrayLike, measured: ArrayLike) -> tuple[list[str], Points, Points]:
    """Taught points, those of one place made one: looking twice at a point does not make two. Names, design and
    measured (n × 2).
    """
    a, b = np.asarray(design, dtype=float).reshape(-1, 2), np.asarray(measured, dtype=float).reshape(-1, 2)
    kept: list[int] = []
    group = np.empty(len(a), dtype=int)
    for i, at in enumerate(a):
        same = [k for k, j in enumerate(kept) if np.hypot(*(a[j] - at)) < SAME_MM]
        group[i] = same[0] if same else len(kept)
        if not same:
            kept.append(i)
    means = np.array([b[group == k].mean(axis=0) for k in range(len(kept))]).reshape(-1, 2)
    return [names[i] for i in kept], a[kept], means


def suspect_point(design: ArrayLike, measured: ArrayLike, fit: Fit | None = None) -> int | None:
    """Index of the one point that does not belong to the others, else None. Needs ≥ 4 points.

    Leaving a point out takes two of the ν degrees of freedom; what the residual loses by it follows F(2, ν − 2) where
    all points are good. A point is named when its F has a chance below `FALSE_ALARM` over the n points tried
    (Bonferroni), so that at most one in a hundred clean fits names one; the residual must be more than `SEEN_MM`
    besides. `fit` is another transform than a similarity.
    """
    fitted = fit or fit_similarity
    a, b = np.atleast_2d(np.asarray(design, dtype=float)), np.atleast_2d(np.asarray(measured, dtype=float))
    if len(a) < 4:
        return None
    whole = fitted(a, b)
    if whole.rms_mm <= SEEN_MM:
        return None
    total = float(np.sum(whole.residuals**2))
    rest = np.array([np.sum(fitted(np.delete(a, i, 0), np.delete(b, i, 0)).residuals ** 2) for i in range(len(a))])
    left = whole.freedom - 2
    ratio = (total - rest) / 2 / np.maximum(rest / left, 1e-18)
    chance = (1 + 2 * ratio / left) ** (-left / 2)  # upper tail of F(2, left)
    best = int(np.argmin(chance))
    return best if chance[best] * len(a) < FALSE_ALARM else None
