"""Metrics of a logged oven run and the process window index."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fusilex.core.judgement import Because, Judgement, Level

Array = NDArray[np.float64]
SLOPE_WINDOW_S = 10.0


@dataclass(frozen=True)
class Window:
    """A paste's window. Temperatures °C, slopes °C/s, times s; each range is (low, high)."""

    name: str
    melting: float
    soak_band: tuple[float, float]
    heating: tuple[float, float]
    soak: tuple[float, float]
    above_melting: tuple[float, float]
    peak: tuple[float, float]
    cooling: tuple[float, float]
    to_peak_s: float
    above_melting_hard_s: float = 150.0
    cooling_hard: float = 6.0


WINDOWS = {
    "lead-free": Window("lead-free", 217, (150, 200), (0, 3), (60, 120), (40, 90), (235, 250), (0, 4), 480),
    "leaded": Window("leaded", 183, (100, 150), (0, 3), (60, 120), (40, 90), (205, 225), (0, 4), 360),
    "bismuth": Window("bismuth", 138, (90, 120), (0, 3), (60, 120), (40, 90), (155, 175), (0, 4), 360),
}


@dataclass(frozen=True)
class Metrics:
    """What a run did at one probe. NaN where the run never got there."""

    max_heating_c_per_s: float
    soak_s: float
    above_melting_s: float
    peak_c: float
    max_cooling_c_per_s: float
    to_peak_s: float

    def ranged(self, window: Window) -> list[tuple[str, float, tuple[float, float], str]]:
        """(name, value, allowed range, unit) of the five metrics that make the window index."""
        return [
            ("heating", self.max_heating_c_per_s, window.heating, "°C/s"),
            ("soak", self.soak_s, window.soak, "s"),
            ("above melting", self.above_melting_s, window.above_melting, "s"),
            ("peak", self.peak_c, window.peak, "°C"),
            ("cooling", self.max_cooling_c_per_s, window.cooling, "°C/s"),
        ]


def slopes(time: Array, temperature: Array, width: float = SLOPE_WINDOW_S) -> Array:
    """Slope (°C/s) at each of n samples: straight line by least squares over `width` seconds about it.

    Samples may be irregular. Ends, where half the span is missing, use what there is.
    """
    t, y = np.asarray(time, dtype=float), np.asarray(temperature, dtype=float)
    low = np.searchsorted(t, t - width / 2, side="left")
    high = np.searchsorted(t, t + width / 2, side="right")
    t0 = t - t[0]
    sums = [np.concatenate([[0.0], np.cumsum(v)]) for v in (np.ones_like(t0), t0, y, t0 * t0, t0 * y)]
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


def measure(time: Array, temperature: Array, window: Window) -> Metrics:
    """Metrics of one probe: n samples of time (s, rising) and temperature (°C, NaN for gaps)."""
    good = np.isfinite(temperature)
    t, y = np.asarray(time, dtype=float)[good], np.asarray(temperature, dtype=float)[good]
    slope = slopes(t, y)
    top = int(np.argmax(y))
    low_up, _ = crossings(t[: top + 1], y[: top + 1], window.soak_band[0])
    high_up, _ = crossings(t[: top + 1], y[: top + 1], window.soak_band[1])
    soak = float(high_up[0] - low_up[0]) if len(low_up) and len(high_up) else float("nan")
    return Metrics(
        float(slope[: top + 1].max()),
        soak,
        seconds_above(t, y, window.melting),
        float(y.max()),
        float(max(0.0, -slope[top:].min())),
        float(t[top] - t[0]),
    )


def window_index(metrics: Metrics, window: Window) -> float:
    """Process window index: 100 × the worst of |x − mid| / half-range over the five metrics; below 100 is inside.

    A metric the run never reached counts as outside (infinite).
    """
    scores = [
        100.0 * abs(x - (lo + hi) / 2) / ((hi - lo) / 2) if np.isfinite(x) else float("inf")
        for _, x, (lo, hi), _ in metrics.ranged(window)
    ]
    return float(max(scores))


_ADVICE = {
    ("heating", 1): "Heat more slowly: fast ramps throw balls and stand small parts on end.",
    ("soak", -1): "Hold longer in the soak so that heavy parts catch up.",
    ("soak", 1): "Shorten the soak: the flux dries before the paste melts.",
    ("above melting", -1): "Hold longer at the top, until the slowest joint has gone.",
    ("above melting", 1): "Open the door sooner after melting.",
    ("peak", -1): "Go hotter: the slowest joint may not have melted.",
    ("peak", 1): "Stop the heat sooner: parts and board are over-heated.",
    ("cooling", 1): "Open the door a little, not wide.",
}


def judge_profile(per_probe: dict[str, Metrics], window: Window) -> list[Judgement]:
    """One judgement per metric outside its range, worst probe first; one go with the index when all are inside."""
    found = []
    for probe, metrics in per_probe.items():
        for name, value, (low, high), unit in metrics.ranged(window):
            if np.isnan(value):
                found.append(
                    Judgement(
                        f"reflow.{name}",
                        Level.STOP,
                        probe,
                        f"{probe} never went through the {name}",
                        (Because("peak", metrics.peak_c, "°C"),),
                        "Run again hotter.",
                    )
                )
            elif not low <= value <= high:
                way = 1 if value > high else -1
                hard = (
                    (name == "above melting" and (value > window.above_melting_hard_s or value <= 0))
                    or (name == "cooling" and value > window.cooling_hard)
                    or name == "peak"
                )
                word = {
                    "above melting": "stays molten",
                    "peak": "peaks at",
                    "soak": "soaks",
                    "heating": "heats at",
                    "cooling": "cools at",
                }[name]
                found.append(
                    Judgement(
                        f"reflow.{name}",
                        Level.STOP if hard else Level.CARE,
                        probe,
                        f"{probe} {word} {value:.3g} {unit}",
                        (Because(name, value, unit), Because("wanted from", low, unit), Because("to", high, unit)),
                        _ADVICE.get((name, way), ""),
                    )
                )
        if metrics.to_peak_s > window.to_peak_s:
            found.append(
                Judgement(
                    "reflow.to peak",
                    Level.CARE,
                    probe,
                    f"{probe} takes {metrics.to_peak_s / 60:.1f} min to peak",
                    (Because("allowed", window.to_peak_s / 60, "min"),),
                    "Heat faster before the soak.",
                )
            )
    if not found and per_probe:
        index = max(window_index(m, window) for m in per_probe.values())
        found.append(
            Judgement(
                "reflow.index",
                Level.GO,
                "run",
                f"Inside the window, index {index:.0f}",
                (Because("index", index), Because("probes", len(per_probe))),
            )
        )
    return found
