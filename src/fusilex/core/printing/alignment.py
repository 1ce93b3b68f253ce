"""How the foil lies: shift, turn and stretch from what was seen in the loupes, and what to move to put it right."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import ArrayLike, NDArray

from fusilex.core.evidence import NORMAL_95, Level
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.resolution import step_of
from fusilex.core.quantities import Quantity, amount, write_length
from fusilex.core.similarity import Points, Similarity, fit_similarity, suspect_point
from fusilex.core.wording import say

READ_MM = 0.003
"""Standard error of what is read to the hundredth and written down: no fit knows more than that."""
EYES = (0.015, 6.0)
"""What eyes make of a loupe of ten times, 0.015 mm a coordinate, believed as much as six looks' worth of residuals."""
FINEST_MM = 0.01
"""Nobody reads finer in a loupe; `READ_MM` is its standard error."""
ONE_PLACE_MM = 0.5
"""Looks so close together are looks at one place."""
SLIP_MM = 0.04
SURE = 0.95
HINGES = ("top", "bottom", "left", "right")
Box = tuple[float, float, float, float]


class Alignment(Struct, frozen=True, eq=False):
    """Where paste lies: p drawn is p + at(p) printed. `dx`, `dy` (mm) are the shift at `middle`, the turn is
    counter-clockwise, `stretch` what lengths grow by as a share (0 where two places cannot tell).

    `within95` holds what 95 % of fits stay within, by the same names; `places` (n × 2, mm) is where somebody looked, in
    steps of so much (mm).
    """

    dx: float
    dy: float
    rotation_deg: float
    stretch: float
    within95: dict[str, float]
    middle: tuple[float, float]
    places: Points
    fit: Similarity
    step: float = 0.0

    def at(self, xy: ArrayLike) -> Points:
        """How far paste lies off at places (n × 2, mm)."""
        points = np.atleast_2d(np.asarray(xy, dtype=float))
        return np.asarray(self.fit.apply(points) - points)

    def matrix(self) -> tuple[float, float, float, float, float, float]:
        """The fit as a, b, d, e, xoff, yoff: x' = a x + b y + xoff, y' = d x + e y + yoff."""
        angle = np.radians(self.fit.rotation_deg)
        cos, sin = float(self.fit.scale * np.cos(angle)), float(self.fit.scale * np.sin(angle))
        return cos, -sin, sin, cos, self.fit.dx, self.fit.dy

    def known_to(self, xy: ArrayLike) -> NDArray[np.float64]:
        """What the error at places (n × 2) stays under in 95 of 100 fits (n, mm, radial)."""
        points = np.atleast_2d(np.asarray(xy, dtype=float))
        floor = np.hypot(1.0, 1.0) * 1.96 * READ_MM * np.ones(len(points))
        within = np.maximum(np.nan_to_num(self.fit.error_within(points, SURE), nan=np.inf), floor)
        return np.asarray(np.hypot(within, NORMAL_95 * self.step / math.sqrt(6)))


def lies(
    places: ArrayLike,
    seen: ArrayLike,
    middle: tuple[float, float],
    before: tuple[float, float] = (0.0, 0.0),
    written: float = 0.0,
) -> Alignment:
    """Shift, turn and, from three places on, stretch, by least squares (Umeyama 1991), from where somebody looked
    (n × 2, mm) and how far paste was seen to lie from its pad there (n × 2, mm).

    What 95 % stay within is Student's t with the residuals' degrees of freedom times the standard error of each number;
    two looks leave one, so that they know little until a third confirms them, unless how well these eyes read was known
    `before`: standard error (mm) and its degrees of freedom. What the step of the readings hides, found or as
    `written`, is added (σ = step/√12). Raises ValueError for fewer than two places.

    >>> found = lies([(0, 0), (40, 0), (0, 30)], [(0.1, 0.05), (0.1, 0.05), (0.1, 0.05)], (20, 15))
    >>> [round(v, 4) for v in (found.dx, found.dy, found.rotation_deg, found.stretch)]
    [0.1, 0.05, 0.0, 0.0]
    """
    at, off = np.atleast_2d(np.asarray(places, dtype=float)), np.atleast_2d(np.asarray(seen, dtype=float))
    if at.shape != off.shape or at.shape[1] != 2 or not (np.isfinite(at).all() and np.isfinite(off).all()):
        raise ValueError("each look has a place and how far paste lies from its pad")
    apart = different(at)
    if apart < 2:
        raise ValueError("an alignment needs looks at two places that are far apart")
    step = max(step_of(off.ravel(), FINEST_MM), written)
    step = step if step > FINEST_MM else 0.0  # what `READ_MM` has already
    sigma, freedom = before
    if freedom or step:  # readings in steps may agree by chance; what they hide does not show in residuals
        before = math.hypot(sigma, step / math.sqrt(12)), freedom or EYES[1]
    fit = fit_similarity(at, at + off, apart < 3, before)
    if step:
        fit = replace(fit, sigma=max(fit.sigma, before[0]))
    here = fit.apply([middle])[0] - middle
    return Alignment(
        float(here[0]),
        float(here[1]),
        fit.rotation_deg,
        fit.scale - 1.0,
        _within(fit, middle, step),
        middle,
        at,
        fit,
        step,
    )


def different(places: Points) -> int:
    """In how many places somebody looked."""
    kept: list[Points] = []
    for at in places:
        if all(np.hypot(*(at - other)) > ONE_PLACE_MM for other in kept):
            kept.append(at)
    return len(kept)


def _within(fit: Similarity, middle: tuple[float, float], step: float) -> dict[str, float]:
    """Half of each 95 % interval. Shift is known as well as the middle of the looks, and as the turn allows from there;
    turn and stretch by how far the looks lie apart.
    """
    from scipy.special import stdtrit  # when first asked for: it takes as long as the window takes to open

    n, (x, y) = len(fit.residuals), np.subtract(middle, fit.centre)
    factor = max(float(stdtrit(fit.freedom, 0.5 + SURE / 2)) * fit.sigma, 1.96 * READ_MM)
    along, across = 1 / n, 1 / fit.spread
    vx = along + across * (y * y if fit.rigid else x * x + y * y)
    vy = along + across * (x * x if fit.rigid else x * x + y * y)
    alike = NORMAL_95 * step / math.sqrt(12)  # looks that are off alike are rounded alike
    apart = step / math.sqrt(fit.spread)
    return {
        "dx_mm": math.hypot(factor * float(np.sqrt(vx)), alike),
        "dy_mm": math.hypot(factor * float(np.sqrt(vy)), alike),
        "rotation_deg": float(np.degrees(math.hypot(factor * np.sqrt(across), apart))) / fit.scale,
        "stretch": 0.0 if fit.rigid else factor * float(np.sqrt(across)),
    }


class Move(Struct, frozen=True):
    """What to do at one end of the hinge, or at one stop of a frame: by so much (mm) to the right and up, seen from
    above. `where` names it; `tape` is how much of it runs along the tape, which has to be lifted for it.
    """

    where: str
    at: tuple[float, float]
    x: float
    y: float
    tape: float = 0.0

    @property
    def words(self) -> str:
        """``left end 0.13 mm down``; what is under a hundredth is left out."""
        parts = [
            f"{write_length(abs(v))} {plus if v > 0 else minus}"
            for v, plus, minus in ((self.x, "right", "left"), (self.y, "up", "down"))
            if abs(v) >= 0.005
        ]
        return f"{self.where} {' and '.join(parts) or 'stays'}"


def hinge_ends(box: Box, hinge: str) -> list[tuple[str, tuple[float, float]]]:
    """Names and places of the two ends of a hinge along a side of the board's box (x0, y0, x1, y1; mm)."""
    x0, y0, x1, y1 = box
    if hinge in ("top", "bottom"):
        y = y1 if hinge == "top" else y0
        return [("left end", (x0, y)), ("right end", (x1, y))]
    x = x0 if hinge == "left" else x1
    return [("lower end", (x, y0)), ("upper end", (x, y1))]


def moves(found: Alignment, box: Box, hinge: str = "top") -> list[Move]:
    """How far each end of a taped hinge has to go: back by what the foil lies off there. A stretch stays.

    >>> off = lies([(0, 0), (40, 0)], [(0.1, -0.2), (0.1, 0.2)], (20, 15))
    >>> [m.words for m in moves(off, (0, 0, 40, 30), "bottom")]
    ['left end 0.10 mm left and 0.20 mm up', 'right end 0.10 mm left and 0.20 mm down']
    """
    along = 0 if hinge in ("top", "bottom") else 1
    made = []
    for name, at in hinge_ends(box, hinge):
        step = _back(found, at)
        made.append(Move(name, at, float(step[0]), float(step[1]), float(step[along])))
    return made


def frame_moves(found: Alignment, box: Box, hinge: str = "top") -> list[Move]:
    """The same for a framed stencil against three stops: two on the side of the hinge, one round the corner; each can
    only go across its own side.
    """
    x0, y0, x1, y1 = box
    level = hinge in ("top", "bottom")
    third = ("stop at the left", (x0, (y0 + y1) / 2)) if level else ("stop below", ((x0 + x1) / 2, y0))
    made = []
    for n, (name, at) in enumerate([*hinge_ends(box, hinge), third]):
        step = _back(found, at)
        across = 1 if level == (n < 2) else 0
        only = (float(step[0]), 0.0) if across == 0 else (0.0, float(step[1]))
        made.append(Move(name if n == 2 else name.replace("end", "stop"), at, *only))
    return made


def _back(found: Alignment, at: tuple[float, float]) -> NDArray[np.float64]:
    """From where a point of the foil lies to where it belongs, by shift and turn about the middle alone."""
    angle, lever = np.radians(found.rotation_deg), np.subtract(at, found.middle)
    turned = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]) @ lever
    return np.asarray(lever - turned - (found.dx, found.dy))


def moved(found: Alignment, made: Sequence[Move]) -> tuple[float, float, float]:
    """Shift at the middle (mm) and turn (°) that are left when two ends are moved as told: what hands will get."""
    (a, b), (p, q) = [np.array(m.at) for m in made[:2]], [np.array((m.x, m.y)) for m in made[:2]]
    start, end = found.fit.apply([a, b]), found.fit.apply([a, b]) + np.array([p, q])
    step = fit_similarity(start, end, rigid=True)
    left = step.apply(found.fit.apply([found.middle]))[0] - found.middle
    return float(left[0]), float(left[1]), found.rotation_deg + step.rotation_deg


def judge_looks(found: Alignment) -> list[Judgement]:
    """What the looks say beyond shift and turn: one that was misread, a foil that slipped between two looks, a foil
    that is longer or shorter than the board.
    """
    numbers = (Quantity("looks", len(found.places)), Quantity("RMS residual", found.fit.rms_mm, "mm"))
    made = []
    if (pair := _slipped(found)) is not None:
        x, y = found.places[pair[0]]
        do = say("clamp it")
        far = Quantity("apart", float(np.hypot(*(found.fit.residuals[pair[0]] - found.fit.residuals[pair[1]]))), "mm")
        text = say("slipped", x=amount(x, "mm"), y=amount(y, "mm"))
        made.append(Judgement("print.slip", Level.STOP, "foil", text, (far, *numbers), do))
    elif (wrong := suspect_point(found.places, found.places + _seen(found))) is not None:
        x, y = found.places[wrong]
        own = Quantity("its residual", float(found.fit.residual_mm[wrong]), "mm")
        text = say("misread", x=amount(x, "mm"), y=amount(y, "mm"))
        do = say("look again")
        made.append(Judgement("print.misread", Level.STOP, f"look {wrong + 1}", text, (own, *numbers), do))
    elif abs(found.stretch) > max(found.within95["stretch"], STRETCH_SEEN):
        text = say("longer" if found.stretch > 0 else "shorter")
        half = 1000 * found.within95["stretch"]
        size = Quantity("by", by := 1000 * found.stretch, "mm per m", (by - half, by + half))
        do = say("centre the error")
        made.append(Judgement("print.stretch", Level.CARE, "foil", text, (size, *numbers), do))
    return made


STRETCH_SEEN = 2e-4
"""A foil that is longer by a fifth of a thousandth is one: 0.02 mm on 100 mm."""


def _seen(found: Alignment) -> Points:
    return np.asarray(found.fit.apply(found.places) + found.fit.residuals - found.places)


def _slipped(found: Alignment) -> tuple[int, int] | None:
    """Two looks at one place whose difference is more than eyes make, None where there are none."""
    at, seen = found.places, _seen(found)
    for i in range(len(at)):
        for j in range(i + 1, len(at)):
            if np.hypot(*(at[i] - at[j])) <= ONE_PLACE_MM and np.hypot(*(seen[i] - seen[j])) > SLIP_MM:
                return i, j
    return None
