"""The step in which an instrument shows its readings, found from the readings themselves."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

LEAST_READINGS = 4
DIGITS = (5.0, 2.0, 1.0)


def step_of(readings: ArrayLike, finest: float) -> float:
    """The coarsest of …, 0.1, 0.2, 0.5, 1, 2, 5, … of which all readings (n) are whole multiples, no finer than
    `finest`; `finest` for fewer than four. Chance finds a coarser step than there is in one of 2ⁿ cases: it makes
    intervals wider, never narrower.

    >>> step_of([330, 340, 320, 350], 0.01), step_of([331.2, 330.8, 331.0, 329.6], 0.01), step_of([330, 340], 0.01)
    (10.0, 0.2, 0.01)
    """
    values = np.abs(np.asarray(readings, dtype=float))
    values = values[np.isfinite(values)]
    enough, values = len(values) >= LEAST_READINGS, values[values > 0]
    if not enough or not len(values):
        return finest
    top = math.floor(math.log10(values.min()))
    for power in range(top, math.floor(math.log10(finest)) - 1, -1):
        for digit in DIGITS:
            step = digit * 10.0**power
            if step >= finest and (np.abs(values / step - np.rint(values / step)) < 1e-6 * values / step + 1e-9).all():
                return float(f"{step:.12g}")
    return finest
