"""What an oven is told to do: settings and a door over time."""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field
from numpy.typing import NDArray

Floats = NDArray[np.float64]
LONGEST_S = 7200.0
"""No run for boards takes longer."""
FULL_C = 600.0
"""A dial turned up all the way: the elements stay on."""
SET = "set"
"""What a curve does by itself from point to point."""
Step = tuple[float, str, float | None]
"""When (s), what to do, and the setting (°C) where it has one."""


class Schedule(Struct, frozen=True):
    """Settings (°C) at times (s): a curve goes straight from one to the next, a dial stays until it is turned; 0 is
    off. `door` is (s, share that it is open), kept until the next.
    """

    times: tuple[float, ...]
    settings: tuple[float, ...]
    curve: bool = True
    door: tuple[tuple[float, float], ...] = field(default=())

    def __post_init__(self) -> None:
        if not self.times or len(self.times) != len(self.settings):
            raise ValueError("a schedule has a time for each setting, and at least one")
        if list(self.times) != sorted(self.times) or [t for t, _ in self.door] != sorted(t for t, _ in self.door):
            raise ValueError("the times of a schedule rise")

    def set_at(self, time: Floats) -> Floats:
        """Settings (°C) at times (n, s); before the first it is off, or where the curve begins.

        >>> Schedule((0.0, 100.0), (25.0, 125.0)).set_at(np.array([50.0])).tolist()
        [75.0]
        """
        if self.curve:
            return np.asarray(np.interp(time, self.times, self.settings))
        return _held(time, np.array(self.times), np.array(self.settings))

    def door_at(self, time: Floats) -> Floats:
        """Share (0 to 1) that the door is open at times (n, s)."""
        if not self.door:
            return np.zeros(len(time))
        at, share = np.array(self.door).T
        return _held(time, at, share)

    def shifted(self, by_s: float) -> Schedule:
        """The same, so much later (s)."""
        door = tuple((t + by_s, share) for t, share in self.door)
        return Schedule(tuple(t + by_s for t in self.times), self.settings, self.curve, door)

    @property
    def end(self) -> float:
        return max(self.times[-1], self.door[-1][0] if self.door else 0.0)


def _held(time: Floats, at: Floats, value: Floats) -> Floats:
    before = np.searchsorted(at, np.asarray(time) + 1e-9, side="right")
    return np.concatenate([[0.0], value])[before]


def steps_of(schedule: Schedule) -> tuple[Step, ...]:
    """What a schedule asks for, in order of time.

    >>> steps_of(Schedule((0.0, 90.0), (160.0, 0.0), False, ((95.0, 1.0),)))
    ((0.0, 'turn to', 160.0), (90.0, 'switch off', None), (95.0, 'door open', None))
    """
    found: list[Step] = []
    for t, c in zip(schedule.times, schedule.settings, strict=True):
        off, full = c <= 0, c >= FULL_C
        words = "switch off" if off else "turn to full" if full else SET if schedule.curve else "turn to"
        found.append((t, words, None if off or full else c))
    for t, share in schedule.door:
        found.append((t, "door shut" if share < 0.1 else "door ajar" if share < 0.6 else "door open", None))
    return tuple(sorted(found, key=lambda step: step[0]))


def switched_off(schedule: Schedule, at_s: float) -> Schedule:
    """The same until the heat goes off at a time (s), whatever was to come.

    >>> switched_off(Schedule((0.0, 100.0), (25.0, 125.0)), 50.0).settings
    (25.0, 75.0, 0.0)
    """
    told = [(t, c) for t, c in zip(schedule.times, schedule.settings, strict=True) if t < at_s]
    if schedule.curve:
        told += [(at_s, float(schedule.set_at(np.array([at_s]))[0])), (at_s + 1.0, 0.0)]
    else:
        told.append((at_s, 0.0))
    times, settings = zip(*told, strict=True)
    return Schedule(times, settings, schedule.curve, schedule.door)
