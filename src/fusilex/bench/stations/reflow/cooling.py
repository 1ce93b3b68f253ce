"""How long until a board that cools is solid, and may be touched."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fusilex.bench.stations.reflow.live import TOUCH_C, LiveLog
from fusilex.core.heat.matter import ROOM_C
from fusilex.core.heat.predict import Predicted
from fusilex.core.heat.probes import ALL_SHINY

Floats = NDArray[np.float64]
SOLID_C, LONG_S, LONGEST_S = 5.0, 40.0, 3600.0
"""So far below melting a joint is solid; slopes are taken over so long; nobody waits longer."""


def newton_s(now_c: float, slope: float, wanted_c: float, room_c: float = ROOM_C) -> float:
    """Seconds until a body that cools by `slope` (°C/s, falling) is at a temperature: Newton's law. NaN where it does
    not cool, or never gets there.

    >>> round(newton_s(125.0, -1.0, 50.0, 25.0), 1)
    138.6
    """
    if now_c <= wanted_c:
        return 0.0
    if not slope < 0 or wanted_c <= room_c:
        return math.nan
    return (now_c - room_c) / -slope * math.log((now_c - room_c) / (wanted_c - room_c))


def solid_and_cool(log: LiveLog, at_s: float, melting: float, found: Predicted | None) -> tuple[float, float]:
    """Seconds until all is solid, and until hands may touch it: by the hottest probe, else by what is predicted, moved
    to where somebody saw the last joint shine; NaN where nothing tells.
    """
    levels = melting - SOLID_C, TOUCH_C
    own = [(k, c) for k in range(len(log.names)) if len(c := log.curve(k)[1])]
    if own:
        k, c = max(own, key=lambda x: float(x[1][-1]))
        slope = _slope_now(*log.curve(k))
        if float(c[-1]) <= TOUCH_C:
            return 0.0, 0.0
        left = [newton_s(float(c[-1]), slope, level) for level in levels]
    elif found is not None and (off := _off_by_eye(log, melting, found)) is not None:
        left = [_predicted_s(found, at_s, level - off) for level in levels]
    else:
        left = [math.nan, math.nan]
    solid, cool = (x if x <= LONGEST_S else math.nan for x in left)
    return solid, cool


def _off_by_eye(log: LiveLog, melting: float, found: Predicted) -> float | None:
    """By how much (°C) the board is hotter than predicted, as the last shine tells; None where nobody saw it."""
    seen = [t for t, what in log.marks if what == ALL_SHINY]
    if not seen:
        return None
    coolest = found.run.watched[:, :, 0].min(axis=1)
    return melting - float(np.interp(seen[0], found.run.time, coolest))


def _slope_now(t: Floats, c: Floats) -> float:
    """How a body cools at the last sample (°C/s), by a straight line through the logarithm of what it is above the
    room: an oven cools with it, and seconds alone swing. NaN where too little is known.
    """
    near = (t >= t[-1] - LONG_S) & (c > ROOM_C + 2)
    if near.sum() < 4 or np.ptp(t[near]) < LONG_S / 4:
        return math.nan
    rate = float(np.polyfit(t[near], np.log(c[near] - ROOM_C), 1)[0])
    return rate * (float(c[-1]) - ROOM_C)


def _predicted_s(found: Predicted, at_s: float, level: float) -> float:
    """When the hottest joint falls below a level for good, from a moment on (s)."""
    hottest, time = found.run.watched[:, :, 0].max(axis=1), found.run.time
    over = np.flatnonzero(hottest >= level)
    if not len(over):
        return 0.0
    last = int(over[-1])
    if last < len(time) - 1:
        return max(0.0, float(time[last]) - at_s)
    slope = float(hottest[-1] - np.interp(time[-1] - LONG_S, time, hottest)) / LONG_S
    end = float(time[-1]) + newton_s(float(hottest[-1]), slope, level)
    return end if math.isnan(end) else max(0.0, end - at_s)
