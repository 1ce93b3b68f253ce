"""Seconds as they would be on the machine the limits are for: what a calibration loop takes is measured beside."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

CALIBRATION_S = 0.22
"""What three million additions take on that machine."""


def median(values: Sequence[float]) -> float:
    return sorted(values)[len(values) // 2]


def additions() -> float:
    """Seconds for three million additions."""
    began, total = time.perf_counter(), 0
    for i in range(3_000_000):
        total += i * i
    return time.perf_counter() - began


def slowness() -> float:
    """How many times as long as there things take here and now."""
    return median([additions() for _ in range(3)]) / CALIBRATION_S


def seconds(action: Callable[[], object]) -> float:
    began = time.perf_counter()
    action()
    return time.perf_counter() - began


def scaled(action: Callable[[], object], times: int = 5) -> float:
    """The median of so many runs, each as it would be there by what the loop took before and after it, every second:
    how slow a shared machine is changes as quickly.
    """
    taken: list[float] = []
    before = additions()
    while len(taken) < times:
        some = [seconds(action)]
        while len(taken) + len(some) < times and sum(some) < 1:
            some.append(seconds(action))
        after = additions()
        taken += [took * 2 * CALIBRATION_S / (before + after) for took in some]
        before = after
    return median(taken)
