"""Hot air from above: what a nozzle's jet gives to the board about the spot that it is held on."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.heat.matter import KELVIN, ROOM_C

Floats = NDArray[np.float64]
AIR_KG_PER_M3, PRANDTL = 1.184, 0.70
"""Of air at 25 °C, at which flows are given; and over all temperatures of a gun."""
INNER, CORE, HIGHEST = 2.5, 5.0, 12.0
"""In diameters: inside this the mean is taken; a jet keeps its heat so far; the correlation ends here."""


def air_at(celsius: float) -> tuple[float, float]:
    """Viscosity (Pa s) and conductivity (W/mK) of air (Sutherland's formula; U.S. Standard Atmosphere 1976).

    >>> mu, k = air_at(25.0)
    >>> round(mu * 1e6, 2), round(k, 4)
    (18.37, 0.0261)
    """
    t = celsius + KELVIN
    return 1.458e-6 * t**1.5 / (t + 110.4), 2.64638e-3 * t**1.5 / (t + 245.4 * 10 ** (-12 / t))


def jet_w_per_m2k(
    radius_mm: Floats, nozzle_mm: float, distance_mm: float, litres_per_min: float, air_c: float
) -> Floats:
    """Heat transfer (W/m²K) at radii (mm) from the middle of a round nozzle's jet.

    Martin's correlation for a single round nozzle (Advances in Heat Transfer 13, 1977; Incropera, Fundamentals of Heat
    and Mass Transfer, ch. 7.7): the mean within r is Nu = Pr^0.42 · G · F with G = D/r · (1 − 1.1 D/r) / (1 + 0.1 (H/D
    − 6) D/r) and F = 2 √Re · √(1 + 0.005 Re^0.55). Within 2.5 D it is that mean, beyond it what the mean's growth
    with r leaves for a place. Below Re 2,000, where guns at their lowest flow are, it is stretched.

    >>> jet_w_per_m2k(np.array([0.0, 20.0]), 5.0, 20.0, 10.0, 350.0).round(0).tolist()
    [184.0, 96.0]
    """
    if litres_per_min <= 0:
        return np.zeros_like(radius_mm)
    d = nozzle_mm * 1e-3
    mu, k = air_at(air_c)
    reynolds = 4 * AIR_KG_PER_M3 * litres_per_min / 60_000 / (math.pi * d * mu)
    strong = 2 * math.sqrt(reynolds) * math.sqrt(1 + 0.005 * reynolds**0.55)
    lean = 0.1 * (min(max(distance_mm / nozzle_mm, 2.0), HIGHEST) - 6)
    x = np.maximum(np.asarray(radius_mm) / nozzle_mm, INNER)  # radii in diameters

    def whole(x: Floats) -> Floats:
        """The mean times r², in diameters."""
        return np.asarray((x - 1.1) * x / (x + lean))

    nudge = 1e-4
    local = (whole(x + nudge) - whole(x)) / ((x + nudge) ** 2 - x**2)
    mean = whole(np.array(INNER)) / INNER**2
    shape = np.where(np.asarray(radius_mm) / nozzle_mm <= INNER, mean, np.minimum(local, mean))
    return np.asarray(shape * strong * PRANDTL**0.42 * k / d)


class Stream(Struct, frozen=True, eq=False):
    """Air from `times` (s) on at `celsius` and `litres_per_min`, held until the next; 0 l/min: lifted away. `places`
    (r × 2, mm from the middle of the tray, one a run), the nozzle's bore and height above the board (mm), and
    `half_mm`, the radius at which the air's heat has fallen to half.
    """

    times: tuple[float, ...]
    celsius: tuple[float, ...]
    litres_per_min: tuple[float, ...]
    places: Floats
    nozzle_mm: float = 5.0
    distance_mm: float = 15.0
    half_mm: float = 5.5

    def __post_init__(self) -> None:
        if list(self.times) != sorted(self.times):
            raise ValueError("the times of a stream rise")

    def phase(self, t: float) -> int:
        """Which of its settings holds at a time (s), −1 before the first."""
        return int(np.searchsorted(self.times, t + 1e-9, side="right")) - 1

    def at(self, phase: int, xy: Floats) -> tuple[Floats, Floats]:
        """Heat transfer (W/m²K) and the air's temperature (°C) at places (k × 2, mm), k × r each. Entrained air cools
        it: to half at `half_mm`, as a bell (turbulent round jets: Pope, Turbulent Flows, ch. 5); and along its way
        beyond five diameters, in proportion.
        """
        c, flow = self.celsius[phase], self.litres_per_min[phase]
        away = np.hypot(xy[:, :1] - self.places[:, 0], xy[:, 1:] - self.places[:, 1])
        left = min(1.0, CORE * self.nozzle_mm / max(self.distance_mm, 1e-9))
        share = left * np.exp(-math.log(2) * (away / self.half_mm) ** 2)
        blown = jet_w_per_m2k(away, self.nozzle_mm, self.distance_mm, flow, c)
        return blown, ROOM_C + (c - ROOM_C) * share
