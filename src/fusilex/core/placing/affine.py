"""Least squares affine from where points are drawn to where they were seen: for panels that shrank or were sheared."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import ArrayLike, NDArray

from fusilex.core.similarity import Points, Residuals, Similarity, fit_similarity, suspect_point

LEAST_POINTS = 5
BY_CHANCE = 0.01
"""An affine is taken where the similarity's larger residuals would come by chance in fewer clean fits than this."""


class Affine(Residuals, Struct, frozen=True, eq=False):
    """measured = design @ matrix + shift, fitted to n ≥ 4 points by least squares, mm; `residuals` (n × 2) measured
    minus fitted, `sigma` the standard error of a coordinate (mm), `inverse` (3 × 3) that of the normal matrix.
    """

    matrix: NDArray[np.float64]
    shift: NDArray[np.float64]
    residuals: Points
    sigma: float
    inverse: NDArray[np.float64]

    def apply(self, xy: ArrayLike) -> Points:
        """Design points (n × 2, mm) in the machine's frame."""
        return np.asarray(np.atleast_2d(np.asarray(xy, dtype=float)) @ self.matrix + self.shift)

    @property
    def dx(self) -> float:
        return float(self.shift[0])

    @property
    def dy(self) -> float:
        return float(self.shift[1])

    @property
    def stretch(self) -> tuple[float, float]:
        """Scale along the design's x and y."""
        along = np.hypot(self.matrix[:, 0], self.matrix[:, 1])
        return float(along[0]), float(along[1])

    @property
    def scale(self) -> float:
        """The scale that is further from 1."""
        return max(self.stretch, key=lambda s: abs(s - 1))

    @property
    def rotation_deg(self) -> float:
        """Degrees that the panel is turned: the mean of its two axes."""
        x = np.degrees(np.arctan2(self.matrix[0, 1], self.matrix[0, 0]))
        return float(x - self.shear_deg / 2)

    @property
    def shear_deg(self) -> float:
        """How much less than a right angle the panel's axes make, degrees."""
        (a, b), (c, d) = self.matrix
        between = np.degrees(np.arctan2(d, c) - np.arctan2(b, a))
        return float((90.0 - between + 180.0) % 360.0 - 180.0)

    @property
    def freedom(self) -> float:
        return 2 * len(self.residuals) - 6

    def predicted_error(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Standard placement error (mm, radial) at design points: σ √(2 rᵀ (AᵀA)⁻¹ r) with r = (x, y, 1)."""
        rows = _rows(xy)
        return np.asarray(self.sigma * np.sqrt(2 * np.einsum("ij,jk,ik->i", rows, self.inverse, rows)))

    def error_within(self, xy: ArrayLike, share: float = 0.95) -> NDArray[np.float64]:
        """Placement error (mm, radial) that a share of fits stay under, as `Similarity.error_within`."""
        quantile = self.freedom / 2 * ((1 - share) ** (-2 / self.freedom) - 1)
        return np.asarray(self.predicted_error(xy) * np.sqrt(quantile))


Transform = Similarity | Affine


def hidden_by_step(fit: Transform, xy: ArrayLike, step: float) -> NDArray[np.float64]:
    """Placement error (mm, radial) at design points that 95 % of fits stay under for the step alone (mm) in which
    points were read: σ = step/√12, which no residual shows where all points lie alike between two steps, so that more
    points do not lessen it.

    >>> fit = fit_similarity([(0, 0), (40, 0), (0, 30)], [(0, 0), (40, 0), (0, 30)])
    >>> hidden_by_step(fit, [fit.centre], 0.1).round(3).tolist()  # half the diagonal of a step
    [0.071]
    """
    own = replace(fit, sigma=1.0).predicted_error(xy) ** 2 - 2.0 / len(fit.residuals)
    return np.asarray(step / np.sqrt(12) * np.sqrt((2.0 + own) * -np.log(0.05)))


def odd_one(design: ArrayLike, measured: ArrayLike) -> int | None:
    """Index of the one point that does not belong to the others under the fit that is taken, else None."""
    try:
        affine = isinstance(best_fit(design, measured), Affine)
    except ValueError:
        return None
    return suspect_point(design, measured, fit_affine if affine else fit_similarity)


def fit_affine(design: ArrayLike, measured: ArrayLike) -> Affine:
    """Least squares affine from design to measured points (n × 2, mm). Raises ValueError for fewer than four points or
    points in a line.

    >>> sheared = [(0, 0), (10, 0), (10.1, 10), (0.1, 10)]
    >>> round(fit_affine([(0, 0), (10, 0), (10, 10), (0, 10)], sheared).shear_deg, 3)
    0.573
    """
    a, b = np.asarray(design, dtype=float).reshape(-1, 2), np.asarray(measured, dtype=float).reshape(-1, 2)
    if len(a) < 4 or a.shape != b.shape:
        raise ValueError("an affine needs at least four taught points")
    rows = _rows(a)
    normal = rows.T @ rows
    if np.linalg.cond(normal) > 1e12:
        raise ValueError("the taught points lie in a line: teach points far apart")
    inverse = np.asarray(np.linalg.inv(normal), dtype=float)
    found = inverse @ rows.T @ b
    residuals = b - rows @ found
    sigma = float(np.sqrt(np.sum(residuals**2) / (2 * len(a) - 6)))
    return Affine(found[:2], found[2], residuals, sigma, inverse)


def best_fit(design: ArrayLike, measured: ArrayLike) -> Transform:
    """A similarity, or with at least five points an affine, where that explains what a similarity leaves: its two
    further numbers are taken by F(2, ν), at a chance of one in a hundred. Two points tell shift and turn, and their
    distance is the one thing that checks them. Raises ValueError as `fit_similarity`.
    """
    similar = fit_similarity(design, measured)
    if len(similar.residuals) == 2:
        return fit_similarity(design, measured, rigid=True)
    if len(similar.residuals) < LEAST_POINTS:
        return similar
    try:
        affine = fit_affine(design, measured)
    except ValueError:
        return similar
    left, rest = affine.freedom, float(np.sum(affine.residuals**2))
    ratio = (float(np.sum(similar.residuals**2)) - rest) / 2 / max(rest / left, 1e-12)
    return affine if (1 + 2 * ratio / left) ** (-left / 2) < BY_CHANCE else similar


def _rows(xy: ArrayLike) -> NDArray[np.float64]:
    at = np.atleast_2d(np.asarray(xy, dtype=float))
    return np.column_stack([at, np.ones(len(at))])
