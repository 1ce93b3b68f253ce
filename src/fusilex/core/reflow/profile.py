"""Metrics of a logged oven run, what the record leaves open about each, and the process window index."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from fusilex.core.evidence import NORMAL_95
from fusilex.core.quantities import Quantity, amount
from fusilex.core.reflow.curve import SLOPE_WINDOW_S, seconds_above, slopes
from fusilex.core.reflow.metrics import FOREVER, Doubt, Metrics
from fusilex.core.reflow.noise import APART_S, noise_of
from fusilex.core.reflow.record import Array, Trace, trace_of
from fusilex.core.reflow.wavering import TELLING_C, peak_of, wavering_slopes, wavering_times, wavers
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wording import Said, say

ROOM_C, SETTLED_C, SETTLING_S = 25.0, 2.0, 10.0
"""Heating starts when the probe leaves 25 °C, or what it idled at where that is warmer, but no more than 10 s before
it is 2 °C above that: an idling probe wavers.
"""
COLD_C, BEGUN_S = 30.0, 15.0
"""A record that begins warmer than this and is 2 °C warmer 15 s later began after the heating."""


def measure_log(time: Array, probes: Mapping[str, Array], window: ProcessWindow) -> dict[str, Metrics]:
    """Metrics of every probe that has a record; columns without one are left out."""
    traces = {name: trace_of(time, values) for name, values in probes.items()}
    return {name: measure_trace(trace, window) for name, trace in traces.items() if trace is not None}


def silent_probes(probes: Mapping[str, Array], measured: Mapping[str, Metrics], empty: Sequence[str] = ()) -> list[str]:
    """Probes of a log that recorded too little to be measured, or nothing (`empty`)."""
    return [*(name for name in probes if name not in measured), *empty]


def measure(time: Array, temperature: Array, window: ProcessWindow) -> Metrics:
    """Metrics of one probe: n samples of time (s, not falling) and temperature (°C, NaN for gaps). Raises ValueError
    for too few.
    """
    trace = trace_of(np.asarray(time, dtype=float), np.asarray(temperature, dtype=float))
    if trace is None:
        raise ValueError("a probe has at least 10 samples")
    return measure_trace(trace, window)


def measure_trace(trace: Trace, window: ProcessWindow) -> Metrics:
    """Metrics of one probe's good samples, and what its gaps and its ends leave open.

    Assumed between samples: one rise to one peak and one fall, no faster than the run itself or the window's limits.
    """
    t, y = trace.time, trace.temperature
    top = int(np.argmax(y))
    noise = noise_of(t, y)
    doubts: dict[str, Doubt] = {}
    soon = min(top, int(np.searchsorted(t, t[0] + BEGUN_S)))
    warm = (
        y[0] > COLD_C and float(y[: soon + 1].min()) >= y[0] and y[soon] > y[0] + SETTLED_C
    )  # begun before the record
    heating, cooling = _steepest(trace, top)
    apex = _apexes(trace, top, (heating, cooling), (max(heating, window.heating[1]), window.cooling_hard))
    doubts |= wavering_slopes(trace, top, noise, (heating, cooling))
    doubts |= _hidden_slopes(trace, top, apex, (heating, cooling))
    highest = max(apex.values(), default=float(y[top]))
    highest_shown, (least, most) = peak_of(trace, top, bool(apex), noise)
    if highest > y[top] + NORMAL_95 * noise.sigma:
        doubts["peak_c"] = Doubt(least, highest, _apart(trace, max(apex, key=apex.__getitem__)))
    elif most - least > TELLING_C:
        doubts["peak_c"] = Doubt(least, max(most, highest), wavers(noise))
    soak = _soak(trace, top, window.soak_band, highest, doubts)
    above = _above(trace, top, window, highest, doubts)
    to_peak = _to_peak(trace, top, doubts)
    wavering_times(trace, top, window, noise, (soak, above), doubts)
    if warm:
        why = say("begins late", at=_whole(y[0]))
        doubts["max_heating_c_per_s"] = Doubt(heating, FOREVER, why)
        doubts["to_peak_s"] = Doubt(to_peak, FOREVER, why)
    if top == len(t) - 1:
        why = say("ends at its hottest", at=_whole(y[-1]))
        doubts |= {
            "peak_c": Doubt(float(y[-1]), FOREVER, why),
            "above_melting_s": Doubt(above, FOREVER, why),
            "max_cooling_c_per_s": Doubt(0.0, FOREVER, why),
            "to_peak_s": Doubt(to_peak, FOREVER, why),
        }
    elif y[-1] >= window.melting:
        why = say("ends above melting", at=_whole(y[-1]))
        doubts |= {
            "above_melting_s": Doubt(above, FOREVER, why),
            "max_cooling_c_per_s": Doubt(cooling, FOREVER, why),
        }
    return Metrics(heating, soak, above, highest_shown, cooling, to_peak, doubts, trace.wild)


def _whole(value: float, unit: str = "°C") -> Quantity:
    return amount(round(float(value)), unit)


def _apart(trace: Trace, i: int) -> Said:
    if trace.time[i] == trace.stood:
        return say("stands still", at=_whole(trace.temperature[i]), long=_whole(trace.time[i + 1] - trace.time[i], "s"))
    apart = _whole(trace.time[i + 1] - trace.time[i], "s")
    return say("samples apart", apart=apart, low=_whole(trace.temperature[i]), high=_whole(trace.temperature[i + 1]))


def _steepest(trace: Trace, top: int) -> tuple[float, float]:
    """Steepest slope up to the peak and steepest fall after it, as far as samples and the mean slopes over gaps
    show.
    """
    t, y = trace.time, trace.temperature
    slope = np.full(len(t), np.nan)
    for piece in trace.pieces:
        if piece.stop - piece.start > 1:
            slope[piece] = slopes(t[piece], y[piece])
    over = np.where(trace.gaps, np.diff(y) / np.diff(t), np.nan)
    up, down = np.concatenate([slope[: top + 1], over[:top]]), -np.concatenate([slope[top:], over[top:]])
    return float(np.nanmax(up, initial=0.0)) + 0.0, float(np.nanmax(down, initial=0.0)) + 0.0


def _apexes(trace: Trace, top: int, shown: tuple[float, float], most: tuple[float, float]) -> dict[int, float]:
    """How high the run may have been between its hottest sample and the ones beside it, where these are more than
    three seconds apart: rising and falling (°C/s) no faster than the oven has `shown`, in a gap no faster than at
    `most`.
    """
    t, y = trace.time, trace.temperature
    found = {}
    for i in (top - 1, top):
        if 0 <= i < len(t) - 1 and (trace.gaps[i] or t[i + 1] - t[i] > APART_S):
            span = t[i + 1] - t[i]
            up, down = most if trace.gaps[i] else shown
            if up + down <= 0:
                continue
            rising = min(span, max(0.0, (y[i + 1] - y[i] + down * span) / (up + down)))
            found[i] = max(float(y[top]), float(y[i] + up * rising))
    return found


def _hidden_slopes(trace: Trace, top: int, apex: Mapping[int, float], shown: tuple[float, float]) -> dict[str, Doubt]:
    """Slopes steeper than shown that gaps may hide: the whole change in one slope window, to and from the apex beside
    the peak.
    """
    y = trace.temperature
    found: dict[str, Doubt] = {}
    for i in np.flatnonzero(trace.gaps).tolist():
        high = apex.get(i)
        rise = (y[i + 1] if high is None else high) - y[i] if i <= top else 0.0
        fall = (y[i] if high is None else high) - y[i + 1] if i >= top - 1 else 0.0
        for name, change, sure in (("max_heating_c_per_s", rise, shown[0]), ("max_cooling_c_per_s", fall, shown[1])):
            most = max(float(change) / SLOPE_WINDOW_S, found[name].high if name in found else 0.0)
            if most > sure and (name not in found or most > found[name].high):
                found[name] = Doubt(sure, most, _apart(trace, i))
    return found


def _soak(trace: Trace, top: int, band: tuple[float, float], highest: float, doubts: dict[str, Doubt]) -> float:
    """Time (s) from entering to leaving the soak band on the way up, NaN where the run did not go through it."""
    t, y = trace.time, trace.temperature
    (first, last), (enter, leave) = band, ((math.nan, math.nan, 0.0), (math.nan, math.nan, 0.0))
    why: Said | None = None
    times = []
    for level in (first, last):
        up = np.flatnonzero((y[:top] < level) & (y[1 : top + 1] >= level))
        if y[0] >= level:
            times.append((-FOREVER, float(t[0]), float(t[0])))
            why = say("begins in the soak", at=_whole(y[0]))
        elif len(up):
            i = int(up[0])
            at = float(t[i] + (t[i + 1] - t[i]) * (level - y[i]) / (y[i + 1] - y[i]))
            times.append((float(t[i]), float(t[i + 1]), at) if trace.gaps[i] else (at, at, at))
            why = why or (_apart(trace, i) if trace.gaps[i] else None)
        elif highest >= level or top == len(t) - 1:
            times.append((float(t[top]), FOREVER, math.nan))
            why = why or say("does not show passing", level=_whole(level))
        else:
            return math.nan  # never got there
    enter, leave = times
    low, high = max(0.0, leave[0] - enter[1]), leave[1] - enter[0]
    if low == -FOREVER or math.isinf(leave[0]):
        low = 0.0
    if why:
        doubts["soak_s"] = Doubt(low, high, why)
    return leave[2] - enter[2] if math.isfinite(leave[0]) else math.nan


def _above(trace: Trace, top: int, window: ProcessWindow, highest: float, doubts: dict[str, Doubt]) -> float:
    """Time (s) at or above melting; where a gap hides a crossing, what it may be at least and at most."""
    t, y, melting = trace.time, trace.temperature, window.melting
    total = seconds_above(t, y, melting)
    low = high = total
    why: Said | None = None
    for i in np.flatnonzero(trace.gaps).tolist():
        span = float(t[i + 1] - t[i])
        ends = int(y[i] >= melting) + int(y[i + 1] >= melting)
        here = seconds_above(t[i : i + 2], y[i : i + 2], melting)
        if ends == 1:
            low, high, why = low - here, high + span - here, why or _apart(trace, i)
        elif ends == 0 and i in (top - 1, top) and highest >= melting:
            high, why = high + span, _apart(trace, i)
    if y[0] >= melting:
        high, why = FOREVER, say("begins above melting", at=_whole(y[0]))
    if why:
        doubts["above_melting_s"] = Doubt(max(0.0, low), high, why)
    return total


def _to_peak(trace: Trace, top: int, doubts: dict[str, Doubt]) -> float:
    """Time (s) from where heating starts, 25 °C or what the probe idled at, to the peak."""
    t, y = trace.time, trace.temperature
    if top == 0:
        doubts["to_peak_s"] = Doubt(0.0, FOREVER, say("begins at its hottest"))
        return 0.0
    base = max(ROOM_C, float(y[: top + 1].min()))
    start = max(_last_below(t, y, top, base), _last_below(t, y, top, base + SETTLED_C) - SETTLING_S)
    found = float(t[top]) - start
    i = int(np.searchsorted(t, start, side="right")) - 1
    beside = {
        k for k in (i, top - 1, top) if 0 <= k < len(t) - 1 and trace.gaps[k]
    }  # gaps at either end of the stretch
    if beside:
        first, last = (t[i], t[i + 1]) if i in beside else (start, start)
        early, late = t[top - 1] if top - 1 in beside else t[top], t[top + 1] if top in beside else t[top]
        why = _apart(trace, max(beside))
        doubts["to_peak_s"] = Doubt(max(0.0, float(early - last)), float(late - first), why)
    return found


def _last_below(t: Array, y: Array, top: int, level: float) -> float:
    """The last time (s) before the peak at which the run leaves a level, or where the record begins."""
    below = np.flatnonzero(y[:top] <= level)
    if not len(below):
        return float(t[0])
    i = int(below[-1])
    return float(t[i] + (t[i + 1] - t[i]) * (level - y[i]) / (y[i + 1] - y[i]))
