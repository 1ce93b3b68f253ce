"""Reference points taught on the machine: the transform's residuals and the error predicted elsewhere, judged."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fusilex.core.evidence import Level, every, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.resolution import step_of
from fusilex.core.placing.affine import Affine, Transform, hidden_by_step
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

SCALE_LIMIT, SHEAR_LIMIT_DEG = 0.003, 0.2
ERROR_CARE_MM, ERROR_STOP_MM = 0.05, 0.10
FINEST_MM = 0.001
"""No read-out of a bed shows less."""


def judge_references(
    fit: Transform,
    names: Sequence[str],
    parts: Sequence[str],
    part_xy: ArrayLike,
    suspect: int | None = None,
    step: float = 0.0,
) -> list[Judgement]:
    """The transform's quality: wrong point, scale, and the error that 95 % stay under at the worst part; `step` (mm) is
    that in which the points were read.
    """
    found = []
    numbers = (
        Quantity("RMS residual", fit.rms_mm, "mm"),
        Quantity("points", len(fit.residuals)),
        Quantity("turn", fit.rotation_deg, "°"),
        Quantity("scale", f"{fit.scale:.5f}"),
        *((Quantity("shear", fit.shear_deg, "°"),) if isinstance(fit, Affine) else ()),
    )
    if suspect is not None:
        found.append(
            Judgement(
                "place.suspect",
                Level.STOP,
                names[suspect],
                say("wrong", point=names[suspect]),
                (Quantity("its residual", float(fit.residual_mm[suspect]), "mm"), *numbers),
                say("teach again", point=names[suspect]),
                (names[suspect],),
            )
        )
    scale = _scale(fit)
    if abs(scale - 1) > SCALE_LIMIT:
        found.append(
            Judgement(
                "place.scale",
                Level.STOP,
                "scale",
                say("scale off"),
                (Quantity("scale", f"{scale:.4f}"), Quantity("allowed", SCALE_LIMIT * 100, "%")),
                say("a point is wrong"),
            )
        )
    if isinstance(fit, Affine) and abs(fit.shear_deg) > SHEAR_LIMIT_DEG:
        found.append(
            Judgement(
                "place.shear",
                Level.STOP,
                "shear",
                say("sheared"),
                (Quantity("shear", fit.shear_deg, "°"), Quantity("allowed", SHEAR_LIMIT_DEG, "°")),
                say("a point is wrong"),
            )
        )
    if len(parts):
        if step:
            numbers = (*numbers, Quantity("read in steps of", step, "mm"))
        found.append(_judged_error(fit, parts, part_xy, numbers, step))
    return found


def _scale(fit: Transform) -> float:
    """The scale of a fit; of two points that of their distance, which a rigid fit leaves to its residuals."""
    if isinstance(fit, Affine) or not fit.rigid:
        return fit.scale
    return 1.0 + 2.0 * float(fit.residual_mm.mean()) / float(np.sqrt(2 * fit.spread))


def step_read(measured: ArrayLike) -> float:
    """The step (mm) in which points (n × 2) were read, as far as they tell it themselves."""
    return step_of(np.round(np.asarray(measured, dtype=float), 4).ravel(), FINEST_MM)


def error_within(fit: Transform, xy: ArrayLike, step: float) -> NDArray[np.float64]:
    """What the placement error (mm, radial) stays under in 95 of 100 fits, the step of the readings included."""
    return np.asarray(np.hypot(fit.error_within(xy), hidden_by_step(fit, xy, step)))


def _judged_error(
    fit: Transform, parts: Sequence[str], part_xy: ArrayLike, numbers: tuple[Quantity, ...], step: float
) -> Judgement:
    within, usual = error_within(fit, part_xy, step), fit.predicted_error(part_xy)
    if np.isnan(within[0]) or len(fit.residuals) == 2:
        text, do = say("two points"), say("third point")
        return Judgement("place.error", Level.UNKNOWN, "transform", text, numbers, do, (), ("a third point",))
    worst = int(np.argmax(within))
    bound, error = float(within[worst]), float(usual[worst])
    level, case = _error_level(bound), "may be off"
    if fit.freedom <= 2 and _error_level(error) is not level:
        level, case = Level.UNKNOWN, "three points"
    because = (
        Quantity("95 % stay under", bound, "mm", limit=(0.0, ERROR_CARE_MM)),
        Quantity("standard error", error, "mm"),
        *numbers,
    )
    text, refs = say(case, part=parts[worst]), (parts[worst].split(" ")[0],)
    act = None if level is Level.GO else say("fourth point" if fit.freedom <= 2 else "points further out")
    missing = ("a fourth point",) if level is Level.UNKNOWN else ()
    seen = (every("parts", len(parts)),)
    return Judgement("place.error", level, parts[worst], text, because, act, refs, missing, seen)


def _error_level(mm: float) -> Level:
    return weigh(exactly(mm), (0.0, ERROR_CARE_MM), [every("parts", 1)], hard=(0.0, ERROR_STOP_MM))
