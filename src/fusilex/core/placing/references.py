"""Reference points taught on the machine: the transform's residuals and the error predicted elsewhere, judged."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.placing.affine import Affine, Transform

SCALE_LIMIT, SHEAR_LIMIT_DEG = 0.003, 0.2
ERROR_CARE_MM, ERROR_STOP_MM = 0.05, 0.10


def judge_references(
    fit: Transform, names: Sequence[str], parts: Sequence[str], part_xy: ArrayLike, suspect: int | None = None
) -> list[Judgement]:
    """The transform's quality: wrong point, scale, and the error that 95 % stay under at the worst part."""
    found = []
    numbers = (
        Because("RMS residual", fit.rms_mm, "mm"),
        Because("points", len(fit.residuals)),
        Because("turn", fit.rotation_deg, "°"),
        Because("scale", f"{fit.scale:.5f}"),
        *((Because("shear", fit.shear_deg, "°"),) if isinstance(fit, Affine) else ()),
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
    if isinstance(fit, Affine) and abs(fit.shear_deg) > SHEAR_LIMIT_DEG:
        found.append(
            Judgement(
                "place.shear",
                Level.STOP,
                "shear",
                "The taught points shear the board",
                (Because("shear", fit.shear_deg, "°"), Because("allowed", SHEAR_LIMIT_DEG, "°")),
                "Suspect a wrong point before a sheared board.",
            )
        )
    if len(parts):
        found.append(_judged_error(fit, parts, part_xy, numbers))
    return found


def _judged_error(fit: Transform, parts: Sequence[str], part_xy: ArrayLike, numbers: tuple[Because, ...]) -> Judgement:
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
