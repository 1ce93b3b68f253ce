"""Reference points taught on the machine: least squares transform, residuals, predicted error elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fusilex.core.judgement import Because, Judgement, Level

Points = NDArray[np.float64]
SCALE_LIMIT = 0.003
ERROR_CARE_MM, ERROR_STOP_MM = 0.05, 0.10
SAME_MM, SEEN_MM = 0.01, 0.02
FALSE_ALARM = 0.01
"""Share of clean fits in which a good point may be called wrong."""


@dataclass(frozen=True, eq=False)
class Similarity:
    """measured = scale · R(turn) · design + (dx, dy), fitted to n ≥ 2 points by least squares.

    `residuals` (n × 2, mm) are measured minus fitted; `sigma` is the standard error of one coordinate (mm), NaN when
    two points leave no freedom to tell.
    """

    dx: float
    dy: float
    rotation_deg: float
    scale: float
    residuals: Points
    sigma: float
    centre: tuple[float, float]
    spread: float

    def apply(self, xy: ArrayLike) -> Points:
        """Design points (n × 2, mm) in the machine's frame."""
        angle = np.radians(self.rotation_deg)
        matrix = self.scale * np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        return np.asarray(np.atleast_2d(np.asarray(xy, dtype=float)) @ matrix + (self.dx, self.dy))

    @property
    def residual_mm(self) -> NDArray[np.float64]:
        """Length of each residual, n, mm."""
        return np.asarray(np.hypot(self.residuals[:, 0], self.residuals[:, 1]))

    @property
    def rms_mm(self) -> float:
        return float(np.sqrt(np.mean(self.residual_mm**2)))

    @property
    def freedom(self) -> int:
        """Degrees of freedom that tell sigma: two a point, less the four of the transform."""
        return 2 * len(self.residuals) - 4

    def predicted_error(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Standard placement error (mm, radial) expected at design points (n × 2) from the fit's covariance.

        For a similarity the variance of both fitted coordinates at p is σ²(1/n + |p − c|²/S), S the summed squared
        distance of the taught points from their centre c.
        """
        d2 = np.sum((np.atleast_2d(np.asarray(xy, dtype=float)) - self.centre) ** 2, axis=1)
        return np.asarray(np.sqrt(2.0) * self.sigma * np.sqrt(1.0 / len(self.residuals) + d2 / self.spread))

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


def fit_similarity(design: ArrayLike, measured: ArrayLike) -> Similarity:
    """Least squares similarity (Umeyama 1991, without reflection) from design to measured points, both n × 2, mm.

    Raises ValueError for fewer than two points or points that coincide.
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
    matrix = np.array([[cos, sin], [-sin, cos]])
    shift = cb - ca @ matrix
    residuals = b - (a @ matrix + shift)
    freedom = 2 * len(a) - 4  # see Similarity.freedom
    sigma = float(np.sqrt(np.sum(residuals**2) / freedom)) if freedom > 0 else float("nan")
    return Similarity(
        float(shift[0]),
        float(shift[1]),
        float(np.degrees(np.arctan2(sin, cos))),
        float(np.hypot(cos, sin)),
        residuals,
        sigma,
        (float(ca[0]), float(ca[1])),
        spread,
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


def suspect_point(design: ArrayLike, measured: ArrayLike) -> int | None:
    """Index of the one point that does not belong to the others, else None. Needs ≥ 4 points.

    Leaving a point out takes two of the ν degrees of freedom; what the residual loses by it follows F(2, ν − 2) where
    all points are good. A point is named when its F has a chance below `FALSE_ALARM` over the n points tried
    (Bonferroni), so that at most one in a hundred clean fits names one; the residual must be more than `SEEN_MM`
    besides.
    """
    a, b = np.atleast_2d(np.asarray(design, dtype=float)), np.atleast_2d(np.asarray(measured, dtype=float))
    if len(a) < 4:
        return None
    whole = fit_similarity(a, b)
    if whole.rms_mm <= SEEN_MM:
        return None
    total = float(np.sum(whole.residuals**2))
    rest = np.array(
        [np.sum(fit_similarity(np.delete(a, i, 0), np.delete(b, i, 0)).residuals ** 2) for i in range(len(a))]
    )
    left = whole.freedom - 2
    ratio = (total - rest) / 2 / np.maximum(rest / left, 1e-18)
    chance = (1 + 2 * ratio / left) ** (-left / 2)  # upper tail of F(2, left)
    best = int(np.argmin(chance))
    return best if chance[best] * len(a) < FALSE_ALARM else None


def judge_references(
    fit: Similarity, names: Sequence[str], parts: Sequence[str], part_xy: ArrayLike, suspect: int | None = None
) -> list[Judgement]:
    """The transform's quality: wrong point, scale, and the error that 95 % stay under at the worst part."""
    found = []
    numbers = (
        Because("RMS residual", fit.rms_mm, "mm"),
        Because("points", len(fit.residuals)),
        Because("turn", fit.rotation_deg, "°"),
        Because("scale", f"{fit.scale:.5f}"),
    )
    if suspect is not None:
        found.append(
            Judgement(
                "place.suspect",
                Level.STOP,
                names[suspect],
                f"{names[suspect]} was taught in the wrong place",
                (Because("its residual", float(fit.residual_mm[suspect]), "mm"), *numbers),
                f"Look at {names[suspect]} again and teach it anew.",
                (names[suspect],),
            )
        )
    if abs(fit.scale - 1) > SCALE_LIMIT:
        found.append(
            Judgement(
                "place.scale",
                Level.STOP,
                "scale",
                "The taught points stretch the board",
                (Because("scale", f"{fit.scale:.4f}"), Because("allowed", SCALE_LIMIT * 100, "%")),
                "Suspect a wrong point before a stretched board.",
            )
        )
    if len(parts):
        found.append(_judged_error(fit, parts, part_xy, numbers))
    return found


def _judged_error(fit: Similarity, parts: Sequence[str], part_xy: ArrayLike, numbers: tuple[Because, ...]) -> Judgement:
    within, usual = fit.error_within(part_xy), fit.predicted_error(part_xy)
    if np.isnan(within[0]):
        do = "Teach a third point."
        return Judgement(
            "place.error", Level.UNKNOWN, "transform", "Two points cannot tell how good they are", numbers, do
        )
    worst = int(np.argmax(within))
    bound, error = float(within[worst]), float(usual[worst])
    level, text = _error_level(bound), f"{parts[worst]} may sit {bound:.3f} mm off"
    if fit.freedom <= 2 and _error_level(error) is not level:
        level = Level.UNKNOWN
        text = f"Three points cannot tell more than that {parts[worst]} sits within {bound:.3f} mm"
    because = (Because("95 % stay under", bound, "mm"), Because("standard error", error, "mm"), *numbers)
    do = (
        ""
        if level is Level.GO
        else "Teach a fourth point."
        if fit.freedom <= 2
        else "Teach points further apart, or one more."
    )
    return Judgement("place.error", level, parts[worst], text, because, do, (parts[worst].split(" ")[0],))


def _error_level(mm: float) -> Level:
    return Level.STOP if mm > ERROR_STOP_MM else Level.CARE if mm > ERROR_CARE_MM else Level.GO
