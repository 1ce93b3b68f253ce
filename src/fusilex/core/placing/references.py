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


@dataclass(frozen=True, eq=False)
class Similarity:
    """measured = scale · R(turn) · design + (dx, dy), fitted to n ≥ 2 points by least squares.

    `residuals` (n × 2, mm) are measured minus fitted; `sigma` is the standard error of one coordinate (mm), NaN when two
    points leave no freedom to tell.
    """

    dx: float
    dy: float
    turn_deg: float
    scale: float
    residuals: Points
    sigma: float
    centre: tuple[float, float]
    spread: float

    def apply(self, xy: ArrayLike) -> Points:
        """Design points (n × 2, mm) in the machine's frame."""
        angle = np.radians(self.turn_deg)
        matrix = self.scale * np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
        return np.asarray(np.atleast_2d(np.asarray(xy, dtype=float)) @ matrix + (self.dx, self.dy))

    @property
    def residual_mm(self) -> NDArray[np.float64]:
        """Length of each residual, n, mm."""
        return np.asarray(np.hypot(self.residuals[:, 0], self.residuals[:, 1]))

    @property
    def rms_mm(self) -> float:
        return float(np.sqrt(np.mean(self.residual_mm**2)))

    def predicted_error(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Standard placement error (mm, radial) expected at design points (n × 2) from the fit's covariance.

        For a similarity the variance of both fitted coordinates at p is σ²(1/n + |p − c|²/S), S the summed squared
        distance of the taught points from their centre c.
        """
        d2 = np.sum((np.atleast_2d(np.asarray(xy, dtype=float)) - self.centre) ** 2, axis=1)
        return np.asarray(np.sqrt(2.0) * self.sigma * np.sqrt(1.0 / len(self.residuals) + d2 / self.spread))


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
    freedom = 2 * len(a) - 4
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


def suspect_point(design: ArrayLike, measured: ArrayLike) -> int | None:
    """Index of the one point whose absence shrinks the RMS residual by more than four times, else None. Needs ≥ 4 points."""
    a, b = np.atleast_2d(np.asarray(design, dtype=float)), np.atleast_2d(np.asarray(measured, dtype=float))
    if len(a) < 4:
        return None
    whole = fit_similarity(a, b).rms_mm
    without = [fit_similarity(np.delete(a, i, 0), np.delete(b, i, 0)).rms_mm for i in range(len(a))]
    best = int(np.argmin(without))
    return best if whole > 0.02 and without[best] * 4 < whole else None


def judge_references(
    fit: Similarity, names: Sequence[str], parts: Sequence[str], part_xy: ArrayLike, suspect: int | None = None
) -> list[Judgement]:
    """The transform's quality: wrong point, scale, and predicted error at the worst part."""
    found = []
    errors = fit.predicted_error(part_xy) if len(parts) else np.zeros(0)
    numbers = (
        Because("RMS residual", fit.rms_mm, "mm"),
        Because("turn", fit.turn_deg, "°"),
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
    if len(errors):
        worst = int(np.argmax(errors))
        if np.isnan(errors[worst]):
            found.append(
                Judgement(
                    "place.error",
                    Level.UNKNOWN,
                    "transform",
                    "Two points cannot tell how good they are",
                    numbers,
                    "Teach a third point.",
                )
            )
        else:
            level = (
                Level.STOP
                if errors[worst] > ERROR_STOP_MM
                else Level.CARE
                if errors[worst] > ERROR_CARE_MM
                else Level.GO
            )
            found.append(
                Judgement(
                    "place.error",
                    level,
                    parts[worst],
                    f"{parts[worst]} may sit {errors[worst]:.3f} mm off",
                    (Because("predicted error", float(errors[worst]), "mm"), *numbers),
                    "" if level is Level.GO else "Teach points further apart, or one more.",
                    (parts[worst],),
                )
            )
    return found
