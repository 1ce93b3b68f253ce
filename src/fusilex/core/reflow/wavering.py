"""What a log's noise and coarseness leave open of a run's metrics, as doubts."""

from __future__ import annotations

import math

import numpy as np

from fusilex.core.evidence import NORMAL_95
from fusilex.core.quantities import amount
from fusilex.core.reflow.curve import SLOPE_WINDOW_S, crossings, slopes
from fusilex.core.reflow.metrics import Doubt
from fusilex.core.reflow.noise import Noise, peak_span, slope_error, steepest_hidden
from fusilex.core.reflow.record import Trace
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wording import Said, say

TELLING_C, TELLING_RATE, TELLING_S = 0.1, 0.02, 0.2
"""What noise leaves open of a temperature, a slope or a time below these is not worth a word."""


def wavers(noise: Noise) -> Said:
    """Noise as the reason why a record does not tell."""
    return say("wavers", by=amount(round(NORMAL_95 * noise.sigma, 2), "K"))


def peak_of(trace: Trace, top: int, sparse: bool, noise: Noise) -> tuple[float, tuple[float, float]]:
    """The peak and where it lies as far as samples close to it tell; what may lie between them is another matter."""
    t, y = trace.time, trace.temperature
    if not sparse:
        piece = next(p for p in trace.pieces if p.start <= top < p.stop)
        return peak_span(t[piece], y[piece], noise)
    wide = NORMAL_95 * noise.sigma
    return float(y[top]), (float(y[top]) - 2 * wide, float(y[top]) + wide)


def wavering_slopes(trace: Trace, top: int, noise: Noise, shown: tuple[float, float]) -> dict[str, Doubt]:
    """What noise adds to the steepest slope, and what samples more than three seconds apart hide of one."""
    t, y = trace.time, trace.temperature
    error = slope_error(t, noise, SLOPE_WINDOW_S)
    tries = max(2.0, float(t[-1] - t[0]) / SLOPE_WINDOW_S)
    low, high = error * (math.sqrt(2 * math.log(tries)) + NORMAL_95), NORMAL_95 * error
    hidden = (
        steepest_hidden(t[: top + 1], y[: top + 1], SLOPE_WINDOW_S)[0],
        steepest_hidden(t[top:], y[top:], SLOPE_WINDOW_S)[1],
    )
    found = {}
    for name, sure, most in zip(("max_heating_c_per_s", "max_cooling_c_per_s"), shown, hidden, strict=True):
        if most > sure + high:
            apart = amount(round(float(np.median(np.diff(t)))), "s")
            found[name] = Doubt(max(0.0, sure - low), most + high, say("too coarse", apart=apart))
        elif high > TELLING_RATE:
            found[name] = Doubt(max(0.0, sure - low), sure + high, wavers(noise))
    return found


def wavering_times(
    trace: Trace,
    top: int,
    window: ProcessWindow,
    noise: Noise,
    times: tuple[float, float],
    doubts: dict[str, Doubt],
) -> None:
    """What noise adds to the times between two crossings: that of one sample over the slope there, each way."""
    t, y = trace.time, trace.temperature
    slope = np.maximum(np.abs(slopes(t, y)), 1e-3)

    def blur(level: float, rising: bool) -> float:
        ups, downs = crossings(t, y, level)
        at = ups[:1] if rising else downs[-1:]
        return noise.sigma / float(slope[int(np.searchsorted(t, at[0]).clip(0, len(t) - 1))]) if len(at) else 0.0

    soak = [blur(level, True) for level in window.soak_band]
    molten = [blur(window.melting, True), blur(window.melting, False)]
    for name, value, (a, b) in zip(("soak_s", "above_melting_s"), times, (soak, molten), strict=True):
        half = NORMAL_95 * math.hypot(a, b)
        before = doubts.get(name)
        if half > TELLING_S and (before is not None or math.isfinite(value)):
            low, high = (before.low, before.high) if before else (value, value)
            doubts[name] = Doubt(max(0.0, low - half), high + half, before.why if before else wavers(noise))
