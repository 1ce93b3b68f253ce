"""How far a predicted run is from the limits: every joint against the window, bodies against their own."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from fusilex.core.evidence import NORMAL_95
from fusilex.core.heat.joints import Joint
from fusilex.core.heat.oven import DIAL, PLATE
from fusilex.core.heat.plan import Planned, run_metrics, scores
from fusilex.core.heat.predict import Predicted
from fusilex.core.reflow.windows import ProcessWindow


class Margin(Struct, frozen=True):
    """A metric at the joint that is furthest from the middle of its range: its score is 1 at a limit; NaN where the
    joint never gets there.
    """

    name: str
    value: float
    low: float
    high: float
    score: float
    joint: Joint


def margins(found: Predicted, window: ProcessWindow, limits: Mapping[str, float]) -> tuple[list[Margin], int]:
    """The worst joint of each metric, the worst metric first; and how many joints keep all of them."""
    curves = found.run.watched[:, :, 0]
    metrics = run_metrics(found.run.time, curves, window)
    by = scores(metrics, window)
    most = np.array([limits.get(j.part, np.inf) for j in found.joints])
    metrics["body"], by["body"] = (
        found.molten.peak,
        np.where(found.molten.peak > most, 1 + found.molten.peak - most, 0.0),
    )
    ranges = {"heating": window.heating, "soak": window.soak, "above melting": window.above_melting}
    ranges |= {"peak": window.peak, "cooling": window.cooling, "to peak": (0.0, window.to_peak_s)}
    rows = []
    for name, own in by.items():
        k = int(own.argmax())
        low, high = ranges.get(name, (0.0, float(most[k])))
        rows.append(Margin(name, float(metrics[name][k]), low, high, float(own[k]), found.joints[k]))
    passing = int((np.max(list(by.values()), axis=0) <= 1).sum())
    return sorted(rows, key=lambda row: -row.score), passing


def surely(
    found: Predicted, window: ProcessWindow, limits: Mapping[str, float], off_c: float
) -> tuple[np.ndarray, np.ndarray]:
    """Joints (k) whose peak and time above melting stay within the window and the body's limit with all 95 % of what
    the logs leave possible: the ovens drawn, and by how much (RMS, °C) the model was `off_c` its logs. And those of
    which none of that is within.
    """
    most = np.array([min(window.peak[1], limits.get(j.part, np.inf)) for j in found.joints])
    peak, long = found.molten.peak, found.molten.seconds
    high = np.hypot(found.peak95, NORMAL_95 * off_c)
    wide = np.hypot(found.seconds95, NORMAL_95 * math.sqrt(2) * off_c / USUAL_RATE)
    inside = (peak - high >= window.peak[0]) & (peak + high <= most)
    inside &= (long - wide >= window.above_melting[0]) & (long + wide <= window.above_melting[1])
    outside = (peak + high < window.peak[0]) | (peak - high > most)
    outside |= (long + wide < window.above_melting[0]) | (long - wide > window.above_melting[1])
    return np.asarray(inside), np.asarray(outside)


USUAL_RATE = 1.0
"""°C/s at which boards pass melting: what turns a temperature's error into one of time."""


def helps(made: Planned, worst: Margin, kind: str, panels: int = 1) -> list[str]:
    """What would help an oven of a kind where no settings were found that keep the window, or none that surely do."""
    if made.possible is not False:
        return ["Log a run with a probe on the part that melts last, and fit the oven to it."]
    found = [_help(worst, kind)]
    if panels > 1:
        found.append(f"A smaller load: {panels} panels at once take more heat than one.")
    if kind == DIAL:
        found.append("A controlled oven holds what a dial cannot.")
    return [*found, "Leaded or bismuth paste needs less heat; a service with a longer oven is an honest answer."]


def _help(worst: Margin, kind: str) -> str:
    """What would help the metric that is worst."""
    part, long = worst.joint.part, worst.value > worst.high
    if worst.name == "above melting" and long:
        more = " A lighter pan cools sooner." if kind == PLATE else " Open the door sooner, or wider."
        return f"{part} stays molten too long while the others catch up.{more}"
    if (worst.name == "peak" and long) or worst.name == "body":
        return f"{part} gets too hot: solder it by hand, or by a paste that melts lower."
    if worst.name in ("peak", "above melting"):
        return f"{part} lags: {'foil over the ring, a hotter plate' if kind == PLATE else 'a plate from below'}" + (
            " or a preheated start brings it up."
        )
    if worst.name == "heating":
        return "A smaller first setting heats more slowly."
    if worst.name == "cooling":
        return "Open the door less, or later."
    return "A straight ramp to the peak does without the soak, where the paste's sheet allows it."
