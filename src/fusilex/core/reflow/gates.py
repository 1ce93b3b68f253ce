"""What a run must pass, hung on its own times; and which probe melts last."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from fusilex.core.reflow.curve import crossings
from fusilex.core.reflow.record import Trace
from fusilex.core.reflow.windows import ProcessWindow

NOMINAL_HEATING = 1.5
"""°C/s of the run through the middle of a window, where there is no run yet."""
ROOM_C = 25.0


class Gates(Struct, frozen=True):
    """Entry into the soak, melting and peak of a run, s."""

    soak_in: float
    melt: float
    peak: float


def gates(window: ProcessWindow, trace: Trace | None) -> Gates:
    """Gates of a run at a probe; without a run those of one through the middle of the window."""
    low, high = window.soak_band
    soak_in = (low - ROOM_C) / NOMINAL_HEATING
    melt = soak_in + sum(window.soak) / 2 + (window.melting - high) / NOMINAL_HEATING
    nominal = Gates(soak_in, melt, melt + sum(window.above_melting) / 4)
    if trace is None:
        return nominal
    first = [crossings(trace.time, trace.temperature, level)[0] for level in (low, window.melting)]
    return Gates(
        float(first[0][0]) if len(first[0]) else nominal.soak_in,
        float(first[1][0]) if len(first[1]) else nominal.melt,
        float(trace.time[np.argmax(trace.temperature)]),
    )


class Molten(Struct, frozen=True):
    """When a probe was above melting, s; None for a run that never shows it going up and coming down."""

    start: float
    end: float

    @property
    def seconds(self) -> float:
        return self.end - self.start


def molten(trace: Trace, melting: float) -> Molten | None:
    """From first melting to last freezing."""
    up, down = crossings(trace.time, trace.temperature, melting)
    return Molten(float(up[0]), float(down[-1])) if len(up) and len(down) else None


def last_to_melt(traces: Mapping[str, Trace], melting: float) -> str | None:
    """The probe that melted last, one that never did before all others; None without probes."""
    firsts = {}
    for name, trace in traces.items():
        up, _ = crossings(trace.time, trace.temperature, melting)
        firsts[name] = float(up[0]) if len(up) else np.inf
    return max(firsts, key=lambda name: firsts[name]) if firsts else None
