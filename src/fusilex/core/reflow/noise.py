"""What a log's own noise and steps leave open of a run: its peak by a local fit, slopes and crossings give or take."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.evidence import NORMAL_95, Span
from fusilex.core.measuring.resolution import step_of

Array = NDArray[np.float64]
FINEST_C = 0.01
"""No logger shows finer."""
QUIET_C = 0.05
"""Below, a log's noise does not lift its highest sample."""
APART_S = 3.0
"""Samples further apart show a peak or a short slope only as far as the oven cannot hide one between them."""
HALF_WIDTHS_S = (3.0, 4.5, 7.0, 10.0, 15.0, 22.0, 32.0, 45.0)
LEPSKI = 2.0
"""Wider fits are taken while their peak stays within so many standard errors of every narrower one's (Lepski 1991)."""
LEAST_FITTED = 5
CHOSEN = 1.5
"""A width that is chosen by the same samples leaves a bend of its own: by simulation, as the tests repeat it."""
HELD, HELD_S, HELD_TIMES = 4, 6.0, 3.0
"""So many alike samples over so long at the top, that the slope beside them would have left so many times over."""


class Noise(Struct, frozen=True):
    """Standard deviation of one sample about the board's temperature, and the step in which it is shown (°C)."""

    sigma: float
    step: float


def noise_of(time: Array, temperature: Array) -> Noise:
    """From how far each sample (n ≥ 3) lies from the line between its neighbours: the median of these is moved neither
    by bends nor by wild samples. Never less than the step leaves open (σ = step/√12).
    """
    step = step_of(np.round(temperature, 4), FINEST_C)
    floor = (step if step > FINEST_C else 0.0) / math.sqrt(12)
    if len(time) < 3:
        return Noise(floor, step)
    share = (time[1:-1] - time[:-2]) / (time[2:] - time[:-2])
    off = temperature[1:-1] - (temperature[:-2] * (1 - share) + temperature[2:] * share)
    sigma = 1.4826 * float(np.median(np.abs(off) / np.sqrt(1 + share**2 + (1 - share) ** 2)))
    return Noise(max(sigma, floor), step)


def held(time: Array, temperature: Array) -> NDArray[np.bool_]:
    """Samples (n) within a stretch at the top that repeats exactly for longer than a peak between such slopes can: the
    logger was clipped or stood still there, and shows its ends alone.
    """
    inside = np.zeros(len(time), dtype=bool)
    top = float(temperature.max())
    at = np.flatnonzero(temperature == top)
    first, last = int(at[0]), int(at[-1])
    if len(at) < HELD or last - first + 1 != len(at) or time[last] - time[first] < HELD_S:
        return inside
    step = step_of(np.round(temperature, 4), FINEST_C)
    beside = max(_slope(time, temperature, first, -1), _slope(time, temperature, last, 1))
    # a parabola that stays within one step for so long has slopes of 4 step / duration at its ends
    if beside > HELD_TIMES * 4 * step / (time[last] - time[first]):
        inside[first + 1 : last] = True
    return inside


def _slope(time: Array, temperature: Array, at: int, way: int) -> float:
    """Steepness (°C/s) over the ten seconds before or after a sample."""
    until = time[at] + way * 10.0
    near = np.flatnonzero((time - time[at]) * way > 0)
    near = near[(time[near] - until) * way <= 1e-9]
    if not len(near):
        return 0.0
    end = int(near[0] if way < 0 else near[-1])
    return float(abs(temperature[end] - temperature[at]) / max(abs(time[end] - time[at]), 1e-9))


def peak_span(time: Array, temperature: Array, noise: Noise) -> tuple[float, Span]:
    """The peak of samples that lie close together (n, with the highest among them), and where it lies (95 %). A maximum
    of noisy samples is too high by about σ √(2 ln n): the top of a parabola through as many as noise and bend allow is
    not.
    """
    top = int(np.argmax(temperature))
    if noise.sigma < QUIET_C and noise.step <= FINEST_C:
        between = _vertex(time, temperature, top)
        return float(temperature[top]), (float(temperature[top]) - NORMAL_95 * noise.sigma, between)
    middle = _smooth_top(time, temperature)
    low, high = -math.inf, math.inf
    best: tuple[float, float] | None = None
    for half in HALF_WIDTHS_S:
        near = np.abs(time - middle) <= half
        if near.sum() < LEAST_FITTED:
            continue
        value, error = _parabola(time[near] - middle, temperature[near], noise.sigma, half / 2)
        low, high = max(low, value - LEPSKI * error), min(high, value + LEPSKI * error)
        if low > high:
            break
        best = value, error
    if best is None:
        wide = NORMAL_95 * noise.sigma
        return float(temperature[top]), (float(temperature[top]) - 2 * wide, float(temperature[top]) + wide)
    room = CHOSEN * NORMAL_95 * math.hypot(best[1], noise.step / math.sqrt(12) if noise.step > FINEST_C else 0.0)
    return best[0], (best[0] - room, best[0] + room)


def _vertex(time: Array, temperature: Array, top: int) -> float:
    """The top of the parabola through the highest sample and its neighbours, or of a steeper bend on one side."""
    if not 0 < top < len(time) - 1:
        return float(temperature[top])
    t, y = time[top - 1 : top + 2] - time[top], temperature[top - 1 : top + 2]
    a, b, c = np.polyfit(t, y, 2)
    drop = float(y[1] - min(y[0], y[2]))
    return float(max(y[1] + drop / 4, c - b * b / (4 * a))) if a < 0 else float(y[1])


def _smooth_top(time: Array, temperature: Array) -> float:
    """When a mean over five samples is highest (s)."""
    if len(time) < LEAST_FITTED:
        return float(time[int(np.argmax(temperature))])
    mean = np.convolve(temperature, np.ones(5) / 5, "valid")
    return float(time[int(np.argmax(mean)) + 2])


def _parabola(t: Array, y: Array, sigma: float, reach: float) -> tuple[float, float]:
    """Highest value within ±`reach` s of the middle of a parabola by least squares, and its standard error."""
    rows = np.stack([np.ones_like(t), t, t * t], axis=1)
    fitted, *_ = np.linalg.lstsq(rows, y, rcond=None)
    at = float(np.clip(-fitted[1] / (2 * fitted[2]), -reach, reach)) if fitted[2] < -1e-9 else 0.0
    here = np.array([1.0, at, at * at])
    spread = here @ np.linalg.pinv(rows.T @ rows) @ here
    return float(here @ fitted), sigma * math.sqrt(max(float(spread), 0.0))


def steepest_hidden(time: Array, temperature: Array, width: float) -> tuple[float, float]:
    """How steep rise and fall (°C/s) may have been over `width` seconds in intervals of more than three seconds: what
    an event of that length shows of itself in the worst place among samples (n) so far apart.
    """
    span = np.diff(time)
    slope = np.diff(temperature) / span
    most = slope * np.maximum(1.0, 2 * span / width)
    wide = span > APART_S
    return float(np.max(most[wide], initial=0.0)), float(np.max(-most[wide], initial=0.0))


def slope_error(time: Array, noise: Noise, width: float) -> float:
    """Standard error (°C/s) of a line over `width` seconds of samples as far apart as these are (n)."""
    usual = float(np.median(np.diff(time))) if len(time) > 1 else width
    count = max(3, round(width / max(usual, 1e-6)) + 1)
    at = np.arange(count) * usual
    return noise.sigma / math.sqrt(float(np.sum((at - at.mean()) ** 2)))
