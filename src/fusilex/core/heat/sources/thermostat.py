"""What steers an oven or a plate: its sensor, its setting, and elements that answer late."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.oven import CONTROLLED, OvenModel

Floats = NDArray[np.float64]


class Thermostat:
    """For r ovens: in proportion within a band below the setting, and, where it follows a curve, by what is left."""

    def __init__(self, ovens: Sequence[OvenModel], oven: Mapping[str, Floats], start: Floats, steps: int, step: float):
        self.oven, self.step, self.sensor = oven, step, start.copy()
        self.integral = np.array([1 / o.integral_s if o.kind == CONTROLLED else 0.0 for o in ovens])
        self.kept = np.zeros(len(ovens))
        self.told = np.zeros((steps + 2, len(ovens)))
        self.back = oven["dead_s"] / step

    def power(self, n: int, asked: Floats) -> Floats:
        """What the elements take in step n (W), as the setting was a while ago."""
        error = (asked - self.sensor) / self.oven["band_c"]
        wish = error + self.kept
        self.told[n] = np.where(asked > 0, np.clip(wish, 0.0, 1.0), 0.0)
        within = (wish > 0) & (wish < 1)
        self.kept = np.clip(self.kept + np.where(within, error * self.integral * self.step, 0.0), 0, 1)
        return np.asarray(self.oven["power_w"] * self._past(n))

    def feel(self, temperature: Floats) -> None:
        """The sensor goes after what it sits in (°C)."""
        self.sensor = self.sensor + (temperature - self.sensor) * -np.expm1(-self.step / self.oven["sensor_s"])

    def _past(self, n: int) -> Floats:
        """What each oven was told so many steps ago, straight between steps."""
        whole = np.floor(self.back).astype(int)
        rest = self.back - whole
        own = np.arange(self.told.shape[1])
        late, early = n - whole, n - whole - 1
        a = np.where(late >= 0, self.told[np.maximum(late, 0), own], 0.0)
        b = np.where(early >= 0, self.told[np.maximum(early, 0), own], 0.0)
        return np.asarray(a * (1 - rest) + b * rest)
