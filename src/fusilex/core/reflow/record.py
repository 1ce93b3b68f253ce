"""What a temperature log records of one probe: good samples, where they leave gaps, and which samples no board can
have had.
"""

from __future__ import annotations

import itertools

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.reflow.noise import held

Array = NDArray[np.float64]
GAP_S = 10.0
"""Samples further apart than this leave open what happened between them."""
WILD_C, WILD_C_PER_S = 5.0, 8.0
"""A sample that leaps this far and this fast away from its neighbours and back is the thermocouple's, not the
board's: ovens for boards change by no more than 6 °C/s.
"""
LEAST_SAMPLES = 10


class Trace(Struct, frozen=True, eq=False):
    """n ≥ 2 good samples: `time` (s, rising) and `temperature` (°C). `wild` samples were left out, and those of a
    stretch that `stood` still from so many seconds on.
    """

    time: Array
    temperature: Array
    wild: int = 0
    stood: float | None = None

    @property
    def gaps(self) -> NDArray[np.bool_]:
        """Which of the n − 1 intervals between samples are too long to tell what happened in them."""
        return np.asarray((np.diff(self.time) > GAP_S) | (self.time[:-1] == self.stood))

    @property
    def pieces(self) -> list[slice]:
        """Runs of samples without a gap among them."""
        cuts = [0, *(np.flatnonzero(self.gaps) + 1).tolist(), len(self.time)]
        return [slice(a, b) for a, b in itertools.pairwise(cuts)]


def trace_of(time: Array, temperature: Array) -> Trace | None:
    """The good samples of one probe (n times in s, not falling; n temperatures in °C, NaN where missing), None below
    `LEAST_SAMPLES`.

    Samples of one instant, as clocks of whole seconds give them, become their mean.
    """
    good = np.isfinite(temperature) & np.isfinite(time)
    t, which = np.unique(np.asarray(time, dtype=float)[good], return_inverse=True)
    if len(t) < LEAST_SAMPLES:
        return None
    y = np.bincount(which, weights=np.asarray(temperature, dtype=float)[good]) / np.bincount(which)
    wild = _wild(t, y)
    t, y, count = t[~wild], y[~wild], int(wild.sum())
    still = held(t, y)
    stood = float(t[int(np.argmax(still)) - 1]) if still.any() else None
    return Trace(t[~still], y[~still], count, stood)


def _wild(t: Array, y: Array) -> NDArray[np.bool_]:
    """One or two samples in a row that leap away from those before and after and back; at the ends away is enough."""
    rise, span = np.diff(y), np.diff(t)
    far = np.abs(rise) > np.maximum(WILD_C, WILD_C_PER_S * span)
    leap = np.concatenate(
        [[0.0], np.where(far, np.sign(rise), np.nan), [0.0]]
    )  # into each sample; nan: no leap, 0: no neighbour
    wild = np.zeros(len(t), dtype=bool)
    for width in (1, 2):
        into, out = leap[: len(t) - width + 1], -leap[width:]
        for first in np.flatnonzero((into * out >= 0) & (into + out != 0)):
            around = slice(max(0, first - 1), first + width + 1)
            if not wild[around].any():
                wild[first : first + width] = True
    return wild
