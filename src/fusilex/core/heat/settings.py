"""Settings as a search tries them: a vector of seconds and degrees, and the schedule that it stands for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.schedule import FULL_C, Schedule
from fusilex.core.reflow.windows import ProcessWindow

Floats = NDArray[np.float64]


def first(window: ProcessWindow, hottest_c: float, dial: bool) -> Floats:
    """Where the search begins: seconds and degrees of a usual run."""
    low, high = window.soak_band
    peak = min(sum(window.peak) / 2 + 20, hottest_c)
    if dial:
        return np.array([(low + high) / 2 + 10, 150.0, 110.0, 5.0, 0.5])
    return np.array([90.0, low + 15.0, 90.0, high + 5.0, 50.0, peak, 35.0, 0.5])


def spreads(dial: bool) -> Floats:
    """How far the first round looks around where it begins."""
    return np.array([20.0, 30.0, 30.0, 10.0, 0.3] if dial else [30.0, 15.0, 25.0, 15.0, 20.0, 15.0, 20.0, 0.3])


def bounds(dial: bool, hottest_c: float) -> tuple[Floats, Floats]:
    """Settings as an oven takes them."""
    if dial:
        return np.array([50.0, 20.0, 20.0, 0.0, 0.0]), np.array([hottest_c, 600.0, 400.0, 120.0, 1.0])
    low = [30.0, 50.0, 20.0, 80.0, 15.0, 100.0, 0.0, 0.0]
    return np.array(low), np.array([400.0, hottest_c, 300.0, hottest_c, 200.0, hottest_c, 150.0, 1.0])


def curve(x: Floats, window: ProcessWindow, room_c: float, door: bool) -> Schedule:
    """Up to the soak, through it, up to the top, held there, and off with the door open by some share."""
    to_soak, soak_in, soaking, soak_out, to_top, top, hold, share = x.tolist()
    times = np.cumsum([0.0, to_soak, soaking, to_top, hold, 1.0])
    settings = (room_c, soak_in, max(soak_in, soak_out), max(soak_out, top), max(soak_out, top), 0.0)
    opened = ((float(times[-2]), float(share)),) if door else ()
    return Schedule(tuple(float(t) for t in times), settings, True, opened)


def turns(x: Floats, window: ProcessWindow, room_c: float, door: bool) -> Schedule:
    """The dial to a middle setting, to full, off; the door ajar or open some seconds later."""
    middle, at_full, full_for, later, share = x.tolist()
    off = at_full + full_for
    opened = ((off + later, share),) if door else ()
    return Schedule((0.0, at_full, off), (middle, FULL_C, 0.0), False, opened)
