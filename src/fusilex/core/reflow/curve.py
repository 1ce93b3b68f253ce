"""A probe's curve: its slopes, where it crosses a level, how long it is above."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fusilex.core.reflow.record import Array

SLOPE_WINDOW_S = 10.0


def slopes(time: Array, temperature: Array, width: float = SLOPE_WINDOW_S) -> Array:
    """Slope (°C/s) at each of n ≥ 2 samples: straight line by least squares over `width` seconds about it.

    Samples may be irregular; where they are sparse a line spans at least the neighbours. Ends, where half the span is
    missing, use what there is.
    """
    t, y = np.asarray(time, dtype=float), np.asarray(temperature, dtype=float)
    at = np.arange(len(t))
    low = np.minimum(np.searchsorted(t, t - width / 2, side="left"), np.maximum(at - 1, 0))
    high = np.maximum(np.searchsorted(t, t + width / 2, side="right"), np.minimum(at + 2, len(t)))
    t0, y0 = t - t[0], y - y[0]
    sums = [np.concatenate([[0.0], np.cumsum(v)]) for v in (np.ones_like(t0), t0, y0, t0 * t0, t0 * y0)]
    n, st, sy, stt, sty = (s[high] - s[low] for s in sums)
    spread = n * stt - st * st
    return np.asarray(np.where(spread > 1e-9, (n * sty - st * sy) / np.where(spread > 1e-9, spread, 1.0), 0.0))


def crossings(time: Array, temperature: Array, level: float) -> tuple[Array, Array]:
    """Interpolated times (s) at which the curve rises through and falls through a level."""
    t, y = np.asarray(time, dtype=float), np.asarray(temperature, dtype=float) - level
    up = np.flatnonzero((y[:-1] < 0) & (y[1:] >= 0))
    down = np.flatnonzero((y[:-1] >= 0) & (y[1:] < 0))

    def at(i: NDArray[np.int_]) -> Array:
        return np.asarray(t[i] + (t[i + 1] - t[i]) * -y[i] / (y[i + 1] - y[i]))

    return at(up), at(down)


def seconds_above(time: Array, temperature: Array, level: float) -> float:
    """Time (s) spent at or above a level, crossings interpolated."""
    up, down = crossings(time, temperature, level)
    start = [time[0]] if temperature[0] >= level else []
    end = [time[-1]] if temperature[-1] >= level else []
    return float(np.sum(np.concatenate([down, end])) - np.sum(np.concatenate([start, up])))
